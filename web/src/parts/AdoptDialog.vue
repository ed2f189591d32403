<script setup lang="ts">
// Bookings of a feed are copied as holds: which, then what that leads to.
import { computed, ref, watch } from 'vue'
import type { Calendar, Feed, Schemas } from '@/data/api'
import { adopt, useAdopt } from '@/data/queries'
import { count } from '@/logic/dates'
import { useProblems } from '@/logic/form'
import EffectList from './EffectList.vue'

const open = defineModel<boolean>({ required: true })
const props = defineProps<{ feed: Feed; calendars: Calendar[] }>()
const on = computed(() => props.calendars.filter((c) => props.feed.calendars.includes(c.id)))
const calendar = ref<number>()
const search = ref('')
const category = ref('')
const from = ref('')
const to = ref('')
const problems = useProblems()
const save = useAdopt()
const trial = ref<Schemas['HoldImport'] | null>(null)
const undoing = ref(false)
const done = ref('')
watch(open, () => {
  trial.value = null
  done.value = ''
  calendar.value = on.value[0]?.id
})
const body = (): Schemas['Adoption'] => ({
  calendar: calendar.value ?? 0,
  search: search.value || undefined,
  category: category.value || undefined,
  from: from.value || undefined,
  to: to.value || undefined,
  undo: undoing.value || undefined,
})

async function look(undo: boolean) {
  undoing.value = undo
  await problems.attempt(async () => {
    trial.value = await adopt(props.feed.id, { ...body(), try: true })
  })
}
async function keep() {
  await problems.attempt(async () => {
    const kept = await save.mutateAsync({ feed: props.feed.id, body: body() })
    done.value = `${count(kept.entered, 'booking', 'bookings')} ${undoing.value ? 'cancelled' : 'copied'}.`
    trial.value = null
  })
}
</script>

<template>
  <el-dialog v-model="open" title="Copy its bookings" width="min(34rem, 96vw)" append-to-body class="adopt">
    <p v-if="done" role="status">{{ done }}</p>
    <template v-else-if="trial">
      <p>
        <strong
          >{{ count(trial.entered, 'booking', 'bookings') }}
          {{ undoing ? 'would be cancelled' : 'would be copied' }}.</strong
        >
      </p>
      <ul v-if="trial.left.length">
        <li v-for="l in trial.left.slice(0, 8)" :key="l">{{ l }}</li>
      </ul>
      <EffectList :effects="trial.effects" />
      <div class="act">
        <el-button type="primary" :loading="save.isPending.value" @click="keep">{{
          undoing ? 'Cancel the copies' : 'Copy them'
        }}</el-button>
        <el-button @click="trial = null">Back</el-button>
      </div>
    </template>
    <el-form v-else label-position="top" @submit.prevent="look(false)">
      <p class="soft">
        What is copied stands by itself, also when the feed drops it. As long as both are there they are one booking.
      </p>
      <el-form-item v-if="on.length > 1" label="Calendar" :error="problems.of('calendar')">
        <el-select v-model="calendar" aria-label="Calendar">
          <el-option v-for="c in on" :key="c.id" :value="c.id" :label="c.name" />
        </el-select>
      </el-form-item>
      <el-form-item label="Only with these words in the title"><el-input v-model="search" /></el-form-item>
      <el-form-item label="Only of this category"><el-input v-model="category" /></el-form-item>
      <div class="pair">
        <el-form-item label="From"><el-input v-model="from" type="date" /></el-form-item>
        <el-form-item label="Before" :error="problems.of('to')"><el-input v-model="to" type="date" /></el-form-item>
      </div>
      <p v-if="problems.of('bookings') || problems.rest.value" role="alert" class="failed">
        {{ problems.of('bookings') || problems.rest.value }}
      </p>
      <el-button type="primary" native-type="submit">See what is copied</el-button>
      <el-button @click="look(true)">Cancel earlier copies</el-button>
    </el-form>
  </el-dialog>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 1rem;
}
.failed {
  color: var(--alarm);
}
.act {
  margin-top: 1rem;
}
</style>
