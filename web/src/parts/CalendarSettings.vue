<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Calendar, Schemas } from '@/data/api'
import { removals, useAddLink, useEditCalendar, useEditLink, useFeeds, useGroups, useTryLinkEdit } from '@/data/queries'
import { useCareful } from '@/logic/careful'
import { useProblems } from '@/logic/form'
import { useRemoval } from '@/logic/removal'
import EffectDialog from './EffectDialog.vue'
import FeedTag from './FeedTag.vue'
import FilterField from './FilterField.vue'
import LossDialog from './LossDialog.vue'

const props = defineProps<{ calendar: Calendar; modelValue: boolean }>()
const emit = defineEmits<{ 'update:modelValue': [open: boolean] }>()
const open = computed({ get: () => props.modelValue, set: (value) => emit('update:modelValue', value) })

const router = useRouter()
const feeds = useFeeds()
const edit = useEditCalendar()
const editLink = useEditLink()
const addLink = useAddLink()
const problems = useProblems()
const linkProblems = useProblems()
const removal = useRemoval()
const goodbye = useRemoval(() => void router.push('/board'))

const groups = useGroups()
const form = ref({ revision: 0, name: '', zone: '', capacity: 1, group: '' })
function begin() {
  const { revision, name, zone, capacity } = props.calendar
  const group = groups.data.value?.find((g) => g.id === props.calendar.group)?.name ?? ''
  problems.clear()
  linkProblems.clear()
  form.value = { revision, name, zone, capacity, group }
}
watch(open, (now) => now && begin(), { immediate: true })

async function save() {
  const done = await problems.attempt(async () => {
    const saved = await edit.mutateAsync({ id: props.calendar.id, body: form.value })
    form.value.revision = saved.revision
  })
  if (done) open.value = false
}

const look = useTryLinkEdit()
const careful = useCareful()
const change = (link: Schemas['Link'], what: Omit<Schemas['LinkEdit'], 'revision'>) => {
  const edit = { id: props.calendar.id, feed: link.feed, body: { revision: link.revision, ...what } }
  return linkProblems.attempt(() =>
    careful.attempt(
      `${name(link.feed)} on ${props.calendar.name}`,
      () => look.mutateAsync(edit),
      () => editLink.mutateAsync(edit),
    ),
  )
}

const name = (feed: number) => feeds.data.value?.find((f) => f.id === feed)?.name ?? ''
const free = computed(() =>
  (feeds.data.value ?? [])
    .filter((f) => !f.calendars.includes(props.calendar.id))
    .map((f) => ({ value: f.id, label: f.name })),
)
const chosen = ref<number>()
async function put() {
  const feed = chosen.value
  if (feed && (await linkProblems.attempt(() => addLink.mutateAsync({ id: props.calendar.id, feed, body: {} }))))
    chosen.value = undefined
}
</script>

<template>
  <el-drawer v-model="open" size="min(34rem, 100%)" :title="`${calendar.name}: settings`">
    <div class="settings">
      <el-form label-position="top" @submit.prevent="save">
        <el-form-item label="Name" :error="problems.of('name')"><el-input v-model="form.name" /></el-form-item>
        <el-form-item label="Time zone" :error="problems.of('zone')"><el-input v-model="form.zone" /></el-form-item>
        <el-form-item label="How many fit at once" :error="problems.of('capacity')"
          ><el-input-number v-model="form.capacity" :min="1" :max="10000"
        /></el-form-item>
        <el-form-item label="Group in which it is shown" :error="problems.of('group')">
          <el-input v-model="form.group" list="groups" placeholder="none" />
          <datalist id="groups">
            <option v-for="g in groups.data.value ?? []" :key="g.id" :value="g.name" />
          </datalist>
        </el-form-item>
        <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
        <div class="act">
          <el-button type="primary" native-type="submit" :loading="edit.isPending.value">Save</el-button>
          <el-button v-if="problems.stale.value" @click="begin">Show it as it is now</el-button>
        </div>
      </el-form>

      <section>
        <h2>Feeds that count on it</h2>
        <p v-if="linkProblems.all.value" role="alert" class="failed">{{ linkProblems.all.value }}</p>
        <ul>
          <li v-for="l in calendar.links" :key="l.feed">
            <FeedTag :color="l.color" :label="name(l.feed)" />
            <div class="link">
              <el-select
                :model-value="l.role"
                size="small"
                :aria-label="`What ${name(l.feed)} does`"
                @change="(role: Schemas['Role']) => change(l, { role })"
              >
                <el-option value="blocks" label="blocks the dates" />
                <el-option value="shows" label="is only shown" />
              </el-select>
              <el-select
                :model-value="l.tentative"
                size="small"
                :aria-label="`What tentative entries of ${name(l.feed)} are`"
                @change="(tentative: Schemas['TentativeRule']) => change(l, { tentative })"
              >
                <el-option value="tentative" label="tentative as tentative" />
                <el-option value="firm" label="tentative as firm" />
                <el-option value="ignore" label="tentative left out" />
              </el-select>
              <el-input-number
                v-if="calendar.capacity > 1"
                :model-value="l.units"
                size="small"
                :min="1"
                :max="10000"
                :aria-label="`Units that a booking of ${name(l.feed)} takes`"
                @change="(units: number | undefined) => units && change(l, { units })"
              />
              <el-button
                size="small"
                text
                type="danger"
                @click="removal.remove(`${name(l.feed)} from ${calendar.name}`, removals.link(calendar.id, l.feed))"
                >Take off</el-button
              >
            </div>
            <FilterField :calendar="calendar" :link="l" @save="change(l, $event)" />
            <el-checkbox :model-value="l.review" @change="change(l, { review: Boolean($event) })"
              >Somebody looks at each entry</el-checkbox
            >
          </li>
        </ul>
        <div v-if="free.length > 0" class="act">
          <el-select-v2
            v-model="chosen"
            :options="free"
            filterable
            placeholder="Another feed"
            aria-label="Another feed"
            class="other"
          />
          <el-button :disabled="!chosen" :loading="addLink.isPending.value" @click="put">Put it on</el-button>
        </div>
        <p v-if="removal.error.value" role="alert" class="failed">{{ removal.error.value }}</p>
      </section>

      <section>
        <el-button type="danger" plain @click="goodbye.remove(calendar.name, removals.calendar(calendar.id))"
          >Remove this calendar</el-button
        >
        <p v-if="goodbye.error.value" role="alert" class="failed">{{ goodbye.error.value }}</p>
      </section>
    </div>
    <EffectDialog
      :asking="careful.asking.value"
      :busy="editLink.isPending.value"
      @agree="linkProblems.attempt(careful.agree)"
      @leave="careful.leave"
    />
    <LossDialog :asking="removal.asking.value" @agree="removal.agree" @close="removal.leave" />
    <LossDialog :asking="goodbye.asking.value" @agree="goodbye.agree" @close="goodbye.leave" />
  </el-drawer>
</template>

<style scoped>
.settings {
  display: grid;
  gap: 1.6rem;
}
.failed {
  color: var(--alarm);
}
ul {
  list-style: none;
  margin: 0.5rem 0;
  padding: 0;
  display: grid;
  gap: 0.8rem;
}
.link {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
  margin-top: 0.2rem;
}
.link .el-select {
  width: 11rem;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.other {
  width: 16rem;
}
</style>
