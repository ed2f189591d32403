<script setup lang="ts">
import { useClipboard } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Publication } from '@/data/api'
import { removals, useAddPublication, useCalendars, usePublications, useToday } from '@/data/queries'
import { count, gapWords } from '@/logic/dates'
import { useProblems } from '@/logic/form'
import { hasWords, useMore } from '@/logic/more'
import { contentWords } from '@/logic/publication'
import { useRemoval } from '@/logic/removal'
import LinkShare from '@/parts/LinkShare.vue'
import LinkLosses from '@/parts/LinkLosses.vue'
import PublicationForm from '@/parts/PublicationForm.vue'
import PublicationPickups from '@/parts/PublicationPickups.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const publications = usePublications()
const calendars = useCalendars()
const today = useToday()
const add = useAddPublication()
const problems = useProblems()
const { copy } = useClipboard({ legacy: true })
const copied = ref<number>()

const known = computed(() => new Map((calendars.data.value ?? []).map((c) => [c.id, c])))
const name = (calendar: number) => known.value.get(calendar)?.name ?? ''
const search = ref('')
const found = computed(() =>
  (publications.data.value ?? []).filter((p) =>
    hasWords(`${p.name} ${p.platform.name} ${name(p.calendar)}`, search.value),
  ),
)
/** One that a link leads to is shown wherever it is in the list. */
const route = useRoute()
const aim = computed(() => Number(/^#p(\d+)$/.exec(route.hash)?.[1]))
const ordered = computed(() => [...found.value].sort((a, b) => Number(b.id === aim.value) - Number(a.id === aim.value)))
const { shown, left, more } = useMore(ordered, 40)
const mostMissing = 12

/** Platforms that we read for a calendar but that get nothing back. */
const missing = computed(() => (today.data.value?.missing ?? []).filter((m) => m.way === 'out'))

const removal = useRemoval()
const renewal = useRemoval()
const open = ref<number>()
/** The one that is being changed, or a new one. */
const changed = ref<Publication>()
const changing = ref(false)
function change(p?: Publication) {
  changed.value = p
  changing.value = true
}
const sharedId = ref<number>()
const shared = computed(() => publications.data.value?.find((p) => p.id === sharedId.value))
const sharing = ref(false)
function share(p: Publication) {
  sharedId.value = p.id
  sharing.value = true
}

const publish = (calendar: number, platform: string) =>
  problems.attempt(() => add.mutateAsync({ calendar, platform, name: `${name(calendar)}, for ${platform}` }))

async function copyLink(p: Publication) {
  await copy(p.url)
  copied.value = p.id
}
</script>

<template>
  <div class="head">
    <h1>Give back</h1>
    <el-button @click="change()">Give a calendar to somebody</el-button>
  </div>
  <p class="soft lead">
    Each platform gets a link of its own. Have the platform import it: it then blocks what the others have sold, and
    never its own bookings.
  </p>
  <p v-for="m in missing.slice(0, mostMissing)" :key="`${m.calendar.id} ${m.platform.id}`" class="caution">
    {{ m.platform.name }} does not get {{ m.calendar.name }} back, so it can sell what is taken elsewhere.
    <el-button size="small" type="primary" @click="publish(m.calendar.id, m.platform.name)">Make its link</el-button>
  </p>
  <p v-if="missing.length > mostMissing" class="caution">
    {{ missing.length - mostMissing }} more directions are missing:
    <router-link to="/both-ways">look at them</router-link>.
  </p>
  <el-input
    v-if="(publications.data.value?.length ?? 0) > 12"
    v-model="search"
    clearable
    class="look"
    placeholder="Name, platform or calendar"
    aria-label="Look for publications"
  />
  <p v-if="problems.all.value || removal.error.value || renewal.error.value" role="alert" class="failed">
    {{ problems.all.value || removal.error.value || renewal.error.value }}
  </p>
  <p v-if="publications.data.value?.length === 0 && missing.length === 0">
    Nothing to give back yet: <router-link to="/feeds">subscribe to a feed</router-link> first.
  </p>
  <ul class="list lines">
    <li v-for="p in shown" :id="`p${p.id}`" :key="p.id">
      <div>
        <h2>
          <router-link :to="`/publications/${p.id}`">{{ p.platform.name }}</router-link>
        </h2>
        <p class="soft small">
          {{ p.name }} · {{ name(p.calendar) }}, {{ contentWords(p.content, known.get(p.calendar)?.capacity ?? 1) }}
        </p>
        <p v-if="p.user || p.expires" class="soft small">
          <template v-if="p.user">It asks for {{ p.user }} and a password. </template>
          <template v-if="p.expires">The link ends <TimeAgo :at="p.expires" />.</template>
        </p>
      </div>
      <p>
        {{ count(p.items, 'booking', 'bookings') }}, version {{ p.version }}
        <span class="soft small">since <TimeAgo :at="p.versionAt" /></span>
      </p>
      <p v-if="p.lastPickup" :class="{ behind: p.lastPickupVersion !== p.version }">
        Picked up <TimeAgo :at="p.lastPickup" /><template v-if="p.lastPickupVersion !== p.version"
          >, but version {{ p.lastPickupVersion }}</template
        >
        {{ ' ' }}<span class="soft small">{{ count(p.pickups, 'time', 'times') }}</span>
        <span v-if="p.pickupState === 'overdue' && p.usualGap" class="behind">
          Overdue: it usually comes every {{ gapWords(p.usualGap) }}.</span
        ><span v-else-if="p.usualGap && p.longGap" class="soft small">
          · every {{ gapWords(p.usualGap) }}, 95 of 100 within {{ gapWords(p.longGap) }}</span
        >
      </p>
      <p v-else class="behind">
        Never picked up:
        {{ p.platform.person ? `give ${p.platform.name} the link` : `paste the link into ${p.platform.name}` }}.
      </p>
      <div class="act">
        <el-button size="small" type="primary" plain @click="copyLink(p)">{{
          copied === p.id ? 'Copied' : 'Copy link'
        }}</el-button>
        <el-button size="small" text @click="share(p)">Share</el-button>
        <el-button size="small" text :aria-expanded="open === p.id" @click="open = open === p.id ? undefined : p.id"
          >Pickups</el-button
        >
        <el-button size="small" text @click="change(p)">Change</el-button>
        <el-button size="small" text @click="renewal.remove(p.name, removals.secret(p.id))">New link</el-button>
        <el-button size="small" text type="danger" @click="removal.remove(p.name, removals.publication(p.id))"
          >Revoke</el-button
        >
      </div>
      <PublicationPickups v-if="open === p.id" :publication="p.id" class="pickups" />
    </li>
  </ul>
  <el-button v-if="left > 0" @click="more">Show more ({{ left }})</el-button>
  <PublicationForm v-model="changing" :publication="changed" />
  <LinkShare v-if="shared" v-model="sharing" :publication="shared" />
  <LinkLosses :removal="removal" :renewal="renewal" />
</template>

<style scoped>
.look {
  max-width: 24rem;
  margin: 0.6rem 0;
}
.lead {
  max-width: 46rem;
  margin: 0.3rem 0 1rem;
}
.caution {
  border-left: 4px solid var(--caution);
  background: var(--caution-soft);
  padding: 0.5rem 0.9rem;
  margin-bottom: 0.6rem;
}
.list > li {
  grid-template-columns: 1.4fr 1fr 1.2fr auto;
}
li:target {
  background: var(--paper-raised);
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  justify-content: space-between;
  gap: 0.5rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
.pickups {
  grid-column: 1 / -1;
}
.failed {
  color: var(--alarm);
}
.behind {
  color: var(--caution);
}
</style>
