<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Color, Schemas } from '@/data/api'
import {
  removals,
  useCalendars,
  useEditFeed,
  useFeeds,
  usePlatforms,
  useReadFeed,
  useTryFeedEdit,
  useTryFile,
} from '@/data/queries'
import { useCareful } from '@/logic/careful'
import { count } from '@/logic/dates'
import { sent, type FeedFile } from '@/logic/files'
import { useProblems } from '@/logic/form'
import { useRemoval } from '@/logic/removal'
import { isolated } from '@/logic/origin'
import { readingWords, scheduleOf, scheduleWords, whenOf, type When } from '@/logic/words'
import ColorSelect from '@/parts/ColorSelect.vue'
import EffectDialog from '@/parts/EffectDialog.vue'
import FileChoice from '@/parts/FileChoice.vue'
import FeedReadings from '@/parts/FeedReadings.vue'
import FeedTag from '@/parts/FeedTag.vue'
import HeldNotice from '@/parts/HeldNotice.vue'
import ScheduleFields from '@/parts/ScheduleFields.vue'
import AdoptDialog from '@/parts/AdoptDialog.vue'
import LossDialog from '@/parts/LossDialog.vue'
import StateWord from '@/parts/StateWord.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const route = useRoute()
const router = useRouter()
const id = computed(() => Number(route.params.id))
const feeds = useFeeds()
const calendars = useCalendars()
const platforms = usePlatforms()
const feed = computed(() => feeds.data.value?.find((f) => f.id === id.value))
const read = useReadFeed()
const edit = useEditFeed()
const problems = useProblems()
const removal = useRemoval(() => void router.push('/feeds'))
const counts = computed(() =>
  (calendars.data.value ?? []).flatMap((c) =>
    c.links.filter((l) => l.feed === id.value).map((link) => ({ calendar: c, link })),
  ),
)

const editing = ref(false)
const form = ref({
  revision: 0,
  name: '',
  platform: '',
  color: 'teal' as Color,
  when: null as When | null,
  url: '',
  categories: '',
  entryClass: '' as NonNullable<Schemas['EntryClass']>,
})
function begin() {
  if (!feed.value) return
  const f = feed.value
  problems.clear()
  form.value = {
    revision: f.revision,
    name: f.name,
    platform: f.platform.name,
    color: f.color,
    when: f.uploaded ? null : whenOf(f),
    url: '',
    categories: f.categories.join(', '),
    entryClass: f.class,
  }
  editing.value = true
}
watch(id, () => {
  editing.value = false
})

const pausing = useEditFeed()
function pause() {
  if (!feed.value) return
  const { id, revision, state } = feed.value
  pausing.mutate({ id, body: { revision, paused: state !== 'paused' } })
}

const look = useTryFeedEdit()
const careful = useCareful()
/** Changes it, once it is agreed what that opens. */
const change = (what: string, body: Schemas['FeedEdit'], then: () => void = () => undefined) =>
  problems.attempt(() =>
    careful.attempt(
      what,
      () => look.mutateAsync({ id: id.value, body }),
      async () => {
        await edit.mutateAsync({ id: id.value, body })
        then()
      },
    ),
  )

const save = () => {
  const { revision, name, platform, color, when, url, categories, entryClass } = form.value
  const body: Schemas['FeedEdit'] = {
    revision,
    name,
    platform,
    color,
    ...(when ? scheduleOf(when) : {}),
    categories: categories.split(',').flatMap((c) => c.trim() || []),
    class: entryClass,
  }
  const done = () => (editing.value = false)
  if (url.trim()) return change('Another link', { ...body, url: url.trim() }, done)
  return problems.attempt(async () => {
    await edit.mutateAsync({ id: id.value, body })
    done()
  })
}

/** The archive of which one calendar is to be chosen. */
const archive = ref<{ file: FeedFile; names: string[] } | null>(null)
async function replace(file: FeedFile) {
  archive.value = null
  const revision = feed.value?.revision ?? 0
  await problems.attempt(async () => {
    const [trial] = await tryFile.mutateAsync(file)
    if (trial?.offers.length) archive.value = { file, names: trial.offers.map((o) => o.name) }
    else if (trial?.problem) throw new Error(trial.problem.charAt(0).toUpperCase() + trial.problem.slice(1))
    else await change('A newer file', { revision, file })
  })
}
const tryFile = useTryFile()
const chosen = async ([file]: File[]) => file && replace(await sent(file))

