<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Booking, Calendar, Conflict } from '@/data/api'
import { addDays, shortDay } from '@/logic/dates'
import { layWeek, lengthWords, spanWords, type Bar } from '@/logic/layout'
import { colorOf, counts, titleOf } from '@/logic/origin'

const props = defineProps<{
  calendar: Calendar
  month: string // the month that is shown, or '' for the weeks from now on
  from: string
  to: string
  today: string
  bookings: Booking[]
  conflicts: Conflict[]
}>()
const emit = defineEmits<{ choose: [booking: Booking]; conflict: [conflict: Conflict] }>()

const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const weeks = computed(() => {
  const all = []
  for (let week = props.from; week < props.to; week = addDays(week, 7)) {
    all.push(layWeek(week, props.bookings, props.conflicts, props.calendar))
  }
  return all
})

const percent = (days: number) => `${(days / 7) * 100}%`
const rowHeight = 1.65 // rem
const headHeight = 1.6

function describe(b: Booking): string {
  const kind = b.verdict === 'echo' ? 'echo' : b.tentative ? 'tentative' : b.blocks ? '' : 'shown only'
  const span = `${spanWords(b.start, b.end, props.calendar)} (${lengthWords(b.start, b.end, props.calendar)})`
  const unfresh = b.unfresh ? `its feed is ${b.unfresh.state}` : ''
  return [titleOf(b), b.label, span, kind, unfresh].filter(Boolean).join(', ')
}

/** The echo that is pointed at, of which a thread leads to its original. */
const pointed = ref<Booking | null>(null)
const point = (b: Booking) => {
  pointed.value = b.reflects ? b : null
}
function threadIn(bars: Bar[]) {
  const echo = bars.find((b) => b.booking.id === pointed.value?.id)
  const original = bars.find((b) => b.booking.id === pointed.value?.reflects)
  if (!echo || !original) return undefined
  const [first, last] = [Math.min(echo.lane, original.lane), Math.max(echo.lane, original.lane)]
  return {
    left: `calc(${percent(Math.max(echo.left, original.left))} + 0.35rem)`,
    top: `${headHeight + (first + 0.5) * rowHeight}rem`,
    height: `${(last - first) * rowHeight}rem`,
  }
}

const classes = (bar: Bar) => ({
  origin: bar.booking.id === pointed.value?.reflects,
  echo: !counts(bar.booking),
  tentative: bar.booking.tentative,
  shown: !bar.booking.blocks,
  unfresh: bar.booking.unfresh,
  begins: bar.begins,
  ends: bar.ends,
})
</script>

<template>
  <div class="month" role="group" :aria-label="calendar.name">
    <div class="names" aria-hidden="true">
      <span v-for="name in names" :key="name">{{ name }}</span>
    </div>
    <div
      v-for="week in weeks"
      :key="week.days[0]"
      class="week"
      :style="{ minHeight: `${headHeight + Math.max(2, week.lanes) * rowHeight + 0.5}rem` }"
    >
      <div
        v-for="(day, i) in week.days"
        :key="day"
        class="day"
        :class="{ weekend: i > 4, today: day === today, other: month && day.slice(0, 7) !== month.slice(0, 7) }"
      >
        <span class="number">{{ day.endsWith('-01') ? shortDay(day) : Number(day.slice(8)) }}</span>
        <span v-if="day === today" class="word">today</span>
      </div>
      <button
        v-for="bar in week.bars"
        :key="bar.booking.id"
        type="button"
        class="booking span-bar"
        :class="classes(bar)"
        :data-booking="bar.booking.id"
        :title="describe(bar.booking)"
        :aria-label="describe(bar.booking)"
        :style="{
          left: percent(bar.left),
          width: percent(bar.width),
          top: `${headHeight + bar.lane * rowHeight}rem`,
          '--feed': colorOf(bar.booking.color),
        }"
        @click="emit('choose', bar.booking)"
        @mouseenter="point(bar.booking)"
        @mouseleave="pointed = null"
        @focus="point(bar.booking)"
        @blur="pointed = null"
      >
        <span class="text"
          ><template v-if="bar.clock">{{ bar.clock + ' ' }}</template
          >{{ titleOf(bar.booking) }}<span class="label"> · {{ bar.booking.label }}</span></span
        >
      </button>
      <span v-if="threadIn(week.bars)" class="thread" aria-hidden="true" :style="threadIn(week.bars)" />
      <button
        v-for="clash in week.clashes"
        :key="'clash' + clash.conflict.id"
        type="button"
        class="clash overlap"
        :class="clash.conflict.kind"
        :aria-label="`${clash.conflict.kind.replace('_', ' ')}, ${spanWords(clash.conflict.start, clash.conflict.end, calendar)}`"
        :style="{
          left: percent(clash.left),
          width: percent(clash.width),
          top: `${headHeight + clash.firstLane * rowHeight - 0.12}rem`,
          height: `${clash.lanes * rowHeight + 0.1}rem`,
        }"
        @click="emit('conflict', clash.conflict)"
      >
        <span>{{ clash.conflict.kind.replace('_', ' ') }}</span>
      </button>
    </div>
  </div>
</template>

<style scoped>
.month {
  border: 1px solid var(--line);
  background: var(--paper-raised);
}
.names {
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  font-size: var(--size-small);
  color: var(--ink-soft);
}
.names span {
  padding: 0.2rem 0.5rem;
}
.week {
  position: relative;
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  border-top: 1px solid var(--line);
}
.day {
  border-left: 1px solid var(--line);
  padding: 0.15rem 0.5rem;
  font-size: var(--size-small);
}
.day:first-child {
  border-left: 0;
}
.thread {
  position: absolute;
  border-left: 2px solid var(--water);
  z-index: 2;
  pointer-events: none;
}
.origin {
  outline: 2px solid var(--water);
  outline-offset: 1px;
}
.weekend {
  background: color-mix(in oklab, var(--paper-sunk) 55%, transparent);
}
.other .number {
  color: color-mix(in oklab, var(--ink-soft) 75%, var(--paper-raised));
}
.today {
  box-shadow: inset 3px 0 0 var(--water);
}
.today .number {
  font-weight: 700;
}
.word {
  margin-left: 0.35rem;
  color: var(--water);
}
.booking {
  height: 1.4rem;
  border-left-width: 0;
  border-right-width: 0;
}
.booking.begins {
  border-top-left-radius: 4px;
  border-bottom-left-radius: 4px;
  border-left-width: 1px;
  margin-left: 2px;
}
.booking.ends {
  border-top-right-radius: 4px;
  border-bottom-right-radius: 4px;
  border-right-width: 1px;
}
.booking.begins.ends {
  max-width: calc(100% - 2px);
}
.text {
  display: block;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.booking:not(.echo) .label {
  opacity: 0.85;
}
.clash span {
  position: absolute;
  right: -2px;
  bottom: 100%;
  background: var(--sign);
  color: var(--bar-ink);
  font-size: 0.75rem;
  font-weight: 600;
  line-height: 1.3;
  padding: 0 0.35rem;
  white-space: nowrap;
}
</style>
