<script setup lang="ts">
// Entries of feeds that somebody looks at: approved or rejected, one, some or all.
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/data/api'
import { useReview, useReviews } from '@/data/queries'
import { count } from '@/logic/dates'
import { useProblems } from '@/logic/form'
import { lengthWords, spanWords } from '@/logic/layout'
import { hasWords, useMore } from '@/logic/more'
import { titleOf } from '@/logic/origin'
import FeedTag from '@/parts/FeedTag.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const state = ref<Schemas['ReviewState']>('waiting')
const reviews = useReviews(state)
const decide = useReview()
const problems = useProblems()
const search = ref('')
const found = computed(() =>
  (reviews.data.value ?? []).filter((r) =>
    hasWords(`${r.booking.title} ${r.calendarName} ${r.booking.label}`, search.value),
  ),
)
const { shown, left, more } = useMore(found, 50)
const chosen = ref<number[]>([])
watch([found, state], () => {
  const there = new Set(found.value.map((r) => r.booking.id))
  chosen.value = chosen.value.filter((id) => there.has(id))
})
const all = computed({
  get: () => found.value.length > 0 && chosen.value.length === found.value.length,
  set: (on: boolean) => (chosen.value = on ? found.value.map((r) => r.booking.id) : []),
})
const names = { waiting: 'waiting', approved: 'approved', rejected: 'rejected' } as const
const said = ref('')

async function say(says: Schemas['ReviewRequest']['says']) {
  const bookings = found.value
    .filter((r) => chosen.value.includes(r.booking.id))
    .map(({ booking: { id, start, end } }) => ({ booking: id, start, end }))
  if (await problems.attempt(() => decide.mutateAsync({ says, bookings })))
    said.value = `${count(bookings.length, 'entry', 'entries')} ${says}.`
}
</script>

<template>
  <div class="page">
    <h1>To be looked at</h1>
    <p class="soft lead">
      Entries of feeds that somebody looks at (a calendar’s settings say which). They block from the first moment; their
      details go out once they are approved. What is rejected counts for nothing until its feed says something else.
    </p>
    <div class="look">
      <el-radio-group v-model="state" aria-label="State">
        <el-radio v-for="(name, key) in names" :key="key" :value="key">{{ name }}</el-radio>
      </el-radio-group>
      <el-input v-model="search" clearable placeholder="Title, calendar or feed" aria-label="Look for entries" />
    </div>
    <p role="status" class="soft">{{ said }}</p>
    <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
    <template v-if="reviews.data.value">
      <p v-if="found.length === 0" class="calm">
        {{ state === 'waiting' && !search ? 'Nothing waits to be looked at.' : 'There is nothing like that.' }}
      </p>
      <template v-else>
        <div class="act">
          <el-checkbox v-model="all">all {{ found.length }}</el-checkbox>
          <el-button
            type="primary"
            :disabled="chosen.length === 0"
            :loading="decide.isPending.value"
            @click="say('approved')"
            >Approve {{ chosen.length || '' }}</el-button
          >
          <el-button :disabled="chosen.length === 0" :loading="decide.isPending.value" @click="say('rejected')"
            >Reject {{ chosen.length || '' }}</el-button
          >
        </div>
        <el-checkbox-group v-model="chosen">
          <ul class="list">
            <li v-for="r in shown" :key="r.booking.id">
              <el-checkbox :value="r.booking.id">{{ titleOf(r.booking) }}</el-checkbox>
              <span class="soft">
                <router-link :to="`/calendars/${r.booking.calendar}`">{{ r.calendarName }}</router-link>,
                {{ spanWords(r.booking.start, r.booking.end, r) }} ({{
                  lengthWords(r.booking.start, r.booking.end, r)
                }}),
                <FeedTag :color="r.booking.color" :label="r.booking.label" />
                <template v-if="r.by && r.at">, {{ state }} by {{ r.by }} <TimeAgo :at="r.at" /></template>
              </span>
            </li>
          </ul>
        </el-checkbox-group>
        <el-button v-if="left > 0" @click="more">Show more ({{ left }})</el-button>
      </template>
    </template>
    <p v-else-if="reviews.error.value" role="alert">{{ reviews.error.value.message }}</p>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.7rem;
  max-width: 60rem;
}
.lead {
  max-width: 46rem;
}
.look {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 1.5rem;
  align-items: center;
}
.look .el-input {
  width: 16rem;
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
}
.list li {
  font-size: var(--size-body); /* a group of checkboxes has none of its own */
  line-height: 1.5;
  border-top: 1px solid var(--line);
  padding: 0.3rem 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0 1rem;
  align-items: baseline;
}
.act {
  display: flex;
  align-items: center;
  gap: 1rem;
}
.calm {
  color: var(--calm);
}
.failed {
  color: var(--alarm);
}
</style>