const adopting = ref(false)

/** It is not read any more, and what it shows stays. */
async function snapshot() {
  removal.asking.value = null
  await problems.attempt(() =>
    edit.mutateAsync({ id: id.value, body: { revision: feed.value?.revision ?? 0, snapshot: true } }),
  )
}
</script>

<template>
  <div v-if="feed" class="page">
    <p class="soft"><router-link to="/feeds">Feeds</router-link></p>
    <div class="head">
      <h1><FeedTag :color="feed.color" :label="feed.name" /></h1>
      <div class="act">
        <FileChoice v-if="feed.uploaded" label="Upload a newer file" @chosen="chosen" />
        <el-button v-else :loading="read.isPending.value" @click="read.mutate({ id: feed.id })">Read now</el-button>
        <el-button @click="begin">Change</el-button>
        <el-button v-if="!feed.uploaded" :loading="pausing.isPending.value" @click="pause">{{
          feed.state === 'paused' ? 'Resume' : 'Pause'
        }}</el-button>
        <el-button v-if="feed.calendars.length > 0" @click="adopting = true">Copy its bookings</el-button>
        <el-button text type="danger" @click="removal.remove(feed.name, removals.feed(feed.id))">Remove</el-button>
      </div>
    </div>
    <p v-if="removal.error.value || read.error.value" role="alert">
      {{ removal.error.value || read.error.value?.message }}
    </p>
    <p class="standing">
      <StateWord :state="feed.state" /> since <TimeAgo :at="feed.since" />. Last good reading
      <TimeAgo :at="feed.lastGood" />, with {{ count(feed.entries, 'entry', 'entries') }};
      <template v-if="feed.uploaded">it stays as it is until a newer file replaces it</template
      ><template v-else-if="feed.nextDue">next <TimeAgo :at="feed.nextDue" />, {{ scheduleWords(feed) }}</template
      ><template v-else>not read again, {{ scheduleWords(feed) }}</template
      >.
    </p>
    <p class="soft">
      <router-link :to="`/platforms/${feed.platform.id}`">{{ feed.platform.name }}</router-link> · {{ feed.address }}
    </p>
    <p v-if="feed.categories.length > 0 || feed.class" class="soft">
      All it brings in:
      {{ [...feed.categories, ...(feed.class ? [`${feed.class}, where it says nothing itself`] : [])].join(', ') }}.
    </p>
    <p v-if="!editing && problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
    <div v-if="archive" class="note">
      <p>There are several calendars in {{ archive.file.name }}. Which is it?</p>
      <div class="act">
        <el-button
          v-for="name in archive.names"
          :key="name"
          size="small"
          @click="replace({ ...archive.file, inside: name })"
          >{{ isolated(name) }}</el-button
        >
      </div>
    </div>
    <p v-if="feed.lastReading?.outcome === 'failed'" class="note alarm">
      {{ readingWords(feed.lastReading) }}. What is shown of it stays as it was.
    </p>

    <p v-if="feed.state === 'paused'" class="note">
      It is not read until you resume it. What was read last stays as it is, here and on every platform.
    </p>
    <HeldNotice :feed="feed" />

    <el-form v-if="editing" label-position="top" class="form" novalidate @submit.prevent="save">
      <el-form-item label="Name" :error="problems.of('name')"><el-input v-model="form.name" /></el-form-item>
      <el-form-item label="Platform" :error="problems.of('platform')">
        <el-input v-model="form.platform" list="platforms" />
        <datalist id="platforms">
          <option v-for="p in platforms.data.value ?? []" :key="p.id" :value="p.name" />
        </datalist>
      </el-form-item>
      <el-form-item label="Colour" :error="problems.of('color')"><ColorSelect v-model="form.color" /></el-form-item>
      <ScheduleFields v-model="form.when" :error="problems.of('every') || problems.of('schedule')" />
      <el-form-item label="Categories that all of it has" :error="problems.of('categories')">
        <el-input v-model="form.categories" placeholder="none; separated by commas" />
      </el-form-item>
      <el-form-item label="Who may see what says nothing of it itself" :error="problems.of('class')">
        <el-radio-group v-model="form.entryClass">
          <el-radio value="">it is not said</el-radio>
          <el-radio value="public">everybody</el-radio>
          <el-radio value="private">the times only</el-radio>
          <el-radio value="confidential">confidential</el-radio>
        </el-radio-group>
      </el-form-item>
      <el-form-item :label="feed.uploaded ? 'A link instead of the file' : 'New link'" :error="problems.of('url')">
        <el-input v-model="form.url" placeholder="leave empty to keep it as it is" />
        <p class="soft small">It is read before anything is changed, and you see what that opens.</p>
      </el-form-item>
      <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      <div class="act">
        <el-button type="primary" native-type="submit" :loading="edit.isPending.value || look.isPending.value"
          >Save</el-button
        >
        <el-button v-if="problems.stale.value" @click="begin">Show it as it is now</el-button>
        <el-button text @click="editing = false">Not now</el-button>
      </div>
    </el-form>

    <section>
      <h2>Counts on</h2>
      <ul v-if="counts.length > 0">
        <li v-for="{ calendar, link } in counts" :key="calendar.id">
          <router-link :to="`/calendars/${calendar.id}`">{{ calendar.name }}</router-link>, where it
          {{ link.role === 'blocks' ? 'blocks' : 'is only shown'
          }}<template v-if="link.units > 1">, {{ link.units }} units each</template>
        </li>
      </ul>
      <p v-else class="note">
        It counts on no calendar: what it holds is read and not shown. Put it on one on the calendar’s page.
      </p>
    </section>
    <section v-if="feed.remarks.length > 0">
      <h2>{{ count(feed.remarks.length, 'remark', 'remarks') }} on what it holds</h2>
      <ul>
        <li v-for="r in feed.remarks" :key="r">{{ isolated(r) }}</li>
      </ul>
    </section>
    <section>
      <h2>Readings</h2>
      <p class="soft small">
        {{ count(feed.readings, 'reading', 'readings') }} so far; runs of the same outcome are one line.
      </p>
      <FeedReadings :feed="feed.id" class="readings" />
    </section>
    <LossDialog :asking="removal.asking.value" @agree="removal.agree" @close="removal.leave">
      <p v-if="!feed.uploaded">
        Or keep what it showed last: it is then not read any more, its link is forgotten, and its bookings stay.
        <el-button size="small" @click="snapshot">Keep its bookings</el-button>
      </p>
      <p>
        Or remove it, and what it has to come stays as if you had entered it by hand.
        <el-button size="small" @click="removal.remove(feed.name, removals.keepingFeed(feed.id))"
          >Keep them as holds</el-button
        >
      </p>
    </LossDialog>
    <AdoptDialog v-model="adopting" :feed="feed" :calendars="calendars.data.value ?? []" />
    <EffectDialog
      :asking="careful.asking.value"
      :busy="edit.isPending.value"
      @agree="problems.attempt(careful.agree)"
      @leave="careful.leave"
    />
  </div>
  <p v-else-if="feeds.data.value">
    There is no such feed: it may have been removed. <router-link to="/feeds">All feeds</router-link>
  </p>
  <p v-else-if="feeds.error.value" role="alert">{{ feeds.error.value.message }}</p>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.9rem;
  max-width: 60rem;
}
.head {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 0.5rem 1rem;
}
.standing {
  font-size: var(--size-lead);
}
.form {
  border: 1px solid var(--line);
  background: var(--paper-raised);
  padding: 1rem;
  max-width: 34rem;
}
.note {
  border-left: 4px solid var(--caution);
  background: var(--caution-soft);
  padding: 0.4rem 0.9rem;
}
.note.alarm {
  border-color: var(--alarm);
  background: var(--alarm-soft);
}
.failed {
  color: var(--alarm);
  margin-bottom: 0.6rem;
}
ul {
  margin: 0.3rem 0 0;
  padding-left: 1.1rem;
}
</style>
