<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Conflict, Schemas } from '@/data/api'
import { useConflicts, useEditFeed, useReminderDone, useToday } from '@/data/queries'
import { count, dayName, gapWords, todayIn } from '@/logic/dates'
import { useClock } from '@/logic/now'
import { useDueReminders } from '@/logic/reminder'
import { lengthWords, spanWords } from '@/logic/layout'
import { endWord, headingOf, questionsOf, startWord, takenWords, type Question } from '@/logic/today'
import AddCalendar from '@/parts/AddCalendar.vue'
import TimeAgo from '@/parts/TimeAgo.vue'
import { titleOf } from '@/logic/origin'

const now = useClock()
const conflicts = useConflicts()
const today = useToday()
const page = computed(() => today.data.value)
const done = useReminderDone()
const editFeed = useEditFeed()
/** A feed is that of the platform whose publication it shows. */
const pair = (p: Schemas['Pairing']) =>
  editFeed.mutate({ id: p.feed.id, body: { revision: p.feedRevision, platform: p.recipient.name } })
const due = useDueReminders()
watch(
  () => due.value?.length,
  (n) => {
    if (n !== undefined && page.value && n > page.value.reminders.length) void today.refetch()
  },
)
/** At midnight there is another today. */
watch(
  () => page.value && todayIn(page.value.zone, now.value),
  (date) => {
    if (date && date !== page.value?.date) void today.refetch()
  },
)
const lost = computed(() => (page.value ? takenWords(page.value.forgotten) : ''))

const open = computed(() => (conflicts.data.value ?? []).filter((c) => c.state === 'open'))
const questions = computed(() => questionsOf(open.value))
const single = computed(() => open.value.filter((c) => !questions.value.some((q) => q.conflicts.includes(c))))
const feedName = (q: Question, feed?: number) =>
  q.conflicts.flatMap((c) => c.bookings).find((b) => b.feed === feed)?.label ?? 'a feed'
const dealt = computed(() => (conflicts.data.value ?? []).filter((c) => c.state === 'acknowledged'))
const heading = computed(() => headingOf(single.value, questions.value.length))
const guests = (c: Conflict) => c.bookings.map((b) => titleOf(b)).join(' and ')

const gaps = computed(() => {
  const p = page.value
  return p ? p.missing.length + p.unpicked.length + p.bare.length : 0
})
const dayWords = ['Today', 'Tomorrow']
const most = 12 // lines of a kind; more of them are a link
const mostMoves = 25
const allDays = ref<string[]>([]) // of which everybody is shown
const moved = (d: Schemas['MovementDay']) => {
  const lines = [...d.go.map((m) => ({ ...m, goes: true })), ...d.come.map((m) => ({ ...m, goes: false }))]
  return allDays.value.includes(d.date) ? lines : lines.slice(0, mostMoves)
}
const failed = computed(() => editFeed.error.value ?? today.error.value ?? conflicts.error.value)
</script>

