<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Booking } from '@/data/api'
import { useBookings, useCalendars, useConflicts, useFeeds, useReadFeed } from '@/data/queries'
import { addDays, addMonths, count, firstOfMonth, monday, monthName, shortDay, todayIn } from '@/logic/dates'
import { useClock } from '@/logic/now'
import { isHidden, isolated, titleOf } from '@/logic/origin'
import { useReadAll } from '@/logic/reading'
import { useShown } from '@/logic/shown'
import AgendaList from '@/parts/AgendaList.vue'
import BookingPanel from '@/parts/BookingPanel.vue'
import ExportDialog from '@/parts/ExportDialog.vue'
import HoldForm from '@/parts/HoldForm.vue'
import { draftOn, type Draft } from '@/logic/hold'
import CalendarSettings from '@/parts/CalendarSettings.vue'
import ConflictNote from '@/parts/ConflictNote.vue'
import FeedTag from '@/parts/FeedTag.vue'
import MonthGrid from '@/parts/MonthGrid.vue'
import WhatChanged from '@/parts/WhatChanged.vue'
import TimeAgo from '@/parts/TimeAgo.vue'

const now = useClock()
const narrow = useMediaQuery('(max-width: 640px)')
const calendars = useCalendars()
const feeds = useFeeds()
const conflicts = useConflicts()

const route = useRoute()
const router = useRouter()
const calendar = computed(() => calendars.data.value?.find((c) => c.id === Number(route.params.id)))
const choices = computed(() => (calendars.data.value ?? []).map((c) => ({ value: c.id, label: c.name })))
const settings = ref(false)

const today = computed(() => todayIn(calendar.value?.zone ?? 'UTC', now.value))
const shown = ref('')
const month = computed(() => firstOfMonth(shown.value || today.value))
/** Without a month chosen: the six weeks that begin with this one, since the past needs nobody. */
const from = computed(() => monday(shown.value ? month.value : today.value))
const to = computed(() =>
  shown.value ? addDays(monday(addDays(addMonths(month.value, 1), -1)), 7) : addDays(from.value, 42),
)
const heading = computed(() =>
  shown.value ? monthName(month.value) : `${shortDay(from.value)} – ${shortDay(addDays(to.value, -1))}`,
)
const id = computed(() => calendar.value?.id)
const bookings = useBookings(id, from, to)

const { hidden, echoes, toggle, visible: visibleOf } = useShown()
const visible = computed(() => visibleOf(bookings.data.value ?? []))
const own = computed(() => (conflicts.data.value ?? []).filter((c) => c.calendar === id.value))
/** Bookings that two platforms send with different dates. */
const differing = computed(() => (bookings.data.value ?? []).filter((b) => b.notices?.includes('dates-differ')))
const drawn = computed(() => own.value.filter((c) => c.bookings.some((b) => !isHidden(b, hidden.value))))
const read = useReadFeed()
const reading = useReadAll((id, signal) => read.mutateAsync({ id, signal }))
const readable = computed(() =>
  (feeds.data.value ?? []).filter((f) => !f.uploaded && f.calendars.includes(id.value ?? -1)),
)
const unwell = computed(() =>
  (feeds.data.value ?? []).filter((f) => f.state !== 'fresh' && f.calendars.includes(id.value ?? -1)),
)
const panel = ref<Booking | null>(null)
const draft = ref<Draft | null>(null)
const saving = ref(false)
</script>

