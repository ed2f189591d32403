<script setup lang="ts">
// A publication: how it is picked up, what its recipient sees, and what of that it shows.
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schemas } from '@/data/api'
import {
  comparePublication,
  removals,
  useCalendars,
  useFeeds,
  usePickupDays,
  usePreview,
  usePublications,
} from '@/data/queries'
import { addDays, count, gapWords, shortDay } from '@/logic/dates'
import { sent } from '@/logic/files'
import { useProblems } from '@/logic/form'
import { spanWords } from '@/logic/layout'
import { useMore } from '@/logic/more'
import { isolated } from '@/logic/origin'
import { contentWords, daysOf } from '@/logic/publication'
import { useRemoval } from '@/logic/removal'
import { bytesWords } from '@/logic/words'
import FileChoice from '@/parts/FileChoice.vue'
import LinkShare from '@/parts/LinkShare.vue'
import LinkLosses from '@/parts/LinkLosses.vue'
import PublicationForm from '@/parts/PublicationForm.vue'
import PublicationPickups from '@/parts/PublicationPickups.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const route = useRoute()
const router = useRouter()
const id = computed(() => Number(route.params.id))
const publications = usePublications()
const calendars = useCalendars()
const feeds = useFeeds()
const p = computed(() => publications.data.value?.find((x) => x.id === id.value))
const calendar = computed(() => calendars.data.value?.find((c) => c.id === p.value?.calendar))
const preview = usePreview(id)
const events = computed(() => preview.data.value?.events ?? [])
const { shown, left, more } = useMore(events, 20)
const when = (s: { start: string; end: string }) => (calendar.value ? spanWords(s.start, s.end, calendar.value) : '')
const shownAs = (e: Schemas['ShownEvent']) =>
  e.status === 'cancelled' ? 'called off' : e.free ? 'free' : e.status === 'tentative' ? 'tentative' : 'taken'

const pickupDays = usePickupDays(id)
const today = new Date().toISOString().slice(0, 10)
const strip = computed(() => daysOf(pickupDays.data.value ?? [], addDays(today, -59), today))
const dayWords = (d: { day: string; times?: number }) =>
  d.times === undefined
    ? `${shortDay(d.day)}: before the first pickup`
    : `${shortDay(d.day)}: ${d.times === 0 ? 'nobody came' : count(d.times, 'pickup', 'pickups')}`
const came = (times?: number) => (times === undefined ? 'before' : times === 0 ? 'none' : times < 10 ? 'some' : 'many')

const changing = ref(false)
const sharing = ref(false)
const removal = useRemoval(() => void router.push('/publications'))
const renewal = useRemoval()

const own = computed(() =>
  (feeds.data.value ?? []).filter(
    (f) => f.platform.id === p.value?.platform.id && f.calendars.includes(p.value.calendar),
  ),
)
const link = ref('')
const problems = useProblems()
const busy = ref(false)
const comparison = ref<Schemas['Comparison']>()
async function compare(what: Schemas['ComparisonRequest']) {
  busy.value = true
  comparison.value = undefined
  await problems.attempt(async () => (comparison.value = await comparePublication(id.value, what)))
  busy.value = false
}
async function compareFile(files: File[]) {
  const file = files[0]
  if (file) await compare({ file: await sent(file) })
}
</script>

