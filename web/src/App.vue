<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useDark, useToggle } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'
import { api, data } from './data/api'

const route = useRoute()
const router = useRouter()
const queryClient = useQueryClient()
const dark = useDark({ storageKey: 'wharf-paper', disableTransition: false })
const toggleDark = useToggle(dark)

async function logOut() {
  await data(api.DELETE('/session'))
  queryClient.clear()
  await router.push({ name: 'login' })
}
</script>

<template>
  <header class="bar">
    <router-link to="/" class="mark">Wharf</router-link>
    <nav v-if="!route.meta.open" aria-label="Pages">
      <router-link to="/">Calendar</router-link>
      <router-link to="/feeds">Feeds</router-link>
      <router-link to="/publications">Give back</router-link>
    </nav>
    <div class="end">
      <button type="button" class="plain" @click="toggleDark()">{{ dark ? 'Light' : 'Dark' }}</button>
      <button v-if="!route.meta.open" type="button" class="plain" @click="logOut">Log out</button>
    </div>
  </header>
  <main>
    <router-view />
  </main>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0.25rem 1.5rem;
  padding: 0.6rem 1.25rem;
  border-bottom: 3px double var(--line);
}
.mark {
  font-size: var(--size-lead);
  font-weight: 700;
  letter-spacing: 0.04em;
  color: var(--water);
  text-decoration: none;
}
nav {
  display: flex;
  gap: 1.25rem;
}
nav a {
  color: var(--ink-soft);
  text-decoration: none;
  padding: 0.15rem 0;
}
nav a.router-link-exact-active {
  color: var(--ink);
  box-shadow: 0 2px 0 var(--water);
}
.end {
  margin-left: auto;
  display: flex;
  gap: 1rem;
}
.plain {
  font: inherit;
  color: var(--ink-soft);
  background: none;
  border: 0;
  padding: 0.15rem 0;
  cursor: pointer;
}
.plain:hover {
  color: var(--ink);
}
main {
  padding: 1rem 1.25rem 3rem;
  max-width: 90rem;
  margin: 0 auto;
}
@media (max-width: 640px) {
  .bar {
    column-gap: 0.9rem;
    font-size: var(--size-small);
  }
  nav,
  .end {
    gap: 0.8rem;
  }
  .bar,
  main {
    padding-left: 0.9rem;
    padding-right: 0.9rem;
  }
}
</style>