<template>
  <div v-if="calendar" class="page">
    <div class="head">
      <h1>{{ calendar.name }}</h1>
      <p class="soft">
        let by the {{ calendar.grain === 'time' ? 'hour' : calendar.grain }},
        {{ count(calendar.capacity, 'unit', 'units') }}, {{ calendar.zone }} time
      </p>
      <div class="act">
        <el-select-v2
          v-if="(calendars.data.value?.length ?? 0) > 1"
          :model-value="calendar.id"
          :options="choices"
          size="small"
          filterable
          aria-label="Another calendar"
          class="choose"
          @change="(other: number) => router.push(`/calendars/${other}`)"
        />
        <el-button v-if="reading.busy.value" size="small" @click="reading.stop">Stop reading</el-button>
        <el-button v-else-if="readable.length > 0" size="small" @click="reading.start(readable)"
          >Read its feeds now</el-button
        >
        <el-button size="small" type="primary" @click="draft = draftOn(calendar, today)">Enter a booking</el-button>
        <el-button size="small" @click="saving = true">Save as a file</el-button>
        <el-button size="small" @click="settings = true">Settings</el-button>
      </div>
    </div>

    <div role="status" class="soft">
      <p v-if="reading.busy.value">
        {{ reading.done.value }} of {{ count(reading.total.value, 'feed', 'feeds') }} read …
      </p>
      <p v-else-if="reading.said.value">{{ reading.said.value }}</p>
      <p v-for="f in reading.failed.value" :key="f">{{ isolated(f) }}</p>
    </div>
    <ConflictNote v-for="c in own" :key="c.id" :conflict="c" :calendar="calendar" />
    <p v-if="conflicts.data.value && own.length === 0 && !calendar.trouble" class="calm">Nothing is double booked.</p>
    <p v-if="calendar.trouble" class="caution">
      This calendar is not up to date. {{ calendar.trouble.why }} It began <TimeAgo :at="calendar.trouble.since" /> and
      is tried again <TimeAgo :at="calendar.trouble.retry" />.
    </p>
    <p v-for="f in unwell" :key="f.id" class="caution">
      <router-link :to="`/feeds/${f.id}`">{{ f.name }}</router-link> is {{ f.state
      }}<template v-if="f.unfresh"> since <TimeAgo :at="f.unfresh.since" />: {{ isolated(f.unfresh.why) }}</template
      >. What is shown of it may be out of date.
    </p>
    <template v-for="link in calendar.links" :key="link.feed">
      <p v-for="notice in link.notices" :key="notice" class="caution">{{ link.label }}: {{ notice }}.</p>
    </template>
    <p v-for="b in differing" :key="b.id" class="caution">
      {{ titleOf(b) }} on {{ b.label }}: {{ b.evidence }} Ask the platforms which of them is right.
    </p>
    <p v-if="calendar.links.length === 0" class="caution">
      No feed counts on this calendar yet: <router-link to="/feeds">subscribe to one</router-link>.
    </p>

    <div class="controls">
      <div class="months">
        <el-button size="small" aria-label="Month before" @click="shown = shown ? addMonths(month, -1) : month"
          >←</el-button
        >
        <el-button size="small" @click="shown = ''">Now</el-button>
        <el-button size="small" aria-label="Month after" @click="shown = addMonths(month, 1)">→</el-button>
        <h2 aria-live="polite">{{ heading }}</h2>
      </div>
      <div class="feeds">
        <button
          v-for="link in calendar.links"
          :key="link.feed"
          type="button"
          class="feed"
          :aria-pressed="!hidden.includes(link.feed)"
          :title="hidden.includes(link.feed) ? 'Show this feed' : 'Hide this feed'"
          @click="toggle(link.feed)"
        >
          <FeedTag :color="link.color" :label="link.label" />
        </button>
        <el-switch v-model="echoes" active-text="echoes" aria-label="Show echoes" />
      </div>
    </div>

    <AgendaList
      v-if="narrow"
      :calendars="[calendar]"
      :from="shown ? month : today"
      :to="to"
      :today="today"
      :bookings="visible"
      :conflicts="drawn"
      @choose="panel = $event"
    />
    <MonthGrid
      v-else
      :calendar="calendar"
      :month="shown ? month : ''"
      :from="from"
      :to="to"
      :today="today"
      :bookings="visible"
      :conflicts="drawn"
      @choose="panel = $event"
      @conflict="router.push(`/conflicts/${$event.id}`)"
    />
    <WhatChanged :calendar="calendar.id" />
    <ExportDialog
      v-model="saving"
      :calendars="calendars.data.value ?? [calendar]"
      :chosen="[calendar.id]"
      :today="today"
    />
    <HoldForm v-model="draft" :calendars="calendars.data.value ?? [calendar]" />
    <BookingPanel :booking="panel" :calendar="calendar" @close="panel = null" />
    <CalendarSettings v-model="settings" :calendar="calendar" />
  </div>
  <p v-else-if="calendars.data.value">
    There is no such calendar: it may have been removed. <router-link to="/board">All calendars</router-link>
  </p>
  <p v-else-if="calendars.error.value" role="alert">{{ calendars.error.value.message }}</p>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.8rem;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0.2rem 1rem;
}
.choose {
  width: 11rem;
}
.head .act {
  margin-left: auto;
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.calm {
  color: var(--calm);
}
.caution {
  border-left: 4px solid var(--caution);
  background: var(--caution-soft);
  padding: 0.4rem 0.9rem;
}
.controls {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 0.5rem 2rem;
}
.months,
.feeds {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.3rem 0.9rem;
}
.months .el-button + .el-button {
  margin-left: 0;
}
.months {
  gap: 0.3rem;
}
.months h2 {
  margin-left: 0.6rem;
}
.feed {
  font: inherit;
  font-size: var(--size-small);
  color: var(--ink);
  background: none;
  border: 0;
  padding: 0.2rem 0;
  cursor: pointer;
}
.feed[aria-pressed='false'] {
  color: var(--ink-soft);
  text-decoration: line-through;
  opacity: 0.7;
}
</style>
