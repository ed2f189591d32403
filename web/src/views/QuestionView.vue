<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useRoute } from 'vue-router'
import type { Booking, Conflict, Schemas } from '@/data/api'
import { useCalendars, useConflicts, useEditFeed, useFeeds } from '@/data/queries'
import { useAnswering } from '@/logic/answers'
import { count } from '@/logic/dates'
import { useProblems } from '@/logic/form'
import { lengthWords, spanWords } from '@/logic/layout'
import GivingBox from '@/parts/GivingBox.vue'
import TimeAgo from '@/parts/TimeAgo.vue'
import { titleOf } from '@/logic/origin'

type Choice = 'one' | 'other' | 'both' | ''

const route = useRoute()
const calendarID = computed(() => Number(route.params.calendar))
const feedIDs = computed(() => [Number(route.params.one), Number(route.params.other)] as const)
const conflicts = useConflicts()
const calendars = useCalendars()
const feeds = useFeeds()
const calendar = computed(() => calendars.data.value?.find((c) => c.id === calendarID.value))
const feedOf = (id: number) => feeds.data.value?.find((f) => f.id === id)
const names = computed(() => feedIDs.value.map((id) => feedOf(id)?.platform.name ?? 'one of them'))

/** A pair of bookings that show the same, one of each feed. */
interface Pair {
  conflict: Conflict
  one: Booking
  other: Booking
}
const pairs = computed<Pair[]>(() =>
  (conflicts.data.value ?? []).flatMap((conflict) => {
    if (conflict.state !== 'open' || conflict.calendar !== calendarID.value || !conflict.linked) return []
    const one = conflict.bookings.find((b) => b.feed === feedIDs.value[0])
    const other = conflict.bookings.find((b) => b.feed === feedIDs.value[1])
    return one && other ? [{ conflict, one, other }] : []
  }),
)
const choices = reactive<Record<number, Choice>>({})
const chosen = computed(() => pairs.value.filter((p) => choices[p.conflict.id]))
function all(choice: Choice) {
  for (const p of pairs.value) choices[p.conflict.id] = choice
}

const answering = useAnswering()
const rest: Schemas['AnswerRequest'][] = []
/** What the choices say: of which bookings that they are sales, and of which that they are not. */
function requests(): Schemas['AnswerRequest'][] {
  const own: Booking[] = []
  const reflected: Booking[] = []
  for (const p of chosen.value) {
    const choice = choices[p.conflict.id]
    if (choice === 'both') own.push(p.one, p.other)
    else if (choice === 'one') reflected.push(p.other)
    else reflected.push(p.one)
  }
  const about = (bookings: Booking[]) => bookings.map((b) => ({ booking: b.id, seen: b.answer?.id }))
  return [
    ...(reflected.length > 0 ? [{ says: 'reflected' as const, bookings: about(reflected) }] : []),
    ...(own.length > 0 ? [{ says: 'own' as const, bookings: about(own) }] : []),
  ]
}
async function say() {
  const [first, ...more] = requests()
  rest.splice(0, rest.length, ...more)
  if (first) await answering.begin(first)
}
/** Keeps an answer; what is of the other kind is said next. */
async function keep() {
  await answering.keep()
  const next = answering.error.value ? undefined : rest.shift()
  if (next) await answering.begin(next)
}

const edit = useEditFeed()
const problems = useProblems()
async function declare(by: number, of: number) {
  const feed = feedOf(by)
  if (!feed) return
  await problems.attempt(() =>
    edit.mutateAsync({ id: by, body: { revision: feed.revision, mirrors: [...(feed.mirrors ?? []), of] } }),
  )
}
</script>

