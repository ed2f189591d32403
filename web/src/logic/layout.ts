// Where bookings and clashes are drawn: the days they cover, and the lanes of a week.
import type { Booking, Calendar, Conflict } from '@/data/api'
import { addDays, daysBetween, shortDay, wallClock } from './dates'

/** What says how its spans are read. */
type Axis = Pick<Calendar, 'grain' | 'zone'>

/** A stretch of days for drawing: [first, last), where half days stand for nights that run from afternoon to morning. */
export interface Stretch {
  first: string
  last: string
  nights: boolean
  clock: string // times of day, on the grain time
}

export function stretch(start: string, end: string, calendar: Axis): Stretch {
  if (calendar.grain !== 'time') return { first: start, last: end, nights: calendar.grain === 'night', clock: '' }
  const from = wallClock(start, calendar.zone)
  const to = wallClock(end, calendar.zone)
  const lastDay =
    to.endsWith('T00:00') && to.slice(0, 10) > from.slice(0, 10) ? to.slice(0, 10) : addDays(to.slice(0, 10), 1)
  return { first: from.slice(0, 10), last: lastDay, nights: false, clock: `${from.slice(11)}–${to.slice(11)}` }
}

/** The span in words: days first, since days are what people compare. */
export function spanWords(start: string, end: string, calendar: Axis): string {
  const s = stretch(start, end, calendar)
  const final = s.nights ? s.last : addDays(s.last, -1)
  const days = s.first === final ? shortDay(s.first) : `${shortDay(s.first)} – ${shortDay(final)}`
  return s.clock ? `${days}, ${s.clock}` : days
}

export function lengthWords(start: string, end: string, calendar: Axis): string {
  if (calendar.grain === 'time') {
    const minutes = (Date.parse(end) - Date.parse(start)) / 60_000
    if (minutes < 60) return `${minutes} min`
    return minutes % 60 === 0 ? `${minutes / 60} h` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`
  }
  const n = daysBetween(start, end)
  return `${n} ${calendar.grain}${n === 1 ? '' : 's'}`
}

export interface Bar {
  booking: Booking
  left: number // in days from the week's first
  width: number
  lane: number
  begins: boolean // its start lies in this week
  ends: boolean
  clock: string
}

export interface Clash {
  conflict: Conflict
  left: number
  width: number
  firstLane: number
  lanes: number
}

export interface Week {
  days: string[]
  bars: Bar[]
  clashes: Clash[]
  lanes: number
}

/** Where a stretch lies in the week that begins on the day, or null. */
function within(s: Stretch, week: string): { left: number; width: number; begins: boolean; ends: boolean } | null {
  const shift = s.nights ? 0.5 : 0
  const from = daysBetween(week, s.first) + shift
  const to = daysBetween(week, s.last) + shift
  if (to <= 0 || from >= 7) return null
  const left = Math.max(0, from)
  return { left, width: Math.min(7, to) - left, begins: from >= 0, ends: to <= 7 }
}

/** Lays the bookings of a week out in lanes: the longest free at the top first, echoes below what they reflect. */
export function layWeek(first: string, bookings: Booking[], conflicts: Conflict[], calendar: Calendar): Week {
  const bars: Bar[] = []
  const ends: number[] = []
  const sorted = [...bookings].sort(
    (a, b) =>
      Number(a.verdict === 'echo') - Number(b.verdict === 'echo') || a.start.localeCompare(b.start) || a.id - b.id,
  )
  const taken: { left: number; right: number }[][] = []
  for (const booking of sorted) {
    const s = stretch(booking.start, booking.end, calendar)
    const at = within(s, first)
    if (!at) continue
    let lane = taken.findIndex((row) => row.every((t) => t.right <= at.left || t.left >= at.left + at.width))
    if (lane < 0) lane = taken.push([]) - 1
    taken[lane]?.push({ left: at.left, right: at.left + at.width })
    ends[lane] = at.left + at.width
    bars.push({ booking, lane, clock: s.clock, ...at })
  }
  return {
    days: Array.from({ length: 7 }, (_, i) => addDays(first, i)),
    bars,
    clashes: conflicts.flatMap((conflict) => layClash(conflict, first, bars, calendar)),
    lanes: taken.length,
  }
}

/** A clash is drawn where its spans overlap, over the lanes of its bookings. */
function layClash(conflict: Conflict, first: string, bars: Bar[], calendar: Calendar): Clash[] {
  const at = within(stretch(conflict.start, conflict.end, calendar), first)
  if (!at) return []
  const ids = new Set(conflict.bookings.map((b) => b.id))
  const lanes = bars.filter((b) => ids.has(b.booking.id)).map((b) => b.lane)
  if (lanes.length === 0) return []
  const firstLane = Math.min(...lanes)
  return [{ conflict, left: at.left, width: at.width, firstLane, lanes: Math.max(...lanes) - firstLane + 1 }]
}
