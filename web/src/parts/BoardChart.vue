<script setup lang="ts">
import { useElementSize, useStorage } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue'
import type { Booking, Calendar, Conflict } from '@/data/api'
import { describe, scales, threadOf, ticksOf, weekendsOf, type Placed, type Scale } from '@/logic/board'
import { addDays, daysBetween } from '@/logic/dates'
import { spanWords } from '@/logic/layout'
import { colorOf, counts, isHidden, titleOf } from '@/logic/origin'
import { usePointing } from '@/logic/pointing'
import { byCalendar, isSub, nothing, rowsOf, stack, within, type Row, type Section } from '@/logic/rows'
import FeedTag from './FeedTag.vue'
import NowLine from './NowLine.vue'

const props = defineProps<{
  sections: Section[]
  bookings: Booking[]
  conflicts: Conflict[]
  scale: Scale
  range: [string, string]
  today: string
  hidden: number[] // feeds
  waiting: boolean
}>()
const emit = defineEmits<{
  choose: [booking: Booking]
  toggle: [feed: number]
  see: [from: string, to: string, calendars: number[]]
  enter: [calendar: Calendar, first: string, last: string]
}>()
defineExpose({ goTo })

const rowHeight = 26 // pixels to a lane
const edge = 192 // of the names
const box = useTemplateRef<HTMLElement>('box')
const { width, height } = useElementSize(box)
const left = ref(0)
const top = ref(0)
const px = computed(() => scales[props.scale])
const origin = computed(() => props.range[0])
const total = computed(() => daysBetween(props.range[0], props.range[1]) * px.value)

/** The days in view, with some to spare on both sides. */
const view = computed(() => {
  const days = Math.max(width.value, 300) / px.value
  const first = Math.max(0, Math.floor(left.value / px.value - days / 2))
  const last = Math.min(daysBetween(props.range[0], props.range[1]), Math.ceil(left.value / px.value + 1.5 * days))
  return { first, last, from: addDays(origin.value, first), to: addDays(origin.value, last) }
})

function goTo(date: string, smooth = true) {
  const quiet = matchMedia('(prefers-reduced-motion: reduce)').matches
  const lead = Math.min((box.value?.clientWidth ?? 0) / 8 / px.value, 3)
  box.value?.scrollTo({
    left: (daysBetween(origin.value, date) - lead) * px.value,
    behavior: smooth && !quiet ? 'smooth' : 'instant',
  })
}
onMounted(() => {
  void nextTick(() => goTo(props.today, false))
})
// Another scale shows today if it was in view, else the same day at the left.
watch(
  () => props.scale,
  async (_now, before) => {
    const day = left.value / scales[before]
    const today = daysBetween(origin.value, props.today)
    const seen = today >= day - 1 && today < day + width.value / scales[before]
    await nextTick()
    if (seen) goTo(props.today, false)
    else if (box.value) box.value.scrollLeft = day * px.value
  },
)
const scrolled = () => {
  left.value = box.value?.scrollLeft ?? 0
  top.value = box.value?.scrollTop ?? 0
}

const ticks = computed(() => ticksOf(props.scale, origin.value, view.value.from, view.value.to))
const weekends = computed(() => weekendsOf(origin.value, view.value.from, view.value.to))
const opened = ref<number[]>([])
const toggleRow = (id: number) => {
  opened.value = opened.value.includes(id) ? opened.value.filter((x) => x !== id) : [...opened.value, id]
}

const folded = useStorage<string[]>('wharf-folded', [])
const fold = (key: string) => {
  folded.value = folded.value.includes(key) ? folded.value.filter((k) => k !== key) : [...folded.value, key]
}

const bookingsBy = computed(() => byCalendar(props.bookings))
const conflictsBy = computed(() => byCalendar(props.conflicts))

const rows = computed(() =>
  props.sections.flatMap((s) => {
    const head: Row = { key: s.key, title: s.title, line: nothing }
    return folded.value.includes(s.key) ? [head] : [head, ...s.calendars.flatMap(rowsFor)]
  }),
)
const rowsFor = (calendar: Calendar) =>
  rowsOf(
    calendar,
    (bookingsBy.value.get(calendar.id) ?? []).filter((b) => !isHidden(b, props.hidden)),
    conflictsBy.value.get(calendar.id) ?? [],
    opened.value.includes(calendar.id),
    origin.value,
  )

const inView = <T extends { from: number; to: number }>(items: T[]) =>
  items.filter((i) => i.to > view.value.first && i.from < view.value.last)

const heightOf = (row: Row) => (row.title ? 30 : Math.max(1, row.line.lanes) * rowHeight + (isSub(row) ? 8 : 14))
const stacked = computed(() => stack(rows.value, heightOf))
/** The rows that are drawn: those in view, with some to spare above and below. */
const drawn = computed(() => {
  const high = Math.max(height.value, 300)
  return within(stacked.value.rows, top.value - high / 2, top.value + 1.5 * high)
})
const seen = computed(() => drawn.value.flatMap((s) => s.row.calendar?.id ?? []))
watch(
  () => `${view.value.from} ${view.value.to} ${seen.value.join()}`,
  () => emit('see', view.value.from, view.value.to, seen.value),
  { immediate: true },
)