<template>
  <div v-if="conflicts.data.value && calendar && feeds.data.value" class="page">
    <p class="soft"><router-link to="/">Today</router-link></p>
    <h1>One booking or two?</h1>
    <template v-if="pairs.length > 0">
      <p class="lead">
        {{ names[0] }} and {{ names[1] }} both show {{ count(pairs.length, 'booking', 'bookings') }} on
        {{ calendar.name }}, with the same dates, and Wharf sent neither of them anything that explains it. Either one
        platform reads the other, and each is one booking; or the time is sold twice.
      </p>

      <section class="mirror">
        <h2>If one of them reads the other</h2>
        <p>Then say it once. All of these are answered by it, and so is what comes later.</p>
        <div class="act">
          <el-button @click="declare(feedIDs[0], feedIDs[1])"
            >{{ names[0] }} shows what is sold on {{ names[1] }}</el-button
          >
          <el-button @click="declare(feedIDs[1], feedIDs[0])"
            >{{ names[1] }} shows what is sold on {{ names[0] }}</el-button
          >
        </div>
        <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      </section>

      <section>
        <h2>Or one by one</h2>
        <div class="act" role="group" aria-label="All of them">
          <el-button size="small" @click="all('one')">All sold on {{ names[0] }}</el-button>
          <el-button size="small" @click="all('other')">All sold on {{ names[1] }}</el-button>
          <el-button size="small" @click="all('')">None said</el-button>
        </div>
        <ul class="pairs">
          <li v-for="p in pairs" :key="p.conflict.id">
            <p>
              <strong>{{ spanWords(p.one.start, p.one.end, calendar) }}</strong>{{ ' ' }}
              <span class="soft">{{ lengthWords(p.one.start, p.one.end, calendar) }}</span>
            </p>
            <p class="soft">
              {{ titleOf(p.one) }} on {{ names[0] }}, {{ titleOf(p.other) }} on
              {{ names[1] }}
            </p>
            <p v-if="p.conflict.first" class="soft">{{ p.conflict.first.why }}</p>
            <p v-for="b in [p.one, p.other].filter((x) => x.created)" :key="b.id" class="soft">
              {{ titleOf(b) }} was made <TimeAgo :at="b.created" />, says {{ b.platform?.name }}.
            </p>
            <el-radio-group v-model="choices[p.conflict.id]" :aria-label="`Sold where, ${p.one.start}?`">
              <el-radio value="one">sold on {{ names[0] }}</el-radio>
              <el-radio value="other">sold on {{ names[1] }}</el-radio>
              <el-radio value="both">sold on both</el-radio>
            </el-radio-group>
          </li>
        </ul>
        <el-button
          v-if="!answering.giving.value"
          type="primary"
          :disabled="chosen.length === 0"
          :loading="answering.busy.value"
          @click="say"
          >{{
            chosen.length === 0 ? 'Choose where they were sold' : `Say it of ${count(chosen.length, 'pair', 'pairs')}`
          }}</el-button
        >
      </section>
    </template>
    <p v-else-if="!answering.giving.value" class="lead">
      Nothing is asked about these two any more. <router-link to="/conflicts">All conflicts</router-link>
    </p>
    <GivingBox
      v-if="answering.giving.value"
      :effects="answering.giving.value.effects"
      word="Keep these answers"
      :busy="answering.busy.value"
      @keep="keep"
      @leave="answering.leave"
    >
      <p>
        You say of {{ count(answering.giving.value.body.bookings.length, 'booking', 'bookings') }}:
        {{ answering.giving.value.body.says === 'own' ? 'a sale of its own' : 'the other one, reflected' }}. That stays
        so, whatever is read later, until it is taken back.
      </p>
    </GivingBox>
    <p v-if="answering.error.value" role="alert" class="failed">{{ answering.error.value }}</p>
  </div>
  <p v-else-if="conflicts.error.value" role="alert">{{ conflicts.error.value.message }}</p>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 1.1rem;
  max-width: 60rem;
}
.lead {
  font-size: var(--size-lead);
  max-width: 46rem;
}
.mirror {
  border-left: 3px solid var(--water);
  padding-left: 0.9rem;
}
section {
  display: grid;
  gap: 0.6rem;
  justify-items: start;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.act .el-button {
  white-space: normal;
  height: auto;
  min-height: 2rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
.pairs {
  list-style: none;
  margin: 0;
  padding: 0;
  width: 100%;
  display: grid;
}
.pairs li {
  border-top: 1px solid var(--line);
  padding: 0.5rem 0;
  display: grid;
  gap: 0.15rem;
}
.failed {
  color: var(--alarm);
}
</style>
