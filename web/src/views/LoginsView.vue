<script setup lang="ts">
import { ref } from 'vue'
import { useChangePassword, useEndLogin, useLogins } from '@/data/queries'
import { useProblems } from '@/logic/form'
import TimeAgo from '@/parts/TimeAgo.vue'

const logins = useLogins()
const end = useEndLogin()
const change = useChangePassword()
const problems = useProblems()
const form = ref({ old: '', new: '' })
const changed = ref(false)
async function save() {
  changed.value = await problems.attempt(() => change.mutateAsync(form.value))
  if (changed.value) form.value = { old: '', new: '' }
}
const words = { browser: 'a browser', token: 'a program, by token' }
</script>

<template>
  <h1>Logins</h1>
  <p class="soft lead">
    Who is logged in to your account. Ending a login locks its page or program out at once. Programs log in with
    <code>wharf login</code>.
  </p>
  <p v-if="end.error.value" role="alert">{{ end.error.value.message }}</p>
  <ul class="list lines">
    <li v-for="l in logins.data.value ?? []" :key="l.id">
      <div>
        <h2>{{ l.label }}</h2>
        <p class="soft small">{{ words[l.kind] }}<strong v-if="l.current"> · this page</strong></p>
      </div>
      <p>logged in <TimeAgo :at="l.created" /></p>
      <p class="soft">expires <TimeAgo :at="l.expires" /></p>
      <el-button size="small" :aria-label="`End it: the login ${l.label}`" @click="end.mutate(l.id)">End it</el-button>
    </li>
  </ul>
  <section class="password">
    <h2>Your password</h2>
    <p class="soft">Changing it ends all other logins: every browser but this one, and every program.</p>
    <el-form label-position="top" novalidate @submit.prevent="save">
      <el-form-item label="The password you log in with now" :error="problems.of('old')">
        <el-input v-model="form.old" name="old" type="password" autocomplete="current-password" show-password />
      </el-form-item>
      <el-form-item label="The new one, of 12 characters or more" :error="problems.of('new')">
        <el-input v-model="form.new" name="new" type="password" autocomplete="new-password" show-password />
      </el-form-item>
      <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      <p v-if="changed" role="status">It is changed, and all other logins have ended.</p>
      <el-button native-type="submit" :loading="change.isPending.value">Change it</el-button>
    </el-form>
  </section>
</template>

<style scoped>
.lead {
  max-width: 46rem;
  margin: 0.3rem 0 1rem;
}
.password {
  max-width: 30rem;
  margin-top: 2rem;
  display: grid;
  gap: 0.6rem;
}
.failed {
  color: var(--alarm);
}
.list > li {
  grid-template-columns: 1.4fr 1fr 1fr auto;
}
</style>
