<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { ProblemError } from '@/data/api'
import { useBookingLives, useCalendars, useConflict } from '@/data/queries'
import { layLine, reach } from '@/logic/board'
import { addDays, shortDay } from '@/logic/dates'
import { factsOf } from '@/logic/facts'
import { lengthWords, spanWords, stretch } from '@/logic/layout'
import { changedAt, colorOf, doubtfulIn, kindNames, titleOf } from '@/logic/origin'
import AcknowledgeForm from '@/parts/AcknowledgeForm.vue'
import AnswerForm from '@/parts/AnswerForm.vue'
import FeedTag from '@/parts/FeedTag.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const route = useRoute()
const id = computed(() => Number(route.params.id))
const query = useConflict(id)
const calendars = useCalendars()
const conflict = computed(() => query.data.value)
const calendar = computed(() => calendars.data.value?.find((c) => c.id === conflict.value?.calendar))

const doubtful = computed(() => (conflict.value ? doubtfulIn(conflict.value) : []))
const kind = computed(() => (conflict.value ? kindNames[conflict.value.kind] : ''))
const drawn = computed(() => {
  const c = conflict.value
  const k = calendar.value
  if (!c || !k) return undefined
  const origin = stretch(c.start, c.end, k).first
  const line = layLine(c.bookings, [c], k, origin)
  const ends = [...c.bookings, c].map((x) => reach(x, k, origin))
  const from = Math.min(...ends.map((e) => e[0]))
  const to = Math.max(...ends.map((e) => e[1]))
  const room = (to - from) * 0.06
  const percent = (days: number) => `${((days - from + room) / (to - from + 2 * room)) * 100}%`
  const width = (days: number) => `${(days / (to - from + 2 * room)) * 100}%`
  const days = []
  for (let n = Math.ceil(from); n <= to && to - from < 60; n++)
    days.push({
      n,
      text: days.length === 0 ? shortDay(addDays(origin, n)) : addDays(origin, n).slice(8).replace(/^0/, ''),
    })
  if (k.grain === 'time') {
    days.length = 0
    for (let n = Math.ceil(from * 24); n <= to * 24 && to - from < 1; n++)
      days.push({ n: n / 24, text: `${((n % 24) + 24) % 24}:00` })
  }
  return { line, percent, width, days }
})
const lives = useBookingLives(computed(() => conflict.value?.bookings.map((b) => b.id) ?? []))
const facts = computed(() => (conflict.value ? factsOf(conflict.value, lives.value) : []))
const unsettled = computed(() => conflict.value?.state === 'open' || conflict.value?.state === 'acknowledged')
const later = computed(() => conflict.value?.bookings.filter((b) => b.id !== conflict.value?.first?.booking) ?? [])
const gone = computed(() => query.error.value instanceof ProblemError && query.error.value.status === 404)
const exact = (at: string) => new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'medium' })
</script>

