<script setup lang="ts">
import { computed } from 'vue'
import { useCalendars, useFeeds, usePublications } from '@/data/queries'
import { count } from '@/logic/dates'
import { directionsOf, gapOf, type Cell } from '@/logic/today'
import FeedTag from '@/parts/FeedTag.vue'
import StateWord from '@/parts/StateWord.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const calendars = useCalendars()
const feeds = useFeeds()
const publications = usePublications()

const directions = computed(() =>
  directionsOf(calendars.data.value ?? [], feeds.data.value ?? [], publications.data.value ?? []),
)
const platforms = computed(() => directions.value.platforms)
const ids = computed(
  () =>
    new Map(
      [...(feeds.data.value ?? []), ...(publications.data.value ?? [])].map((x) => [x.platform.name, x.platform.id]),
    ),
)
const idOf = (name: string) => ids.value.get(name)
const gaps = computed(() => directions.value.gaps)
const used = (c: Cell) => c.feeds.length > 0 || c.publication !== undefined
/** Calendars that lack a direction come first. */
const all = computed(() => {
  const lacks = new Set(gaps.value.map((g) => g.calendar.id))
  return [...(calendars.data.value ?? [])].sort((a, b) => Number(lacks.has(b.id)) - Number(lacks.has(a.id)))
})
const ready = computed(() => calendars.data.value && feeds.data.value && publications.data.value)
const failed = computed(() => calendars.error.value ?? feeds.error.value ?? publications.error.value)
</script>

<template>
  <div v-if="ready">
    <h1>Both ways</h1>
    <p class="lead soft">
      What comes in from each platform, with its last good reading, and what goes out to it, with its last pickup.
      <strong v-if="gaps.length > 0" class="caution"
        >{{ count(gaps.length, 'direction is', 'directions are') }} missing.</strong
      >
      <template v-else-if="platforms.length > 0">No direction is missing.</template>
    </p>
    <p v-if="platforms.length === 0">
      Nothing comes in and nothing goes out yet: <router-link to="/feeds">subscribe to a feed</router-link> first.
    </p>
    <div v-else class="scroll" role="region" aria-label="Calendars and platforms" tabindex="0">
      <table>
        <thead>
          <tr>
            <td />
            <th v-for="p in platforms" :key="p" scope="col">
              <router-link v-if="idOf(p)" :to="`/platforms/${idOf(p)}`">{{ p }}</router-link>
              <template v-else>{{ p }}</template>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in all" :key="c.id">
            <th scope="row">
              <router-link :to="`/calendars/${c.id}`">{{ c.name }}</router-link>
            </th>
            <td
              v-for="x in platforms.map((p) => directions.cell(c, p))"
              :key="x.platform"
              :class="{ unused: !used(x) }"
              :data-platform="x.platform"
            >
              <template v-if="used(x)">
                <div class="half" :class="{ missing: gapOf(x) === 'in' }">
                  <span class="way">in</span>
                  <span v-if="x.feeds.length === 0">
                    nothing comes in
                    <router-link to="/feeds">Subscribe</router-link>
                  </span>
                  <span v-for="f in x.feeds" :key="f.id" class="thing">
                    <router-link :to="`/feeds/${f.id}`"><FeedTag :color="f.color" :label="f.name" /></router-link>
                    <StateWord :state="f.state" /> <span class="soft small"><TimeAgo :at="f.lastGood" /></span>
                  </span>
                </div>
                <div class="half" :class="{ missing: gapOf(x) === 'out' }">
                  <span class="way">out</span>
                  <span v-if="x.publication" class="thing">
                    <router-link :to="`/publications#p${x.publication.id}`"
                      >version {{ x.publication.version }}</router-link
                    >
                    <span v-if="!x.publication.lastPickup" class="never">never picked up</span>
                    <span v-else class="soft small"
                      >picked up
                      <template v-if="x.publication.lastPickupVersion !== x.publication.version"
                        >version {{ x.publication.lastPickupVersion }} </template
                      ><TimeAgo :at="x.publication.lastPickup"
                    /></span>
                  </span>
                  <span v-else-if="gapOf(x) === 'out'">
                    nothing goes out
                    <router-link to="/publications">Give back</router-link>
                  </span>
                  <span v-else class="soft">only shown, nothing to give back</span>
                </div>
              </template>
              <span v-else class="visually-hidden">not on this platform</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
  <p v-else-if="failed" role="alert">{{ failed.message }}</p>
</template>

<style scoped>
.lead {
  max-width: 52rem;
  margin: 0.3rem 0 1rem;
}
.caution {
  color: var(--caution);
}
.scroll {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th {
  text-align: left;
  font-weight: 600;
  padding: 0.5rem 0.8rem 0.5rem 0;
  vertical-align: top;
}
th[scope='col'] {
  min-width: 11.5rem;
  padding-left: 0.6rem;
  vertical-align: bottom;
}
th[scope='row'] {
  white-space: nowrap;
  position: sticky;
  left: 0;
  background: var(--paper);
  z-index: 1;
}
tbody tr {
  border-top: 1px solid var(--line);
}
tbody td {
  padding: 0;
  border-left: 1px solid var(--line);
  vertical-align: top;
}
.half {
  display: grid;
  grid-template-columns: 2rem minmax(0, 1fr);
  padding: 0.4rem 0.6rem;
}
.half + .half {
  border-top: 1px dotted var(--line);
}
.way {
  color: var(--ink-soft);
  font-size: var(--size-small);
}
.thing {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 0.4rem;
  grid-column: 2;
}
.thing a {
  color: var(--ink);
}
.missing {
  background: var(--caution-soft);
  box-shadow: inset 4px 0 0 var(--caution);
}
.never {
  color: var(--caution);
}
@media (max-width: 640px) {
  thead {
    display: none;
  }
  tr,
  tbody,
  table {
    display: block;
  }
  tbody td {
    display: block;
    border: 1px solid var(--line);
    background: var(--paper-raised);
    margin-bottom: 0.5rem;
  }
  tbody td::before {
    content: attr(data-platform);
    display: block;
    font-weight: 600;
    padding: 0.35rem 0.6rem 0;
  }
  tbody td.unused {
    display: none;
  }
  th[scope='row'] {
    display: block;
    font-size: var(--size-lead);
    position: static;
  }
}
</style>
