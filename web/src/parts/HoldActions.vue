<script setup lang="ts">
// What can be done with what was entered here: all of it, or one booking of it.
import { computed, ref } from 'vue'
import type { Booking, Calendar, Schemas } from '@/data/api'
import { tryHoldEdit, useCalendars, useEditHold, useHold } from '@/data/queries'
import { useProblems } from '@/logic/form'
import { draftOf, type Draft, type Scope } from '@/logic/hold'
import HoldForm from './HoldForm.vue'
import TimeAgo from './TimeAgo.vue'

const props = defineProps<{ id: number; calendar: Calendar; booking?: Booking }>()
const emit = defineEmits<{ gone: [] }>()
const hold = useHold(computed(() => props.id))
const calendars = useCalendars()
const edit = useEditHold()
const problems = useProblems()
const draft = ref<Draft | null>(null)
const copying = ref(false)
const series = computed(() => hold.data.value?.repeat !== undefined && props.booking?.occurrence !== undefined)
const scope = ref<Scope>('one')

function change() {
  copying.value = false
  if (hold.data.value) draft.value = draftOf(hold.data.value, props.calendar, series.value ? props.booking : undefined)
}
function copy() {
  copying.value = true
  if (hold.data.value) draft.value = draftOf(hold.data.value, props.calendar)
}

const asking = ref<{ word: string; body: Schemas['HoldEdit']; says: string[] } | null>(null)
async function ask(what: 'cancel' | 'undo') {
  const h = hold.data.value
  if (!h) return
  const body: Schemas['HoldEdit'] = { revision: h.revision, [what]: true }
  if (what === 'cancel' && series.value && scope.value !== 'all')
    Object.assign(body, { scope: scope.value, occurrence: props.booking?.occurrence })
  await problems.attempt(async () => {
    const trial = await tryHoldEdit(h.id, body)
    asking.value = {
      word: what === 'cancel' ? 'Cancel it' : 'Take it back',
      body,
      says: trial.effects.map((e) => e.sentence),
    }
  })
}
async function agree() {
  const a = asking.value
  if (!a || !hold.data.value) return
  const id = hold.data.value.id
  asking.value = null
  if (await problems.attempt(() => edit.mutateAsync({ id, body: a.body }))) emit('gone')
}
const steps: Record<Schemas['HoldStep']['did'], string> = {
  entered: 'entered',
  changed: 'changed',
  cancelled: 'cancelled',
  undone: 'taken back one step',
}
</script>

<template>
  <section v-if="hold.data.value" class="actions" aria-label="What was entered">
    <p v-if="hold.data.value.closure">A closure: it is no sale.</p>
    <p v-if="hold.data.value.expires">
      It holds until <TimeAgo :at="hold.data.value.expires" />, and ends by itself then.
    </p>
    <p v-if="hold.data.value.original" :class="{ caution: hold.data.value.original.state !== 'same' }">
      {{ hold.data.value.original.says }}
    </p>
    <p v-if="hold.data.value.note" class="words">{{ hold.data.value.note }}</p>
    <template v-if="asking">
      <ul v-if="asking.says.length">
        <li v-for="s in asking.says.slice(0, 8)" :key="s">{{ s }}</li>
        <li v-if="asking.says.length > 8">and {{ asking.says.length - 8 }} more of the kind</li>
      </ul>
      <p v-else>Nothing else changes by it.</p>
      <div class="act">
        <el-button type="primary" :loading="edit.isPending.value" @click="agree">{{ asking.word }}</el-button>
        <el-button @click="asking = null">Leave it as it is</el-button>
      </div>
    </template>
    <template v-else>
      <el-radio-group v-if="series" v-model="scope" aria-label="How much of the series is cancelled">
        <el-radio value="one">this one</el-radio>
        <el-radio value="rest">from this one on</el-radio>
        <el-radio value="all">all of them</el-radio>
      </el-radio-group>
      <div class="act">
        <el-button type="primary" @click="change">Change</el-button>
        <el-button @click="copy">Copy</el-button>
        <el-button @click="ask('cancel')">Cancel it</el-button>
        <el-button @click="ask('undo')">Undo</el-button>
      </div>
    </template>
    <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
    <ul class="steps soft small">
      <li v-for="s in hold.data.value.steps" :key="s.revision">
        {{ steps[s.did] }} by {{ s.by }} <TimeAgo :at="s.at" />
      </li>
    </ul>
    <HoldForm
      v-model="draft"
      :calendars="calendars.data.value ?? [calendar]"
      :hold="copying ? undefined : hold.data.value"
      :occurrence="copying ? undefined : booking?.occurrence"
      @done="emit('gone')"
    />
  </section>
</template>

<style scoped>
.actions {
  display: grid;
  gap: 0.6rem;
}
.words {
  white-space: pre-line;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
.caution {
  color: var(--caution);
}
.failed {
  color: var(--alarm);
}
</style>
