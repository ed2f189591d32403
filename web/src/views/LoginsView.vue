<script setup lang="ts">
import { useEndLogin, useLogins } from '@/data/queries'
import TimeAgo from '@/parts/TimeAgo.vue'

const logins = useLogins()
const end = useEndLogin()
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
</template>

<style scoped>
.lead {
  max-width: 46rem;
  margin: 0.3rem 0 1rem;
}
.list > li {
  grid-template-columns: 1.4fr 1fr 1fr auto;
}
</style>