/** The echo that is pointed at, of which a thread leads to its original. */
const pointed = ref<Booking | null>(null)
const threadIn = (row: Row) => threadOf(row.line, pointed.value, px.value, rowHeight)

const { pointing, point, pull, drop, pointedStyle } = usePointing(origin, px)
function entered(calendar?: Calendar) {
  const days = calendar && drop(calendar.grain)
  if (days) emit('enter', calendar, ...days)
}

const barStyle = (bar: Placed) => ({
  left: `${bar.from * px.value + 1}px`,
  width: `${Math.max((bar.to - bar.from) * px.value - 2, 4)}px`,
  top: `${bar.lane * rowHeight + 6}px`,
  '--feed': colorOf(bar.booking.color),
})
</script>

<template>
  <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -->
  <div
    ref="box"
    class="board"
    role="region"
    aria-label="Board: arrow keys scroll in time"
    tabindex="0"
    :aria-busy="waiting"
    @scroll.passive="scrolled"
  >
    <div class="canvas" :style="{ width: `${total + edge}px` }">
      <div class="scale" :class="scale">
        <div class="corner">
          <slot />
        </div>
        <span
          v-for="t in ticks"
          :key="t.at"
          class="tick"
          :class="{ strong: t.strong }"
          :style="{ left: `${edge + t.at * px}px` }"
          >{{ t.text }}</span
        >
      </div>
      <div class="ground" aria-hidden="true">
        <template v-if="scale !== 'season'">
          <span
            v-for="w in weekends"
            :key="w"
            class="weekend"
            :style="{ left: `${edge + w * px}px`, width: `${2 * px}px` }"
          />
        </template>
        <span
          v-for="t in ticks"
          :key="t.at"
          class="rule"
          :class="{ strong: t.strong }"
          :style="{ left: `${edge + t.at * px}px` }"
        />
        <NowLine :zone="sections[0]?.calendars[0]?.zone ?? 'UTC'" :origin="origin" :px="px" :edge="edge" />
      </div>
      <div class="rows" :style="{ height: `${stacked.height}px` }">
        <div
          v-for="{ row, top: at, height: high } in drawn"
          :key="row.key"
          class="row"
          :class="{ sub: isSub(row) }"
          :style="{ top: `${at}px`, height: `${high}px` }"
        >
          <h2 v-if="row.title" class="group">
            <button type="button" :aria-expanded="!folded.includes(row.key)" @click="fold(row.key)">
              <span aria-hidden="true">{{ folded.includes(row.key) ? '▸' : '▾' }}</span> {{ row.title }}
            </button>
          </h2>
          <div v-else class="name">
            <button
              v-if="row.feed"
              type="button"
              class="feed"
              :aria-pressed="!hidden.includes(row.feed.feed)"
              :title="hidden.includes(row.feed.feed) ? `Show ${row.feed.label}` : `Hide ${row.feed.label}`"
              @click="emit('toggle', row.feed.feed)"
            >
              <FeedTag :color="row.feed.color" :label="row.feed.label" />
            </button>
            <FeedTag v-else-if="row.label" :label="row.label" />
            <template v-else-if="row.calendar">
              <button
                type="button"
                class="open"
                :aria-expanded="opened.includes(row.calendar.id)"
                :aria-label="`Feeds of ${row.calendar.name}`"
                @click="toggleRow(row.calendar.id)"
              >
                <span aria-hidden="true">{{ opened.includes(row.calendar.id) ? '▾' : '▸' }}</span>
              </button>
              <router-link :to="`/calendars/${row.calendar.id}`" class="calendar">{{ row.calendar.name }}</router-link>
              <span v-if="row.calendar.capacity > 1" class="soft small capacity">{{ row.calendar.capacity }} fit</span>
              <button
                type="button"
                class="open enter"
                :aria-label="`Enter a booking on ${row.calendar.name}`"
                title="Enter a booking"
                @click="emit('enter', row.calendar, today, today)"
              >
                <span aria-hidden="true">+</span>
              </button>
            </template>
          </div>
          <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- the row's + does the same -->
          <div
            v-if="row.calendar"
            class="track"
            @pointerdown="point($event, row.key)"
            @pointermove="pull"
            @pointerup="entered(row.calendar)"
            @pointercancel="pointing = null"
          >
            <span
              v-if="pointing?.key === row.key"
              class="pointing"
              :style="pointedStyle(pointing, row.calendar.grain)"
            />
            <svg v-if="pointed && threadIn(row)" class="thread" aria-hidden="true">
              <path :d="threadIn(row)" />
            </svg>
            <button
              v-for="bar in inView(row.line.bars)"
              :key="bar.booking.id"
              type="button"
              class="booking span-bar"
              :class="{
                echo: !counts(bar.booking),
                tentative: bar.booking.tentative,
                shown: !bar.booking.blocks,
                closure: bar.booking.closure,
                unfresh: bar.booking.unfresh,
                origin: bar.booking.id === pointed?.reflects,
              }"
              :style="barStyle(bar)"
              :title="describe(bar.booking, row.calendar!)"
              :aria-label="describe(bar.booking, row.calendar!)"
              @click="emit('choose', bar.booking)"
              @mouseenter="pointed = bar.booking.reflects ? bar.booking : null"
              @mouseleave="pointed = null"
              @focus="pointed = bar.booking.reflects ? bar.booking : null"
              @blur="pointed = null"
            >
              <span v-if="(bar.to - bar.from) * px > 30" class="text">{{ titleOf(bar.booking) }}</span>
            </button>
            <router-link
              v-for="clash in inView(row.line.clashes)"
              :key="clash.conflict.id"
              :to="`/conflicts/${clash.conflict.id}`"
              class="clash overlap"
              :class="clash.conflict.kind"
              :aria-label="`${clash.conflict.kind.replace('_', ' ')}, ${spanWords(clash.conflict.start, clash.conflict.end, row.calendar!)}`"
              :title="`${clash.conflict.kind.replace('_', ' ')}, ${spanWords(clash.conflict.start, clash.conflict.end, row.calendar!)}`"
              :style="{
                left: `${clash.from * px - 1}px`,
                width: `${Math.max((clash.to - clash.from) * px + 2, 8)}px`,
                top: `${clash.lane * rowHeight + 3}px`,
                height: `${clash.lanes * rowHeight}px`,
              }"
            />
          </div>
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.board {
  position: relative;
  overflow: auto;
  border: 1px solid var(--line);
  background: var(--paper-raised);
  max-height: calc(100vh - 8.5rem);
}
.canvas {
  position: relative;
  min-height: 12rem;
}
.scale {
  position: sticky;
  top: 0;
  z-index: 4;
  height: 2.1rem;
  background: var(--paper);
  border-bottom: 1px solid var(--line);
}
.corner {
  position: sticky;
  left: 0;
  z-index: 1;
  width: 192px;
  height: 100%;
  background: var(--paper);
  border-right: 1px solid var(--line);
}
.tick {
  position: absolute;
  top: 0.45rem;
  padding-left: 0.3rem;
  font-size: var(--size-small);
  color: var(--ink-soft);
  white-space: nowrap;
}
.tick.strong {
  color: var(--ink);
  font-weight: 600;
}
.ground {
  position: absolute;
  inset: 2.1rem 0 0 0;
}
.weekend,
.rule {
  position: absolute;
  top: 0;
  bottom: 0;
}
.weekend {
  background: color-mix(in oklab, var(--paper-sunk) 65%, transparent);
}
.rule {
  border-left: 1px solid color-mix(in oklab, var(--line) 55%, transparent);
}
.rule.strong {
  border-color: var(--line);
}
.rows {
  position: relative;
}
.row {
  position: absolute;
  left: 0;
  right: 0;
  display: flex;
  border-top: 1px solid color-mix(in oklab, var(--line) 60%, transparent);
}
.group {
  position: sticky;
  left: 0;
  z-index: 3;
  width: 192px;
  flex: none;
  font-size: var(--size-small);
  font-weight: 600;
  background: var(--paper-raised);
  border-right: 1px solid var(--line);
}
.group button {
  font: inherit;
  color: var(--ink-soft);
  background: none;
  border: 0;
  padding: 0.3rem 0.5rem 0;
  cursor: pointer;
  max-width: 100%;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.name {
  position: sticky;
  left: 0;
  z-index: 3;
  width: 192px;
  flex: none;
  padding: 0.3rem 0.5rem;
  background: var(--paper-raised);
  border-right: 1px solid var(--line);
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.sub .name {
  padding-left: 1.9rem;
  font-size: var(--size-small);
}
.open,
.feed {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.open {
  width: 1.4rem;
  color: var(--ink-soft);
}
.enter {
  margin-left: auto;
}
.pointing {
  position: absolute;
  top: 3px;
  bottom: 3px;
  background: var(--water);
  opacity: 0.25;
  border-radius: 3px;
  pointer-events: none;
}
.feed[aria-pressed='false'] {
  color: var(--ink-soft);
  text-decoration: line-through;
}
.calendar {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}
.capacity {
  margin-left: 0.5rem;
}
.calendar:hover {
  text-decoration: underline;
}
.track {
  position: relative;
  flex: 1;
  cursor: crosshair;
}
.thread {
  position: absolute;
  top: 0;
  left: 0;
  width: 1px;
  height: 1px;
  overflow: visible;
  z-index: 2;
  pointer-events: none;
}
.thread path {
  fill: none;
  stroke: var(--water);
  stroke-width: 2;
}
.origin {
  outline: 2px solid var(--water);
  outline-offset: 1px;
}
.booking {
  height: 22px;
  border-radius: 3px;
  line-height: 20px;
}
.text {
  position: sticky;
  left: 200px;
  display: inline-block;
  max-width: 100%;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
