<script setup lang="ts">
// A booking is entered or changed: what is written, then what that leads to, then it is kept.
import { computed, ref, watch } from 'vue'
import type { Calendar, Schemas } from '@/data/api'
import { tryHold, tryHoldEdit, useAddHold, useEditHold } from '@/data/queries'
import { useProblems } from '@/logic/form'
import {
  doubtful,
  editOf,
  joinRule,
  repeats,
  requestOf,
  saidOf,
  splitRule,
  type Draft,
  type Hold,
  type Scope,
} from '@/logic/hold'

const draft = defineModel<Draft | null>({ required: true })
const props = defineProps<{ calendars: Calendar[]; hold?: Hold; occurrence?: string }>()
const emit = defineEmits<{ done: [hold: Hold] }>()
const open = computed({ get: () => draft.value !== null, set: () => (draft.value = null) })
const add = useAddHold()
const edit = useEditHold()
const problems = useProblems()
const trial = ref<Schemas['HoldTrial'] | null>(null)
const trying = ref(false)
const was = ref<Draft | null>(null)
const scope = ref<Scope>('one')
const often = ref('')
const times = ref(0)
watch(
  () => draft.value !== null,
  (now) => {
    if (!now || !draft.value) return
    was.value = { ...draft.value }
    trial.value = null
    scope.value = 'one'
    problems.clear()
    const rule = splitRule(draft.value.repeat)
    often.value = rule.often
    times.value = rule.times
  },
  { immediate: true },
)
watch([often, times], () => {
  if (draft.value) draft.value.repeat = joinRule(often.value, times.value)
})
const calendar = computed(() => props.calendars.find((c) => c.id === draft.value?.calendar))
const grain = computed(() => calendar.value?.grain ?? 'day')
const choices = computed(() => props.calendars.map((c) => ({ value: c.id, label: c.name })))
const series = computed(() => props.hold?.repeat !== undefined && props.occurrence !== undefined)
const oneOnly = computed(() => series.value && scope.value === 'one')
const ends: Record<Calendar['grain'], [string, string]> = {
  night: ['Arrives', 'Leaves'],
  day: ['First day', 'Last day'],
  time: ['Day', 'Last day'],
}
const offered = computed(() => (often.value in repeats ? repeats : { ...repeats, [often.value]: often.value }))
// Who arrives later leaves later.
watch(
  () => draft.value?.first,
  (first) => {
    if (draft.value && first && draft.value.last < first) draft.value.last = first
  },
)

/** What is to be sent, as calls: to try it, and to keep it. */
function calls() {
  if (!draft.value || !calendar.value || !was.value) throw new Error('Say which calendar it is on.')
  if (!props.hold) {
    const body = requestOf(draft.value, calendar.value)
    return { look: () => tryHold(body), keep: () => add.mutateAsync(body) }
  }
  const id = props.hold.id
  const body: Schemas['HoldEdit'] = {
    revision: props.hold.revision,
    ...editOf(was.value, draft.value, calendar.value),
  }
  if (series.value && scope.value !== 'all') Object.assign(body, { scope: scope.value, occurrence: props.occurrence })
  return { look: () => tryHoldEdit(id, body), keep: () => edit.mutateAsync({ id, body }) }
}

async function look() {
  trying.value = true
  await problems.attempt(async () => {
    trial.value = await calls().look()
  })
  trying.value = false
  if (trial.value && !doubtful(trial.value)) await keep()
}

async function keep() {
  const kept = await problems.attempt(async () => {
    emit('done', await calls().keep())
    draft.value = null
  })
  if (!kept) trial.value = null
}
const busy = computed(() => trying.value || add.isPending.value || edit.isPending.value)
</script>

