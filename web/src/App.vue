<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useToggle } from '@vueuse/core'
import { computed, onUnmounted, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, data } from './data/api'
import { listen, live } from './data/live'
import { useDarkPaper } from './logic/paper'
import DueReminders from './parts/DueReminders.vue'
import OpenCount from './parts/OpenCount.vue'

const route = useRoute()
const router = useRouter()
const queryClient = useQueryClient()
const dark = useDarkPaper()
const toggleDark = useToggle(dark)

async function logOut() {
  await data(api.DELETE('/session'))
  queryClient.clear()
  await router.push({ name: 'login' })
}

// Told of changes as long as a page is shown that needs a login.
let stop: (() => void) | undefined
const inside = computed(() => route.name !== undefined && route.meta.open !== true)
watch(
  inside,
  (now) => {
    stop?.()
    stop = now ? listen(queryClient) : undefined
  },
  { immediate: true },
)
onUnmounted(() => stop?.())
</script>

<template>
  <a class="skip" href="#main">To the page</a>
  <header class="bar">
    <router-link to="/" class="mark">Wharf</router-link>
    <nav v-if="inside" aria-label="Pages">
      <router-link to="/">Today<DueReminders /></router-link>
      <router-link to="/board">Board</router-link>
      <router-link to="/conflicts" :class="{ within: route.name === 'conflict' }">Conflicts<OpenCount /></router-link>
      <router-link to="/both-ways">Both ways</router-link>
      <router-link to="/feeds" :class="{ within: route.name === 'feed' }">Feeds</router-link>
      <router-link to="/publications">Give back</router-link>
    </nav>
    <div class="end">
      <span v-if="inside && !live" class="stale" role="status">not live: trying again</span>
      <button type="button" class="plain" @click="toggleDark()">{{ dark ? 'Light' : 'Dark' }}</button>
      <template v-if="inside">
        <router-link to="/logins" class="plain">Logins</router-link>
        <button type="button" class="plain" @click="logOut">Log out</button>
      </template>
    </div>
  </header>
  <main id="main" tabindex="-1" :class="{ wide: route.name === 'board' }">
    <router-view />
  </main>
</template>

<style scoped>
.skip {
  position: absolute;
  left: -100rem;
}
.skip:focus {
  left: 1rem;
  top: 0.4rem;
  background: var(--paper-raised);
  padding: 0.3rem 0.6rem;
  z-index: 20;
}
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
  flex-wrap: wrap;
  gap: 0 1.25rem;
}
nav a {
  color: var(--ink-soft);
  text-decoration: none;
  padding: 0.15rem 0;
}
nav a.router-link-exact-active,
nav a.within {
  color: var(--ink);
  box-shadow: 0 2px 0 var(--water);
}
.end {
  margin-left: auto;
  display: flex;
  align-items: baseline;
  gap: 1rem;
}
.stale {
  color: var(--caution);
  font-size: var(--size-small);
}
.plain {
  font: inherit;
  color: var(--ink-soft);
  background: none;
  border: 0;
  padding: 0.15rem 0;
  cursor: pointer;
  text-decoration: none;
}
.plain:hover {
  color: var(--ink);
}
main {
  padding: 1rem 1.25rem 3rem;
  max-width: 90rem;
  margin: 0 auto;
}
main.wide {
  max-width: none;
  padding-bottom: 1rem;
}
main:focus {
  outline: none;
}
@media (max-width: 640px) {
  .bar {
    column-gap: 0.9rem;
    font-size: var(--size-small);
  }
  nav {
    order: 3;
    width: 100%;
    justify-content: space-between;
    gap: 0 0.5rem;
  }
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
