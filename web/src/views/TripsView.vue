<script setup lang="ts">
// How bookings pass from each platform to each other one, with the last whole way that was seen.
import { computed } from 'vue'
import type { Schemas } from '@/data/api'
import { useCalendars, useTrips } from '@/data/queries'
import { gapWords } from '@/logic/dates'
import { spanWords } from '@/logic/layout'
import TimeAgo from '@/parts/TimeAgo.vue'

type Trip = Schemas['Trip']
const trips = useTrips()
const calendars = useCalendars()
const still = (t: Trip) => t.passage === 'not_read' || t.passage === 'not_fetched' || t.passage === 'not_shown'
/** What stands still comes first. */
const ordered = computed(() => [...(trips.data.value ?? [])].sort((a, b) => Number(still(b)) - Number(still(a))))
const stopped = computed(() => ordered.value.filter(still).length)
const steps = (t: Trip) =>
  [
    { word: 'sold', at: t.made },
    { word: 'read by Wharf', at: t.read },
    { word: 'published', at: t.published },
    { word: 'picked up', at: t.pickedUp },
    { word: 'seen there', at: t.seen },
  ].filter((s): s is { word: string; at: string } => s.at !== undefined)
const when = (t: Trip) => {
  const calendar = calendars.data.value?.find((c) => c.id === t.calendar?.id)
  return calendar && t.start && t.end ? spanWords(t.start, t.end, calendar) : ''
}
</script>

<template>
  <h1>Round trips</h1>
  <p class="soft lead">
    What one platform sells is to be blocked on every other one. This is read off what happens anyway: the last booking
    of each direction whose whole way was seen.
  </p>
  <p v-if="trips.data.value?.length === 0">
    No platform is given yet what another one sells: <router-link to="/publications">give a calendar back</router-link>.
  </p>
  <p v-else-if="trips.data.value && stopped === 0" class="calm">Nothing stands still.</p>
  <ul class="trips">
    <li v-for="t in ordered" :key="`${t.from.id} ${t.to.id}`" :class="{ still: still(t) }">
      <h2>
        <router-link :to="`/platforms/${t.from.id}`">{{ t.from.name }}</router-link> to
        <router-link :to="`/platforms/${t.to.id}`">{{ t.to.name }}</router-link>
      </h2>
      <p :class="{ behind: still(t) }">{{ t.sentence }}</p>
      <template v-if="t.booking && t.calendar">
        <p class="soft small">
          <router-link :to="`/calendars/${t.calendar.id}`">{{ t.calendar.name }}</router-link>, {{ when(t)
          }}<template v-if="t.took">: {{ gapWords(t.took) }} from reading it to seeing it there</template>
        </p>
        <ol>
          <li v-for="s in steps(t)" :key="s.word">{{ s.word }} <TimeAgo :at="s.at" /></li>
        </ol>
      </template>
    </li>
  </ul>
</template>

<style scoped>
.lead {
  max-width: 46rem;
  margin: 0.3rem 0 1rem;
}
.trips {
  list-style: none;
  margin: 0;
  padding: 0;
}
.trips > li {
  border-top: 1px solid var(--line);
  padding: 0.7rem 0 0.7rem 0.8rem;
  border-left: 4px solid transparent;
}
.trips > li.still {
  border-left-color: var(--caution);
}
h2 {
  font-size: var(--size-lead);
  margin: 0;
}
ol {
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 0.4rem;
  margin: 0.2rem 0 0;
  padding: 0;
  font-size: var(--size-small);
}
ol li + li::before {
  content: '→ ';
  color: var(--ink-soft);
}
.behind {
  color: var(--caution);
}
.calm {
  color: var(--calm);
}
</style>