<template>
  <p v-if="publications.isSuccess.value && !p">
    There is no such link: it may have been revoked. <router-link to="/publications">Give back</router-link>
  </p>
  <template v-if="p">
    <h1>{{ p.name }}</h1>
    <p class="soft">
      For
      <router-link v-if="!p.platform.person" :to="`/platforms/${p.platform.id}`">{{
        p.platform.name
      }}</router-link><template v-else>{{ p.platform.name }}</template> ·
      <router-link :to="`/calendars/${p.calendar}`">{{ calendar?.name }}</router-link>,
      {{ contentWords(p.content, calendar?.capacity ?? 1) }}
    </p>
    <div class="act">
      <el-button type="primary" plain @click="sharing = true">Share</el-button>
      <el-button @click="changing = true">Change</el-button>
      <el-button text @click="renewal.remove(p.name, removals.secret(p.id))">New link</el-button>
      <el-button text type="danger" @click="removal.remove(p.name, removals.publication(p.id))">Revoke</el-button>
    </div>

    <section>
      <h2>How it is picked up</h2>
      <p v-if="!p.lastPickup" class="behind">
        Never picked up:
        {{ p.platform.person ? `give ${p.platform.name} the link` : `paste the link into ${p.platform.name}` }}.
      </p>
      <p v-else>
        <span v-if="p.pickupState === 'overdue'" class="behind">Overdue. </span>Last <TimeAgo :at="p.lastPickup" />,
        {{ count(p.pickups, 'time', 'times') }} so far<template v-if="p.usualGap && p.longGap"
          >: usually every {{ gapWords(p.usualGap) }}, 95 of 100 within {{ gapWords(p.longGap) }}</template
        >.
        <span v-if="p.lastPickupVersion === p.version">It has the newest version.</span>
        <span v-else class="behind">It has version {{ p.lastPickupVersion }}, and the newest is {{ p.version }}.</span>
      </p>
      <ol class="strip" aria-label="The last 60 days, the oldest first">
        <li v-for="d in strip" :key="d.day" :class="came(d.times)" :title="dayWords(d)">
          <span class="visually-hidden">{{ dayWords(d) }}</span>
        </li>
      </ol>
      <p class="soft small key">
        <span class="none" /> nobody came <span class="some" /> came <span class="many" /> ten times or more, of 60 days
      </p>
      <details>
        <summary>Each version</summary>
        <PublicationPickups :publication="p.id" />
      </details>
    </section>

    <section>
      <h2>What {{ p.platform.name }} sees</h2>
      <p class="soft">
        {{ count(events.length, 'event', 'events') }}, {{ bytesWords(preview.data.value?.bytes) }}, version
        {{ p.version }} since <TimeAgo :at="p.versionAt" />.
      </p>
      <div class="table-scroll" role="region" aria-label="What is seen" tabindex="0">
        <table v-if="events.length > 0" class="records">
          <thead>
            <tr>
              <th>When</th>
              <th>Shown as</th>
              <th>Title</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(e, i) in shown" :key="i">
              <td>{{ when(e) }}</td>
              <td>{{ shownAs(e) }}</td>
              <td>{{ isolated(e.title) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <el-button v-if="left > 0" @click="more">Show more ({{ left }})</el-button>
    </section>

    <section>
      <h2>Does it show what it was sent?</h2>
      <p class="soft">From today on. Nothing is kept of what is read for this.</p>
      <form class="compare" @submit.prevent="compare({ url: link })">
        <el-button v-for="f in own" :key="f.id" :loading="busy" @click="compare({ feed: f.id })"
          >Hold it against {{ f.name }}</el-button
        >
        <el-input v-model="link" placeholder="or a link of theirs" aria-label="A link of theirs" />
        <el-button native-type="submit" :disabled="link === ''" :loading="busy">Compare</el-button>
        <FileChoice label="or a file of theirs" @chosen="compareFile" />
      </form>
      <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
      <div v-if="comparison" role="status" class="comparison">
        <p>
          It was sent {{ count(comparison.sent, 'event', 'events') }} and shows
          {{ count(comparison.shown, 'event', 'events') }}.
        </p>
        <p v-if="comparison.unshown.length === 0" class="calm">All that it was sent is taken there.</p>
        <template v-else>
          <p class="behind">It was sent this and does not show it, so it can sell it:</p>
          <ul>
            <li v-for="(s, i) in comparison.unshown.slice(0, 50)" :key="i">{{ when(s) }} · {{ isolated(s.title) }}</li>
            <li v-if="comparison.unshown.length > 50">and {{ comparison.unshown.length - 50 }} more</li>
          </ul>
        </template>
        <p v-if="comparison.unsent.length === 0">It shows nothing else.</p>
        <template v-else>
          <p>It shows this and was not sent it: its own sales, or what it has from elsewhere.</p>
          <ul>
            <li v-for="(s, i) in comparison.unsent.slice(0, 50)" :key="i">{{ when(s) }} · {{ isolated(s.title) }}</li>
            <li v-if="comparison.unsent.length > 50">and {{ comparison.unsent.length - 50 }} more</li>
          </ul>
        </template>
      </div>
    </section>

    <PublicationForm v-model="changing" :publication="p" />
    <LinkShare v-model="sharing" :publication="p" />
    <LinkLosses :removal="removal" :renewal="renewal" />
  </template>
</template>

<style scoped>
section {
  margin-top: 1.6rem;
}
.act,
.compare {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.4rem;
  margin: 0.6rem 0;
}
.act .el-button + .el-button,
.compare .el-button + .el-button {
  margin-left: 0;
}
.compare .el-input {
  width: min(20rem, 100%);
}
.strip {
  list-style: none;
  display: flex;
  gap: 1px;
  max-width: 46rem;
  height: 1.6rem;
  margin: 0.4rem 0;
  padding: 0;
}
.strip li {
  flex: 1;
}
.key span {
  display: inline-block;
  width: 0.9rem;
  height: 0.7rem;
  margin-left: 0.6rem;
}
.before {
  border-bottom: 1px solid var(--line);
}
.none {
  background: repeating-linear-gradient(135deg, var(--caution) 0 2px, var(--caution-soft) 2px 6px);
}
.some {
  background: color-mix(in srgb, var(--water) 45%, var(--paper));
}
.many {
  background: var(--water);
}
.behind {
  color: var(--caution);
}
.calm {
  color: var(--calm);
}
.failed {
  color: var(--alarm);
}
summary {
  cursor: pointer;
}
</style>
