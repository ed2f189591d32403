<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, data } from '@/data/api'
import { useProblems } from '@/logic/form'

const route = useRoute()
const router = useRouter()
const queryClient = useQueryClient()
const problems = useProblems()
const name = ref('')
const password = ref('')
const busy = ref(false)

async function send() {
  busy.value = true
  const done = await problems.attempt(() =>
    data(api.POST('/session', { body: { name: name.value, password: password.value } })),
  )
  busy.value = false
  if (!done) return
  queryClient.clear()
  const to = typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/'
  await router.push(to)
}
</script>

<template>
  <section class="door">
    <h1>Log in</h1>
    <el-form label-position="top" @submit.prevent="send">
      <el-form-item label="Name" :error="problems.of('name')"
        ><el-input v-model="name" name="name" autocomplete="username" autofocus
      /></el-form-item>
      <el-form-item label="Password" :error="problems.of('password')"
        ><el-input v-model="password" name="password" type="password" autocomplete="current-password"
      /></el-form-item>
      <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      <el-button type="primary" native-type="submit" :loading="busy">Log in</el-button>
    </el-form>
  </section>
</template>

<style scoped>
.door {
  max-width: 22rem;
  margin: 3rem auto;
  display: grid;
  gap: 1rem;
}
.failed {
  color: var(--alarm);
  margin-bottom: 0.6rem;
}
</style>