<template>
  <article v-if="conflict && calendar" class="page">
    <header>
      <p class="soft"><router-link to="/conflicts">Conflicts</router-link></p>
      <h1>{{ kind }} on {{ conflict.calendarName }}</h1>
      <p class="when">
        {{ spanWords(conflict.start, conflict.end, calendar) }}
        <span class="soft"
          >{{ lengthWords(conflict.start, conflict.end, calendar) }}, {{ conflict.state }} since
          <TimeAgo :at="conflict.opened"
        /></span>
      </p>
    </header>

    <div v-if="drawn" class="line" :style="{ height: `${drawn.line.lanes * 2.6 + 1.6}rem` }" aria-hidden="true">
      <span v-for="d in drawn.days" :key="d.n" class="day" :style="{ left: drawn.percent(d.n) }">{{ d.text }}</span>
      <span
        v-for="bar in drawn.line.bars"
        :key="bar.booking.id"
        class="bar span-bar"
        :class="{ tentative: bar.booking.tentative }"
        :style="{
          left: drawn.percent(bar.from),
          width: drawn.width(bar.to - bar.from),
          top: `${bar.lane * 2.6 + 1.5}rem`,
          '--feed': colorOf(bar.booking.color),
        }"
        >{{ titleOf(bar.booking) }}</span
      >
      <span
        v-for="c in drawn.line.clashes"
        :key="c.conflict.id"
        class="overlap"
        :class="conflict.kind"
        :style="{
          left: drawn.percent(c.from),
          width: drawn.width(c.to - c.from),
          top: `${c.lane * 2.6 + 1.25}rem`,
          height: `${c.lanes * 2.6 - 0.1}rem`,
        }"
      />
    </div>

    <ul class="bookings">
      <li v-for="b in conflict.bookings" :key="b.id">
        <h2>
          {{ titleOf(b) }}
        </h2>
        <p>
          {{ spanWords(b.start, b.end, calendar) }}
          <span class="soft">{{ lengthWords(b.start, b.end, calendar) }}</span>
          <template v-if="b.units > 1">, {{ b.units }} of {{ calendar.capacity }}</template>
        </p>
        <p>
          <router-link v-if="b.feed" :to="`/feeds/${b.feed}`"
            ><FeedTag :color="b.color" :label="b.label"
          /></router-link>
          <FeedTag v-else :label="b.label" />
          <span v-if="b.platform" class="soft"
            >, <router-link :to="`/platforms/${b.platform.id}`">{{ b.platform.name }}</router-link><template
              v-if="b.unfresh"
            >
              (its feed is <router-link :to="`/feeds/${b.feed}`">{{ b.unfresh.state }}</router-link> since
              <TimeAgo :at="b.unfresh.since" />)</template
            ></span
          >
          <span class="soft">, {{ b.tentative ? 'tentative' : 'firm' }}</span>
        </p>
        <p v-if="doubtful.includes(b)" class="note"><strong>It may be an echo.</strong> {{ b.evidence }}</p>
        <p v-else-if="b.evidence" class="soft">{{ b.evidence }}</p>
        <AnswerForm v-if="unsettled && (doubtful.includes(b) || b.answer)" :booking="b" :conflict="conflict.id" />
      </li>
    </ul>

    <section>
      <h2>What is known</h2>
      <ol class="facts">
        <li v-for="f in facts" :key="f.at + f.text">
          <time :datetime="f.at" :title="exact(f.at)">{{ exact(f.at) }}</time> {{ f.text }}
        </li>
      </ol>
      <p v-if="conflict.first" class="verdict">{{ conflict.first.why }}</p>
      <p v-else class="verdict">Nothing shows which of them was there first.</p>
      <p v-if="conflict.found">{{ conflict.found }}</p>
    </section>

    <section v-if="unsettled" class="do">
      <h2>What can be done</h2>
      <p v-if="conflict.kind === 'unclear'">
        See on
        {{ [...new Set(doubtful.map(changedAt))].join(' or ') }} whether
        {{ doubtful.map((b) => titleOf(b)).join(' or ') }}
        is a booking of its own there, and say above which it is. Ours, reflected: then nothing is sold twice, and this
        clears. A sale of its own: then the time is sold twice.
      </p>
      <p>
        <template v-if="conflict.kind === 'unclear'">If it is, agree</template><template v-else>Agree</template> with
        <template v-if="conflict.first">{{ later.map((b) => titleOf(b)).join(' or ') }}</template><template v-else
          >one of the guests</template
        >
        on other dates, and cancel or move the booking on
        {{ [...new Set((conflict.first ? later : conflict.bookings).map(changedAt))].join(' or ') }}. The conflict
        clears by itself once the feed no longer shows it.
      </p>
      <p v-if="conflict.acknowledgedBy">
        {{ conflict.acknowledgedBy }} deals with it<template v-if="conflict.note">: “{{ conflict.note }}”</template>
      </p>
      <AcknowledgeForm v-if="conflict.state === 'open'" :conflict="conflict.id" />
    </section>
    <section v-else class="do">
      <h2>{{ conflict.state === 'past' ? 'Its time is over' : 'It is over' }}</h2>
      <p>Nothing needs to be done. It opens again by itself if the feeds show it again.</p>
    </section>

    <section v-if="conflict.log?.length">
      <h2>What happened to it</h2>
      <ol class="facts">
        <li v-for="e in conflict.log" :key="e.at + e.sentence">
          <time :datetime="e.at" :title="exact(e.at)">{{ exact(e.at) }}</time> {{ e.sentence }}
        </li>
      </ol>
    </section>
  </article>
  <p v-else-if="query.error.value" role="alert">
    {{ gone ? 'There is no such conflict: its calendar may have been removed.' : query.error.value.message }}
    <router-link to="/conflicts">All conflicts</router-link>
  </p>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 1.2rem;
  max-width: 60rem;
}
.when {
  font-size: var(--size-lead);
}
.line {
  position: relative;
  border: 1px solid var(--line);
  background: var(--paper-raised);
  overflow: hidden;
}
.day {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 1px solid var(--line);
  padding-left: 0.25rem;
  font-size: var(--size-small);
  color: var(--ink-soft);
}
.bar {
  height: 2.1rem;
  padding: 0.3rem 0.6rem;
  border-radius: 3px;
  font-size: var(--size-body);
  cursor: auto;
}
.bookings {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 17rem), 1fr));
  gap: 1rem 2rem;
}
.bookings li {
  border-top: 1px solid var(--line);
  padding-top: 0.5rem;
}
.bookings a {
  color: var(--ink);
}
.facts {
  list-style: none;
  margin: 0.5rem 0 0;
  padding: 0 0 0 1rem;
  border-left: 2px solid var(--line);
  display: grid;
  gap: 0.25rem;
}
.facts time {
  color: var(--ink-soft);
  display: inline-block;
  min-width: 13rem;
}
@media (max-width: 640px) {
  .facts time {
    display: block;
    font-size: var(--size-small);
  }
}
.note {
  background: var(--caution-soft);
  border-left: 3px solid var(--caution);
  padding: 0.5rem 0.7rem;
}
.verdict {
  margin-top: 0.6rem;
  font-weight: 600;
}
.do {
  display: grid;
  gap: 0.5rem;
  max-width: 46rem;
}
</style>