<template>
  <el-dialog
    v-model="open"
    :title="hold ? 'Change what was entered' : 'Enter a booking'"
    width="min(34rem, 96vw)"
    append-to-body
    class="hold"
  >
    <div v-if="trial && draft" class="said">
      <p><strong>Before it is kept:</strong></p>
      <ul>
        <li v-for="line in saidOf(trial)" :key="line">{{ line }}</li>
      </ul>
      <div class="act">
        <el-button type="primary" :loading="busy" @click="keep"
          >{{ hold ? 'Change it' : 'Enter it' }} all the same</el-button
        >
        <el-button @click="trial = null">Back</el-button>
      </div>
    </div>
    <el-form v-else-if="draft" label-position="top" novalidate @submit.prevent="look">
      <el-form-item v-if="series" label="Of the series" :error="problems.of('scope') || problems.of('occurrence')">
        <el-radio-group v-model="scope">
          <el-radio value="one">this one</el-radio>
          <el-radio value="rest">from this one on</el-radio>
          <el-radio value="all">all of them</el-radio>
        </el-radio-group>
      </el-form-item>
      <el-form-item v-if="!oneOnly" label="Calendar" :error="problems.of('calendar')">
        <el-select-v2 v-model="draft.calendar" :options="choices" filterable aria-label="Calendar" />
      </el-form-item>
      <div class="pair">
        <el-form-item :label="ends[grain][0]" :error="problems.of('start')">
          <el-input v-model="draft.first" type="date" />
        </el-form-item>
        <el-form-item :label="ends[grain][1]" :error="problems.of('end')">
          <el-input v-model="draft.last" type="date" />
        </el-form-item>
      </div>
      <div v-if="draft.timed" class="pair">
        <el-form-item label="From"><el-input v-model="draft.from" type="time" /></el-form-item>
        <el-form-item label="Until"><el-input v-model="draft.until" type="time" /></el-form-item>
      </div>
      <el-form-item label="Guest, or what it is" :error="problems.of('title')">
        <el-input v-model="draft.title" maxlength="500" />
      </el-form-item>
      <el-form-item label="It is" :error="problems.of('tentative')">
        <el-radio-group v-model="draft.kind">
          <el-radio value="firm">firm</el-radio>
          <el-radio value="tentative">tentative</el-radio>
          <el-radio v-if="!oneOnly" value="closure">a closure, no sale</el-radio>
        </el-radio-group>
      </el-form-item>
      <details v-if="!oneOnly" class="more">
        <summary>More: hours, note, repeating, until when it holds</summary>
        <el-checkbox v-model="draft.timed">with hours</el-checkbox>
        <el-form-item label="Note; it stays in Wharf" :error="problems.of('note')">
          <el-input v-model="draft.note" type="textarea" :rows="2" />
        </el-form-item>
        <el-form-item label="Repeats" :error="problems.of('repeat')">
          <el-select v-model="often" aria-label="Repeats">
            <el-option v-for="(word, rule) in offered" :key="rule" :value="rule" :label="word" />
          </el-select>
          <span v-if="often" class="times">
            <el-input-number v-model="times" :min="0" :max="1000" aria-label="How many times" /> times (0: without an
            end)
          </span>
        </el-form-item>
        <el-form-item label="Holds until; then it ends by itself" :error="problems.of('expires')">
          <el-input v-model="draft.expires" type="datetime-local" />
        </el-form-item>
        <el-form-item
          v-if="(calendar?.capacity ?? 1) > 1"
          label="Units; 0: one, or of a closure all"
          :error="problems.of('units')"
        >
          <el-input-number v-model="draft.units" :min="0" :max="calendar?.capacity" />
        </el-form-item>
        <el-form-item label="Categories, with commas" :error="problems.of('categories')">
          <el-input v-model="draft.categories" />
        </el-form-item>
        <el-form-item label="Who may see it" :error="problems.of('class')">
          <el-radio-group v-model="draft.class">
            <el-radio value="">as the rest</el-radio>
            <el-radio value="private">private</el-radio>
            <el-radio value="confidential">confidential</el-radio>
          </el-radio-group>
        </el-form-item>
      </details>
      <p v-if="problems.rest.value" role="alert" class="failed">{{ problems.rest.value }}</p>
      <p v-else-if="problems.stale.value" role="alert" class="failed">{{ problems.all.value }}</p>
      <el-button type="primary" native-type="submit" :loading="busy">{{ hold ? 'Change it' : 'Enter it' }}</el-button>
    </el-form>
  </el-dialog>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 1rem;
}
.said {
  display: grid;
  gap: 0.6rem;
}
.said ul {
  margin: 0;
  padding-left: 1.1rem;
  display: grid;
  gap: 0.3rem;
}
.more {
  margin-bottom: 0.8rem;
}
.more summary {
  cursor: pointer;
  color: var(--ink-soft);
  padding: 0.4rem 0;
}
.times {
  display: flex;
  align-items: center;
  gap: 0.5rem;
  margin-top: 0.4rem;
}
.failed {
  color: var(--alarm);
}
</style>
