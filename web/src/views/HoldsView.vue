<script setup lang="ts">
// What was entered by hand: found, and opened to be changed or cancelled.
import { computed, ref } from 'vue'
import type { Calendar } from '@/data/api'
import { useCalendars, useHolds } from '@/data/queries'
import { repeatWords, whenWords, type Hold } from '@/logic/hold'
import { useMore } from '@/logic/more'
import { titleOf } from '@/logic/origin'
import HoldActions from '@/parts/HoldActions.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const search = ref('')
const holds = useHolds(search)
const calendars = useCalendars()
const found = computed(() => {
  const by = new Map((calendars.data.value ?? []).map((c) => [c.id, c]))
  return (holds.data.value ?? []).flatMap((hold): { hold: Hold; calendar: Calendar }[] => {
    const calendar = by.get(hold.calendar)
    return calendar ? [{ hold, calendar }] : []
  })
})
const { shown, left, more } = useMore(found, 50)
const open = ref<number>()
const toggle = (id: number) => (open.value = open.value === id ? undefined : id)
</script>

<template>
  <div class="page">
    <h1>Entered by hand</h1>
    <p class="soft lead">
      Bookings and closures that are in no feed, or were copied from one. New ones are entered on the
      <router-link to="/board">board</router-link>.
    </p>
    <el-input
      v-model="search"
      class="search"
      clearable
      placeholder="Title, note or category"
      aria-label="Look for what was entered"
    />
    <template v-if="holds.data.value && calendars.data.value">
      <p v-if="found.length === 0" class="soft">
        {{ search ? 'There is nothing like that.' : 'Nothing was entered yet.' }}
      </p>
      <ul v-else class="list">
        <li v-for="{ hold, calendar } in shown" :key="hold.id">
          <div class="line">
            <button type="button" class="plain" :aria-expanded="open === hold.id" @click="toggle(hold.id)">
              {{ titleOf(hold) }}
            </button>
            <span class="soft">
              <router-link :to="`/calendars/${calendar.id}`">{{ calendar.name }}</router-link>,
              {{ whenWords(hold, calendar.zone)
              }}<template v-if="hold.repeat">, {{ repeatWords(hold.repeat) }}</template
              ><template v-if="hold.closure">; a closure</template
              ><template v-else-if="hold.tentative">; tentative</template
              ><template v-if="hold.expires">; until <TimeAgo :at="hold.expires" /></template
              ><template v-if="hold.original">; copied from {{ hold.original.feedName }}</template>
            </span>
          </div>
          <HoldActions v-if="open === hold.id" :id="hold.id" :calendar="calendar" @gone="open = undefined" />
        </li>
      </ul>
      <el-button v-if="left > 0" @click="more">Show more ({{ left }})</el-button>
    </template>
    <p v-else-if="holds.error.value" role="alert">{{ holds.error.value.message }}</p>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.7rem;
  max-width: 60rem;
}
.search {
  max-width: 20rem;
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
}
.list li {
  border-top: 1px solid var(--line);
  padding: 0.4rem 0;
  display: grid;
  gap: 0.5rem;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 0 1rem;
  align-items: baseline;
}
.plain {
  font: inherit;
  font-weight: 600;
  color: var(--water);
  background: none;
  border: 0;
  padding: 0.1rem 0;
  cursor: pointer;
}
</style>
