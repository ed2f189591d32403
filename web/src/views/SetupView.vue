<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, data } from '@/data/api'
import { useProblems } from '@/logic/form'

const route = useRoute()
const router = useRouter()
const problems = useProblems()
const name = ref('')
const password = ref('')
const busy = ref(false)

async function send() {
  busy.value = true
  const done = await problems.attempt(() =>
    data(api.POST('/setup', { body: { code: route.hash.slice(1), name: name.value, password: password.value } })),
  )
  busy.value = false
  if (done) await router.replace('/')
}
</script>

<template>
  <section class="door">
    <h1>The first account</h1>
    <p class="soft">You opened the one-time link that Wharf printed. Choose how you will log in.</p>
    <el-form label-position="top" @submit.prevent="send">
      <el-form-item label="Name" :error="problems.of('name')"
        ><el-input v-model="name" name="name" autocomplete="username" autofocus
      /></el-form-item>
      <el-form-item label="Password, at least 12 characters" :error="problems.of('password')"
        ><el-input v-model="password" name="password" type="password" autocomplete="new-password"
      /></el-form-item>
      <p v-if="problems.of('code') || problems.rest.value" role="alert" class="failed">
        {{ problems.of('code') || problems.rest.value }}
      </p>
      <el-button type="primary" native-type="submit" :loading="busy">Make the account</el-button>
    </el-form>
  </section>
</template>

<style scoped>
.door {
  max-width: 24rem;
  margin: 3rem auto;
  display: grid;
  gap: 1rem;
}
.failed {
  color: var(--alarm);
  margin-bottom: 0.6rem;
}
</style>
