<script setup lang="ts">
import { useClipboard } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Publication } from '@/data/api'
import {
  removals,
  tryPublicationEdit,
  useAddPublication,
  useCalendars,
  useEditPublication,
  usePublications,
  useToday,
} from '@/data/queries'
import { count, gapWords } from '@/logic/dates'
import { useCareful } from '@/logic/careful'
import { useProblems } from '@/logic/form'
import { hasWords, useMore } from '@/logic/more'
import { useRemoval } from '@/logic/removal'
import EffectDialog from '@/parts/EffectDialog.vue'
import LossDialog from '@/parts/LossDialog.vue'
import PublicationPickups from '@/parts/PublicationPickups.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const publications = usePublications()
const calendars = useCalendars()
const today = useToday()
const add = useAddPublication()
const problems = useProblems()
const { copy } = useClipboard({ legacy: true })
const copied = ref<number>()

const names = computed(() => new Map((calendars.data.value ?? []).map((c) => [c.id, c.name])))
const name = (calendar: number) => names.value.get(calendar) ?? ''
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

const edit = useEditPublication()
const removal = useRemoval()
const renewal = useRemoval()
const open = ref<number>()
const renaming = ref<Publication>()
const draft = ref({ name: '', title: '', tentative: 'tentative' as Publication['tentative'] })
const tentatives = { tentative: 'as tentative', firm: 'as firm', ignore: 'not at all' } as const
function change(p: Publication) {
  renaming.value = p
  draft.value = { name: p.name, title: p.title, tentative: p.tentative }
}
const careful = useCareful()
async function save() {
  const p = renaming.value
  if (!p) return
  const body = { revision: p.revision, ...draft.value }
  await problems.attempt(() =>
    careful.attempt(
      `Change ${p.name}?`,
      () => tryPublicationEdit(p.id, body),
      async () => {
        await edit.mutateAsync({ id: p.id, body })
        renaming.value = undefined
      },
    ),
  )
}

const publish = (calendar: number, platform: string) =>
  problems.attempt(() => add.mutateAsync({ calendar, platform, name: `${name(calendar)}, for ${platform}` }))

async function copyLink(p: Publication) {
  await copy(p.url)
  copied.value = p.id
}
</script>

<template>
  <h1>Give back</h1>
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
        <h2>{{ p.platform.name }}</h2>
        <p class="soft small">
          {{ p.name }} · {{ name(p.calendar) }}, times only<template v-if="p.tentative !== 'tentative'"
            >, what is tentative {{ tentatives[p.tentative] }}</template
          >
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
      <p v-else class="behind">Never picked up: paste the link into {{ p.platform.name }}.</p>
      <div class="act">
        <el-button size="small" type="primary" plain @click="copyLink(p)">{{
          copied === p.id ? 'Copied' : 'Copy link'
        }}</el-button>
        <el-button size="small" text :aria-expanded="open === p.id" @click="open = open === p.id ? undefined : p.id"
          >Pickups</el-button
        >
        <el-button size="small" text @click="change(p)">Change</el-button>
        <el-button size="small" text @click="renewal.remove(p.name, removals.secret(p.id))">New link</el-button>
        <el-button size="small" text type="danger" @click="removal.remove(p.name, removals.publication(p.id))"
          >Revoke</el-button
        >
      </div>
      <form v-if="renaming?.id === p.id" class="rename" @submit.prevent="save">
        <label>Its name<el-input v-model="draft.name" maxlength="200" /></label>
        <label>Title of what is taken<el-input v-model="draft.title" maxlength="200" /></label>
        <label
          >What is tentative goes out
          <el-select v-model="draft.tentative" aria-label="What is tentative goes out">
            <el-option v-for="(word, rule) in tentatives" :key="rule" :value="rule" :label="word" />
          </el-select>
        </label>
        <div class="act">
          <el-button type="primary" native-type="submit" :loading="edit.isPending.value">Save</el-button>
          <el-button text @click="renaming = undefined">Not now</el-button>
        </div>
      </form>
      <PublicationPickups v-if="open === p.id" :publication="p.id" class="pickups" />
    </li>
  </ul>
  <el-button v-if="left > 0" @click="more">Show more ({{ left }})</el-button>
  <EffectDialog
    :asking="careful.asking.value"
    :busy="edit.isPending.value"
    @agree="problems.attempt(careful.agree)"
    @leave="careful.leave"
  />
  <LossDialog :asking="removal.asking.value" @agree="removal.agree" @close="removal.asking.value = null" />
  <LossDialog
    :asking="renewal.asking.value"
    verb="Make a new link for"
    agree="Make a new link"
    leave="Keep the old one"
    @agree="renewal.agree"
    @close="renewal.asking.value = null"
  />
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
.act,
.rename {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem;
}
.act .el-button + .el-button {
  margin-left: 0;
}
.rename,
.pickups {
  grid-column: 1 / -1;
}
.rename {
  gap: 0.6rem 1rem;
  align-items: end;
}
.rename label {
  display: grid;
  gap: 0.2rem;
  width: min(16rem, 100%);
}
.failed {
  color: var(--alarm);
}
.behind {
  color: var(--caution);
}
</style>