<template>
  <AddCalendar v-if="page?.calendars === 0" />
  <div v-else-if="page && conflicts.data.value" class="today">
    <h1 class="visually-hidden">Today</h1>

    <section :class="['answer', open.length > 0 ? 'alarm' : 'calm']" aria-label="Double bookings">
      <h2 v-if="open.length > 0">
        <router-link to="/conflicts">{{ heading }}</router-link>
      </h2>
      <h2 v-else>
        {{ page.stuck.length > 0 ? 'Nothing is known to be double booked.' : 'Nothing is double booked.' }}
      </h2>
      <ul v-if="open.length > 0">
        <li v-for="q in questions" :key="q.feeds.join()">
          <router-link :to="`/questions/${q.calendar}/${q.feeds.join('/')}`">
            <strong>{{ q.calendarName }}:</strong> {{ q.conflicts.length }} bookings are on
            {{ feedName(q, q.feeds[0]) }} and on {{ feedName(q, q.feeds[1]) }}, though Wharf sent nothing. Does one of
            the two read the other?</router-link
          >
        </li>
        <li v-for="c in single.slice(0, most)" :key="c.id">
          <router-link :to="`/conflicts/${c.id}`">
            <strong>{{ c.calendarName }}, {{ spanWords(c.start, c.end, c) }}:</strong>
            {{ guests(c) }}</router-link
          ><span v-if="c.kind === 'tentative_clash'" class="soft"> (one of them is not firm)</span>
          <span v-if="c.kind === 'unclear'" class="soft"> (one of them may be an echo)</span>
          <span v-if="c.kind === 'closed'" class="soft"> (it is closed)</span>
        </li>
        <li v-if="single.length > most">
          <router-link to="/conflicts">and {{ single.length - most }} more</router-link>
        </li>
      </ul>
      <p v-if="dealt.length > 0" class="soft">
        {{ count(dealt.length, 'more is', 'more are') }} being dealt with, by
        {{ [...new Set(dealt.map((c) => c.acknowledgedBy))].join(', ') }}.
      </p>
    </section>

    <section v-if="page.reminders.length > 0" class="answer caution" aria-label="Reminders">
      <h2>{{ count(page.reminders.length, 'reminder is', 'reminders are') }} due.</h2>
      <ul>
        <li v-for="r in page.reminders.slice(0, most)" :key="`${r.id} ${r.booking}`">
          <router-link :to="`/calendars/${r.calendar.id}`"
            ><strong>{{ titleOf(r) }}</strong></router-link
          >
          on {{ r.calendar.name }}, {{ spanWords(r.start, r.end, r) }}
          <span class="soft">({{ r.says }})</span>
          <el-button size="small" text :aria-label="`Done: ${titleOf(r)}`" @click="done.mutate(r)">Done</el-button>
        </li>
        <li v-if="page.reminders.length > most">and {{ page.reminders.length - most }} more</li>
      </ul>
    </section>

    <section v-if="page.forgotten.blocks > 0" class="answer caution" aria-label="Forgotten blocks">
      <h2>
        <router-link to="/forgotten"
          >{{ count(page.forgotten.blocks, 'block is', 'blocks are') }} forgotten: {{ lost }} lost for
          sale.</router-link
        >
      </h2>
    </section>

    <section v-if="page.waiting > 0" class="answer caution" aria-label="To be looked at">
      <h2>
        <router-link to="/review"
          >{{ count(page.waiting, 'entry waits', 'entries wait') }} to be looked at; until then
          {{ page.waiting === 1 ? 'it only blocks' : 'they only block' }}.</router-link
        >
      </h2>
    </section>

    <section v-if="page.copies.length > 0" class="answer caution" aria-label="Copies">
      <h2>{{ count(page.copies.length, 'copied booking is', 'copied bookings are') }} not as the original any more.</h2>
      <ul>
        <li v-for="c in page.copies.slice(0, most)" :key="c.hold">
          <router-link :to="`/calendars/${c.calendar.id}`"
            ><strong>{{ c.calendar.name }}: {{ titleOf(c) }}.</strong></router-link
          >
          {{ c.original.says }}
        </li>
        <li v-if="page.copies.length > most">and {{ page.copies.length - most }} more</li>
      </ul>
    </section>

    <section v-if="page.stuck.length > 0" class="answer caution" aria-label="Calendars">
      <h2>{{ count(page.stuck.length, 'calendar is', 'calendars are') }} not up to date.</h2>
      <ul>
        <li v-for="c in page.stuck" :key="c.id">
          <router-link :to="`/calendars/${c.id}`"
            ><strong>{{ c.name }}</strong></router-link
          >: {{ c.trouble.why }} It began <TimeAgo :at="c.trouble.since" /> and is tried again
          <TimeAgo :at="c.trouble.retry" />.
        </li>
      </ul>
    </section>

    <section :class="['answer', page.unfresh.length > 0 ? 'caution' : 'calm']" aria-label="Feeds">
      <h2 v-if="page.unfresh.length > 0">
        <router-link to="/feeds"
          >{{ page.unfresh.length }} of {{ count(page.feeds, 'feed', 'feeds') }}
          {{ page.unfresh.length === 1 ? 'is' : 'are' }} not fresh.</router-link
        >
      </h2>
      <h2 v-else-if="page.feeds > 0">
        <router-link to="/feeds">{{
          page.feeds === 1 ? 'The one feed is fresh.' : `All ${page.feeds} feeds are fresh.`
        }}</router-link>
      </h2>
      <h2 v-else><router-link to="/feeds">No feed is read yet: subscribe to one.</router-link></h2>
      <ul v-if="page.unfresh.length > 0">
        <li v-for="f in page.unfresh.slice(0, most)" :key="f.id">
          <router-link :to="`/feeds/${f.id}`"
            ><strong>{{ f.name }}</strong></router-link
          >
          is {{ f.unfresh.state }} since <TimeAgo :at="f.unfresh.since" />: {{ f.unfresh.why }}
        </li>
        <li v-if="page.unfresh.length > most">
          <router-link to="/feeds">and {{ page.unfresh.length - most }} more</router-link>
        </li>
      </ul>
      <p v-else-if="page.oldestReading" class="soft">
        The oldest good reading was <TimeAgo :at="page.oldestReading" />.
      </p>
    </section>

    <section v-if="page.overdue.length > 0" class="answer caution" aria-label="Overdue">
      <h2>
        <router-link to="/publications"
          >{{ count(page.overdue.length, 'recipient is', 'recipients are') }} overdue.</router-link
        >
      </h2>
      <ul>
        <li v-for="p in page.overdue.slice(0, most)" :key="p.id">
          <router-link :to="{ path: '/publications', hash: `#p${p.id}` }"
            ><strong>{{ p.platform.name }}</strong></router-link
          >
          came for {{ p.name }} every {{ gapWords(p.usual) }}, and last <TimeAgo :at="p.lastPickup" />. It can sell what
          was taken since.
        </li>
        <li v-if="page.overdue.length > most">
          <router-link to="/publications">and {{ page.overdue.length - most }} more</router-link>
        </li>
      </ul>
    </section>

    <section :class="['answer', gaps > 0 ? 'caution' : 'calm']" aria-label="Directions">
      <h2 v-if="gaps > 0">
        <router-link to="/both-ways">{{ count(gaps, 'direction is', 'directions are') }} missing.</router-link>
      </h2>
      <h2 v-else>
        <router-link to="/both-ways">Every platform is read, and gets back what the others sell.</router-link>
      </h2>
      <ul v-if="gaps > 0">
        <li v-for="c in page.bare.slice(0, most)" :key="`bare${c.id}`">
          <router-link :to="`/calendars/${c.id}`"
            ><strong>No feed counts on {{ c.name }} yet.</strong></router-link
          >
          Nothing can be seen of it.
        </li>
        <li v-for="g in page.missing.slice(0, most)" :key="`${g.calendar.id} ${g.platform.id}`">
          <template v-if="g.way === 'out'">
            <router-link to="/publications"
              ><strong>{{ g.platform.name }} does not get {{ g.calendar.name }} back.</strong></router-link
            >
            It can sell what is taken elsewhere.
          </template>
          <template v-else>
            <router-link to="/feeds"
              ><strong>Nothing is read from {{ g.platform.name }} for {{ g.calendar.name }}.</strong></router-link
            >
            What it sells is not known here.
          </template>
        </li>
        <li v-for="p in page.pairings.slice(0, most)" :key="`pair${p.feed.id}`">
          <router-link :to="`/feeds/${p.feed.id}`"
            ><strong>{{ p.feed.name }} shows what only {{ p.publication.name }} carried.</strong></router-link
          >
          Are {{ p.platform.name }} and {{ p.recipient.name }} one platform?
          <el-button size="small" :loading="editFeed.isPending.value" @click="pair(p)">They are one</el-button>
        </li>
        <li v-for="p in page.unpicked.slice(0, most)" :key="`never${p.id}`">
          <router-link to="/publications"
            ><strong>{{ p.platform.name }} never came for {{ p.name }}.</strong></router-link
          >
          Give it the link.
        </li>
        <li v-if="page.bare.length > most || page.missing.length > most || page.unpicked.length > most">
          <router-link to="/both-ways">and more of the kind</router-link>
        </li>
      </ul>
    </section>

    <div class="days">
      <section v-for="(d, i) in page.days" :key="d.date" :aria-label="dayWords[i]">
        <h2>
          {{ dayWords[i] }} <span class="soft">{{ dayName(d.date) }}</span>
        </h2>
        <p v-if="d.come.length + d.go.length === 0" class="soft">Nobody comes or goes.</p>
        <table v-else>
          <tbody>
            <tr v-for="m in moved(d)" :key="`${m.goes}${m.booking}`">
              <td class="word" :class="{ soft: m.goes }">
                {{ m.goes ? endWord(m) : startWord(m) }}
              </td>
              <td>
                <strong>{{ titleOf(m) }}</strong><span v-if="m.tentative && !m.goes" class="soft"> (tentative)</span>
              </td>
              <td>
                <router-link :to="`/calendars/${m.calendar.id}`">{{ m.calendar.name }}</router-link>
              </td>
              <td class="soft n">{{ lengthWords(m.start, m.end, m) }}</td>
            </tr>
          </tbody>
        </table>
        <el-button
          v-if="!allDays.includes(d.date) && d.come.length + d.go.length > mostMoves"
          size="small"
          text
          @click="allDays.push(d.date)"
          >All {{ d.come.length + d.go.length }}</el-button
        >
      </section>
    </div>
  </div>
  <p v-else-if="failed" role="alert">{{ failed.message }}</p>
