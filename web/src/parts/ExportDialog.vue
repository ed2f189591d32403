<script setup lang="ts">
// What is booked, saved as a file once.
import { computed, ref, watch } from 'vue'
import type { Calendar, Schemas } from '@/data/api'
import { exportBookings } from '@/data/queries'
import { addDays, count } from '@/logic/dates'
import { useProblems } from '@/logic/form'
import { save } from '@/logic/files'

const props = defineProps<{ calendars: Calendar[]; chosen: number[]; today: string }>()
const open = defineModel<boolean>({ required: true })
const of = ref<number[]>([])
const from = ref('')
const last = ref('')
const detail = ref<Schemas['ExportRequest']['detail']>('titles')
const format = ref<Schemas['ExportRequest']['format']>('ics')
const busy = ref(false)
const said = ref('')
const problems = useProblems()
watch(
  open,
  (now) => {
    if (!now) return
    of.value = props.chosen
    from.value = props.today
    last.value = addDays(props.today, 59)
    said.value = ''
    problems.clear()
  },
  { immediate: true },
)
const choices = computed(() => props.calendars.map((c) => ({ value: c.id, label: c.name })))

async function write() {
  busy.value = true
  said.value = ''
  await problems.attempt(async () => {
    const file = await exportBookings({
      calendars: of.value.length > 0 ? of.value : undefined,
      from: from.value,
      to: addDays(last.value, 1),
      detail: detail.value,
      format: format.value,
    })
    save(file.name, file.mediaType, file.text)
    said.value = `${count(file.bookings, 'booking is', 'bookings are')} saved as ${file.name}.`
  })
  busy.value = false
}
</script>

<template>
  <el-dialog v-model="open" title="Save as a file" width="min(34rem, 96vw)" append-to-body>
    <el-form label-position="top" @submit.prevent="write">
      <el-form-item label="Calendars (all, where none is chosen)">
        <el-select-v2 v-model="of" :options="choices" multiple filterable collapse-tags aria-label="Calendars" />
      </el-form-item>
      <div class="days">
        <el-form-item label="From"><el-input v-model="from" type="date" required /></el-form-item>
        <el-form-item label="To, with that day"><el-input v-model="last" type="date" required /></el-form-item>
      </div>
      <el-form-item label="What is seen">
        <el-radio-group v-model="detail">
          <el-radio value="titles">titles</el-radio>
          <el-radio value="times">times only</el-radio>
        </el-radio-group>
      </el-form-item>
      <el-form-item label="For">
        <el-radio-group v-model="format">
          <el-radio value="ics">a calendar program (.ics)</el-radio>
          <el-radio value="csv">a spreadsheet (.csv)</el-radio>
        </el-radio-group>
      </el-form-item>
      <p v-if="problems.all.value" role="alert" class="failed">{{ problems.all.value }}</p>
      <p role="status">{{ said }}</p>
      <el-button type="primary" native-type="submit" :loading="busy">Save</el-button>
    </el-form>
  </el-dialog>
</template>

<style scoped>
.days {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 1rem;
}
.failed {
  color: var(--alarm);
}
</style>
