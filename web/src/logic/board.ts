// The board: where spans lie on a scale of days that runs to the right, and in which lane.
import type { Booking, Calendar, Conflict } from '@/data/api'
import { addDays, addMonths, daysBetween, firstOfMonth, wallClock, weekday } from './dates'
import { lengthWords, spanWords } from './layout'
import { counts, titleOf } from './origin'

export type Scale = 'day' | 'week' | 'month' | 'season'

/** Pixels to a day. */
export const scales: Record<Scale, number> = { day: 420, week: 110, month: 34, season: 10 }

export interface Chunk {
  from: string
  to: string
}

/** The quarters of a year that a stretch of days touches. */
export function chunksOf(from: string, to: string): Chunk[] {
  const month = Number(from.slice(5, 7)) - 1
  const chunks: Chunk[] = []
  for (let first = addMonths(from, -(month % 3)); first < to; first = addMonths(first, 3)) {
    chunks.push({ from: first, to: addMonths(first, 3) })
  }
  return chunks
}

/** The two ends of a span in days from the origin. Nights run from noon to noon, so that leaving and arriving touch. */
export function reach(item: { start: string; end: string }, calendar: Calendar, origin: string): [number, number] {
  if (calendar.grain === 'time') return [clockAt(item.start, calendar, origin), clockAt(item.end, calendar, origin)]
  const shift = calendar.grain === 'night' ? 0.5 : 0
  return [daysBetween(origin, item.start) + shift, daysBetween(origin, item.end) + shift]
}

function clockAt(instant: string, calendar: Calendar, origin: string): number {
  const clock = wallClock(instant, calendar.zone)
  const minutes = Number(clock.slice(11, 13)) * 60 + Number(clock.slice(14, 16))
  return daysBetween(origin, clock.slice(0, 10)) + minutes / 1440
}

export interface Placed {
  booking: Booking
  from: number // in days from the origin
  to: number
  lane: number
}

export interface PlacedClash {
  conflict: Conflict
  from: number
  to: number
  lane: number
  lanes: number
}

export interface Line {
  bars: Placed[]
  clashes: PlacedClash[]
  lanes: number
}

/** Lays bookings out in lanes: what blocks first, then what is shown, echoes below. */
export function layLine(bookings: Booking[], conflicts: Conflict[], calendar: Calendar, origin: string): Line {
  const rank = (b: Booking) => (!counts(b) ? 2 : b.blocks ? 0 : 1)
  const sorted = bookings
    .map((booking) => {
      const [from, to] = reach(booking, calendar, origin)
      return { booking, from, to, lane: 0 }
    })
    .sort((a, b) => rank(a.booking) - rank(b.booking) || a.from - b.from || a.booking.id - b.booking.id)
  const taken: [number, number][][] = []
  for (const bar of sorted) {
    let lane = taken.findIndex((row) => row.every(([from, to]) => to <= bar.from || from >= bar.to))
    if (lane < 0) lane = taken.push([]) - 1
    taken[lane]?.push([bar.from, bar.to])
    bar.lane = lane
  }
  const clashes = conflicts.flatMap((conflict) => {
    const ids = new Set(conflict.bookings.map((b) => b.id))
    const lanes = sorted.filter((p) => ids.has(p.booking.id)).map((p) => p.lane)
    if (lanes.length === 0) return []
    const [from, to] = reach(conflict, calendar, origin)
    const lane = Math.min(...lanes)
    return [{ conflict, from, to, lane, lanes: Math.max(...lanes) - lane + 1 }]
  })
  return { bars: sorted, clashes, lanes: taken.length }
}

export interface Tick {
  at: number // in days from the origin
  text: string
  strong: boolean
}

const shortMonth = new Intl.DateTimeFormat('en-GB', { month: 'short', timeZone: 'UTC' })
const shortWeekday = new Intl.DateTimeFormat('en-GB', { weekday: 'short', timeZone: 'UTC' })
const utc = (date: string) => new Date(date + 'T00:00:00Z')

/** What the scale says between two days: hours and days, days, Mondays, or months. */
export function ticksOf(scale: Scale, origin: string, from: string, to: string): Tick[] {
  const ticks: Tick[] = []
  for (let date = from; date < to; date = addDays(date, 1)) {
    const at = daysBetween(origin, date)
    const number = Number(date.slice(8))
    const first = number === 1
    const month = shortMonth.format(utc(date))
    if (scale === 'season') {
      if (first) ticks.push({ at, text: `${month} ${date.slice(0, 4)}`, strong: true })
      else if (weekday(date) === 0)
        ticks.push({ at, text: number > 3 && number < 27 ? String(number) : '', strong: false })
    } else if (scale === 'month') {
      if (first) ticks.push({ at, text: `${month} ${number}`, strong: true })
      else ticks.push({ at, text: String(number), strong: weekday(date) === 0 })
    } else {
      ticks.push({
        at,
        text: `${shortWeekday.format(utc(date))} ${number} ${month}`,
        strong: first || weekday(date) === 0,
      })
      if (scale === 'day') {
        for (let hour = 6; hour < 24; hour += 3) ticks.push({ at: at + hour / 24, text: `${hour}:00`, strong: false })
      }
    }
  }
  return ticks
}

/** The weekends between two days, in days from the origin. */
export function weekendsOf(origin: string, from: string, to: string): number[] {
  const all: number[] = []
  for (let date = addDays(from, -1); date < to; date = addDays(date, 1)) {
    if (weekday(date) === 5) all.push(daysBetween(origin, date))
  }
  return all
}

/** The board's first and last day: three months back, two years on, as far as Wharf looks. */
export function boardRange(today: string): [string, string] {
  return [addMonths(firstOfMonth(today), -3), addMonths(firstOfMonth(today), 25)]
}

/** What a bar is, in words. */
export function describe(b: Booking, calendar: Calendar): string {
  const kind =
    b.verdict === 'echo' ? 'echo' : b.closure ? 'closure' : b.tentative ? 'tentative' : b.blocks ? '' : 'shown only'
  const span = `${spanWords(b.start, b.end, calendar)} (${lengthWords(b.start, b.end, calendar)})`
  const unfresh = b.unfresh ? `its feed is ${b.unfresh.state}` : ''
  return [titleOf(b), b.label, span, kind, unfresh].filter(Boolean).join(', ')
}

/** The path of a thread from an echo to its original, where both are on a line; px is how wide a day is. */
export function threadOf(line: Line, pointed: Booking | null, px: number, rowHeight: number): string {
  const echo = line.bars.find((b) => b.booking.id === pointed?.id)
  const original = line.bars.find((b) => b.booking.id === pointed?.reflects)
  if (!echo || !original) return ''
  const middle = (bar: Placed) => ({ x: bar.from * px + 6, y: bar.lane * rowHeight + 17 })
  const [a, b] = [middle(echo), middle(original)]
  return `M${a.x} ${a.y} C${a.x - 14} ${a.y} ${b.x - 14} ${b.y} ${b.x} ${b.y}`
}
