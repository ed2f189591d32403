<script setup lang="ts">
import { useMediaQuery, useStorage } from '@vueuse/core'
import { computed, ref, useTemplateRef } from 'vue'
import type { Booking } from '@/data/api'
import { useBookingsOn, useCalendars, useConflicts, useGroups } from '@/data/queries'
import { boardRange, type Scale } from '@/logic/board'
import { addDays, todayIn } from '@/logic/dates'
import { hasWords } from '@/logic/more'
import { partsOf, sectionsOf } from '@/logic/rows'
import { useClock } from '@/logic/now'
import { counts } from '@/logic/origin'
import { useShown } from '@/logic/shown'
import AddCalendar from '@/parts/AddCalendar.vue'
import AgendaList from '@/parts/AgendaList.vue'
import BoardChart from '@/parts/BoardChart.vue'
import BookingPanel from '@/parts/BookingPanel.vue'
import GroupsDialog from '@/parts/GroupsDialog.vue'
import ExportDialog from '@/parts/ExportDialog.vue'
import HoldForm from '@/parts/HoldForm.vue'
import { draftOn, type Draft } from '@/logic/hold'

const now = useClock()
const narrow = useMediaQuery('(max-width: 640px)')
const calendars = useCalendars()
const conflicts = useConflicts()
const scale = useStorage<Scale>('wharf-scale', 'month')
const { hidden, echoes, toggle, visible } = useShown()
const chart = useTemplateRef<InstanceType<typeof BoardChart>>('chart')

const groups = useGroups()
const search = ref('')
const group = ref<number>()
const many = 12 // calendars, from which on they are looked for
const everything = computed(() => calendars.data.value ?? [])
const all = computed(() =>
  everything.value.filter((c) => (!group.value || c.group === group.value) && hasWords(c.name, search.value)),
)
const sections = computed(() => sectionsOf(all.value, groups.data.value ?? []))
const today = computed(() => todayIn(everything.value[0]?.zone ?? 'UTC', now.value))
const range = computed(() => boardRange(today.value))
const weeks = ref(0) // of the agenda, beside those that it begins with
const first = computed(() => (all.value.length > many ? 1 : 6))
const seen = ref<[string, string, number[]]>()
/** Calendars are asked for several at once, those that are seen. */
const parts = computed(() => {
  const ids = sections.value.flatMap((s) => s.calendars.map((c) => c.id))
  if (narrow.value) return partsOf(ids, 150)
  const shown = new Set(seen.value?.[2])
  return partsOf(ids, 40).filter((part) => part.some((id) => shown.has(id)))
})
const from = computed(() => (narrow.value ? today.value : (seen.value?.[0] ?? today.value)))
const to = computed(() =>
  narrow.value ? addDays(today.value, 7 * (first.value + weeks.value)) : (seen.value?.[1] ?? addDays(today.value, 7)),
)
const loaded = useBookingsOn(parts, from, to)
const bookings = computed(() => loaded.value.bookings.filter((b) => echoes.value || counts(b)))
const shown = computed(() => visible(loaded.value.bookings))

const panel = ref<Booking | null>(null)
const adding = ref(false)
const draft = ref<Draft | null>(null)
const saving = ref(false)
const arranging = ref(false)
const calendarOf = (b: Booking | null) => all.value.find((c) => c.id === b?.calendar)
const names: Record<Scale, string> = { day: 'Days', week: 'Weeks', month: 'Months', season: 'Seasons' }
</script>

<template>
  <AddCalendar v-if="calendars.data.value?.length === 0" />
  <div v-else-if="calendars.data.value">
    <div class="head">
      <h1>Board</h1>
      <el-radio-group v-if="!narrow" v-model="scale" size="small" aria-label="Scale">
        <el-radio-button v-for="(name, key) in names" :key="key" :value="key">{{ name }}</el-radio-button>
      </el-radio-group>
      <el-button v-if="!narrow" size="small" @click="chart?.goTo(today)">Today</el-button>
      <template v-if="everything.length > many">
        <el-input
          v-model="search"
          size="small"
          clearable
          class="search"
          placeholder="Calendar"
          aria-label="Look for calendars"
        />
        <el-select
          v-if="groups.data.value?.length"
          v-model="group"
          size="small"
          clearable
          class="search"
          placeholder="All groups"
          aria-label="Group"
        >
          <el-option v-for="g in groups.data.value" :key="g.id" :value="g.id" :label="g.name" />
        </el-select>
      </template>
      <el-switch v-model="echoes" active-text="echoes" aria-label="Show echoes" />
      <span class="add">
        <el-button v-if="groups.data.value?.length" size="small" @click="arranging = true">Groups</el-button>
        <el-button size="small" type="primary" @click="draft = draftOn(all[0] ?? everything[0]!, today)"
          >Enter a booking</el-button
        >
        <el-button size="small" @click="saving = true">Save as a file</el-button>
        <router-link to="/holds" class="small byhand">Entered by hand</router-link>
        <el-button size="small" @click="adding = true">Add a calendar</el-button>
      </span>
    </div>
    <template v-if="narrow">
      <p v-if="loaded.waiting && shown.length === 0" class="soft">Looking …</p>
      <AgendaList
        v-else
        :calendars="all"
        :from="today"
        :to="to"
        :today="today"
        :bookings="shown"
        :conflicts="conflicts.data.value ?? []"
        @choose="panel = $event"
      />
      <el-button class="more" @click="weeks += first">{{ first === 1 ? 'A week more' : 'Six weeks more' }}</el-button>
    </template>
    <BoardChart
      v-else
      ref="chart"
      :sections="sections"
      :bookings="bookings"
      :conflicts="conflicts.data.value ?? []"
      :scale="scale"
      :range="range"
      :today="today"
      :hidden="hidden"
      :waiting="loaded.waiting"
      @choose="panel = $event"
      @toggle="toggle"
      @see="(a, b, ids) => (seen = [a, b, ids])"
      @enter="(c, first, last) => (draft = draftOn(c, first, last))"
    />
    <BookingPanel v-if="calendarOf(panel)" :booking="panel" :calendar="calendarOf(panel)!" @close="panel = null" />
    <ExportDialog v-model="saving" :calendars="everything" :chosen="[]" :today="today" />
    <HoldForm v-model="draft" :calendars="everything" />
    <GroupsDialog v-model="arranging" />
    <el-dialog v-model="adding" title="Add a calendar" width="min(34rem, 96vw)" append-to-body>
      <AddCalendar dialog @added="adding = false" />
    </el-dialog>
  </div>
  <p v-else-if="calendars.error.value" role="alert">{{ calendars.error.value.message }}</p>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.4rem 1.2rem;
  margin-bottom: 0.7rem;
}
.add {
  margin-left: auto;
}
.search {
  width: 10rem;
}
.more {
  margin-top: 1rem;
  width: 100%;
}
.byhand {
  margin: 0 0.75rem;
  white-space: nowrap;
}
</style>