</template>

<style scoped>
.today {
  display: grid;
  gap: 1rem;
}
.answer {
  border-left: 4px solid var(--line);
  padding: 0.5rem 0 0.5rem 1rem;
  display: grid;
  gap: 0.3rem;
}
.answer h2 {
  font-size: var(--size-title);
}
.answer h2 a {
  color: inherit;
  text-decoration: none;
}
.answer h2 a:hover {
  text-decoration: underline;
}
.answer ul {
  margin: 0;
  padding: 0;
  list-style: none;
  display: grid;
  gap: 0.25rem;
}
.answer li a {
  color: inherit;
}
.alarm {
  border-color: var(--alarm);
  background: var(--alarm-soft);
}
.alarm h2 {
  color: var(--alarm);
}
.caution {
  border-color: var(--caution);
}
.calm {
  border-color: var(--calm);
}
.calm h2 {
  font-size: var(--size-lead);
  font-weight: 500;
}
.days {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 30rem), 1fr));
  gap: 1rem 3rem;
  margin-top: 0.5rem;
}
.days h2 {
  border-bottom: 1px solid var(--line);
  padding-bottom: 0.25rem;
}
.days h2 .soft {
  font-weight: 400;
}
table {
  border-collapse: collapse;
  width: 100%;
}
td {
  padding: 0.3rem 0.8rem 0.3rem 0;
  border-bottom: 1px solid var(--line);
  vertical-align: baseline;
}
.word {
  white-space: nowrap;
}
.n {
  text-align: right;
  padding-right: 0;
  white-space: nowrap;
}
</style>
