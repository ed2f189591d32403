<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Calendar } from '@/data/api'
import { useCalendars, useFeeds, usePublications, useToday } from '@/data/queries'
import { count } from '@/logic/dates'
import { directionsOf, type Cell } from '@/logic/today'
import { hasWords, useMore } from '@/logic/more'
import FeedTag from '@/parts/FeedTag.vue'
import StateWord from '@/parts/StateWord.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const calendars = useCalendars()
const feeds = useFeeds()
const publications = usePublications()
const today = useToday()

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
const gaps = computed(() => today.data.value?.missing ?? [])
const gapsBy = computed(() => new Map(gaps.value.map((g) => [`${g.calendar.id} ${g.platform.name}`, g.way])))
const gapOf = (c: Cell) => gapsBy.value.get(`${c.calendar.id} ${c.platform}`)
const search = ref('')
const wanted = ref<boolean>() // whether to show what needs nobody; left out: as it fits
const few = 12 // calendars, up to which all are shown
const used = (c: Cell) => c.feeds.length > 0 || c.publication !== undefined
const everything = computed(() => wanted.value ?? (calendars.data.value?.length ?? 0) <= few)
/** Whether somebody is to look at a calendar: a direction is missing, a feed is not fresh, or nobody came. */
const needs = computed(() => {
  const ids = new Set(gaps.value.map((g) => g.calendar.id))
  for (const f of feeds.data.value ?? []) if (f.state !== 'fresh') for (const c of f.calendars) ids.add(c)
  for (const p of publications.data.value ?? []) if (!p.lastPickup) ids.add(p.calendar)
  return ids
})
/** What needs somebody comes first. */
const found = computed(() =>
  [...(calendars.data.value ?? [])]
    .filter((c) => (everything.value || search.value || needs.value.has(c.id)) && hasWords(c.name, search.value))
    .sort((a, b) => Number(needs.value.has(b.id)) - Number(needs.value.has(a.id))),
)
const { shown, left, more } = useMore(found, 25)
/** A column for each platform, or where there are too many, a card for each that a calendar is on. */
const cards = computed(() => platforms.value.length > 8)
const cellsOf = (c: Calendar) => {
  const cells = platforms.value.map((p) => directions.value.cell(c, p))
  return cards.value ? cells.filter(used) : cells
}
const ready = computed(() => calendars.data.value && feeds.data.value && publications.data.value && today.data.value)
const failed = computed(
  () => calendars.error.value ?? feeds.error.value ?? publications.error.value ?? today.error.value,
)
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
      {{ ' '
      }}<router-link v-if="platforms.length > 0" to="/both-ways/trips">Does it pass? The round trips</router-link>
    </p>
    <p v-if="platforms.length === 0">
      Nothing comes in and nothing goes out yet: <router-link to="/feeds">subscribe to a feed</router-link> first.
    </p>
    <div v-if="(calendars.data.value?.length ?? 0) > few" class="look">
      <el-input v-model="search" clearable placeholder="Calendar" aria-label="Look for calendars" />
      <el-button @click="wanted = !everything">{{
        everything ? 'Only what needs somebody' : `All ${calendars.data.value?.length} calendars`
      }}</el-button>
    </div>
    <p v-if="platforms.length > 0 && found.length === 0" class="calm">
      {{ search ? 'There is no such calendar.' : 'No calendar needs anybody.' }}
    </p>
    <div
      v-else-if="platforms.length > 0"
      class="scroll"
      :class="{ cards }"
      role="region"
      aria-label="Calendars and platforms"
      tabindex="0"
    >
      <table>
        <thead v-if="!cards">
          <tr>
            <td />
            <th v-for="p in platforms" :key="p" scope="col">
              <router-link v-if="idOf(p)" :to="`/platforms/${idOf(p)}`">{{ p }}</router-link>
              <template v-else>{{ p }}</template>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in shown" :key="c.id">
            <th scope="row">
              <router-link :to="`/calendars/${c.id}`">{{ c.name }}</router-link>
            </th>
            <td v-for="x in cellsOf(c)" :key="x.platform" :class="{ unused: !used(x) }" :data-platform="x.platform">
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
    <el-button v-if="left > 0" class="more" @click="more">Show more ({{ left }})</el-button>
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
.look {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  max-width: 34rem;
  margin-bottom: 0.8rem;
}
.look .el-input {
  flex: 1 1 12rem;
}
.calm {
  color: var(--calm);
}
.more {
  margin-top: 0.8rem;
}
.cards tr {
  display: grid;
  grid-template-columns: 13rem repeat(auto-fill, minmax(13rem, 1fr));
  gap: 0.5rem;
  padding: 0.5rem 0;
}
.cards tbody td {
  border: 1px solid var(--line);
  background: var(--paper-raised);
}
.cards tbody td::before {
  content: attr(data-platform);
  display: block;
  font-weight: 600;
  padding: 0.35rem 0.6rem 0;
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
  .cards tr,
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
