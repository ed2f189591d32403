<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Conflict } from '@/data/api'
import { useCalendars, useConflicts, useOverConflicts } from '@/data/queries'
import { count } from '@/logic/dates'
import { spanWords } from '@/logic/layout'
import { useMore } from '@/logic/more'
import ConflictNote from '@/parts/ConflictNote.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const calendars = useCalendars()
const conflicts = useConflicts()
const showOver = ref(false)
const over = useOverConflicts(showOver)

const byID = computed(() => new Map((calendars.data.value ?? []).map((c) => [c.id, c])))
const calendarOf = (c: Conflict) => byID.value.get(c.calendar)
const known = computed(() => (conflicts.data.value ?? []).filter((c) => calendarOf(c)))
const open = computed(() => known.value.filter((c) => c.state === 'open'))
const dealt = computed(() => known.value.filter((c) => c.state === 'acknowledged'))
const { shown, left, more } = useMore(open, 40)
const past = computed(() =>
  [...(over.data.value ?? [])].filter((c) => calendarOf(c)).sort((a, b) => b.start.localeCompare(a.start)),
)
</script>

<template>
  <div v-if="conflicts.data.value && calendars.data.value" class="page">
    <h1>Conflicts</h1>
    <p v-if="open.length === 0" class="calm">
      Nothing is double booked{{ dealt.length > 0 ? ' that nobody deals with' : '' }}.
    </p>
    <h2 v-else>{{ count(open.length, 'conflict is', 'conflicts are') }} waiting for somebody</h2>
    <ConflictNote v-for="c in shown" :key="c.id" :conflict="c" :calendar="calendarOf(c)!" named />
    <el-button v-if="left > 0" class="over" @click="more">Show more ({{ left }})</el-button>
    <template v-if="dealt.length > 0">
      <h2>{{ count(dealt.length, 'is', 'are') }} being dealt with</h2>
      <ConflictNote v-for="c in dealt" :key="c.id" :conflict="c" :calendar="calendarOf(c)!" named />
    </template>
    <el-button class="over" text :aria-expanded="showOver" @click="showOver = !showOver">{{
      showOver ? 'Hide those that are over' : 'Show those that are over'
    }}</el-button>
    <template v-if="showOver && over.data.value">
      <p v-if="past.length === 0" class="soft">There has been none.</p>
      <ul v-else class="past">
        <li v-for="c in past" :key="c.id">
          <router-link :to="`/conflicts/${c.id}`"
            >{{ c.calendarName }}, {{ spanWords(c.start, c.end, calendarOf(c)!) }}</router-link
          >
          <span class="soft">
            {{ c.state === 'past' ? 'its time is over' : 'cleared' }} <TimeAgo v-if="c.cleared" :at="c.cleared"
          /></span>
        </li>
      </ul>
    </template>
  </div>
  <p v-else-if="conflicts.error.value" role="alert">{{ conflicts.error.value.message }}</p>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.8rem;
  max-width: 60rem;
}
.calm {
  color: var(--calm);
}
.over {
  justify-self: start;
  padding-left: 0;
}
.past {
  margin: 0;
  padding-left: 1.1rem;
}
</style>
