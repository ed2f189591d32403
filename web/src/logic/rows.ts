// Rows of a long page: where each is, and which of them are seen.
import type { Booking, Calendar, Conflict, Schemas } from '@/data/api'
import { layLine, type Line } from './board'

export interface Stacked<T> {
  row: T
  top: number
  height: number
}

/** Stacks rows, and says how high all of them are. */
export function stack<T>(rows: T[], heightOf: (row: T) => number): { rows: Stacked<T>[]; height: number } {
  let top = 0
  const stacked = rows.map((row) => {
    const height = heightOf(row)
    const s = { row, top, height }
    top += height
    return s
  })
  return { rows: stacked, height: top }
}

/** Those that reach into a stretch. */
export function within<T>(rows: Stacked<T>[], from: number, to: number): Stacked<T>[] {
  let low = 0
  let high = rows.length
  while (low < high) {
    const middle = (low + high) >> 1
    const s = rows[middle]
    if (s && s.top + s.height <= from) low = middle + 1
    else high = middle
  }
  const end = rows.findIndex((s, i) => i >= low && s.top >= to)
  return rows.slice(low, end < 0 ? undefined : end)
}

export interface Section {
  key: string
  title: string
  calendars: Calendar[]
}

const grains: [Calendar['grain'], string][] = [
  ['night', 'By the night'],
  ['day', 'By the day'],
  ['time', 'By the hour'],
]

/** Calendars in their groups, in the order of these; those in none by how they are let. */
export function sectionsOf(calendars: Calendar[], groups: Schemas['Group'][]): Section[] {
  const known = new Set(groups.map((g) => g.id))
  const ofGroup = new Map<number, Calendar[]>()
  const rest: Calendar[] = []
  for (const c of calendars) {
    if (c.group === undefined || !known.has(c.group)) rest.push(c)
    else ofGroup.set(c.group, [...(ofGroup.get(c.group) ?? []), c])
  }
  return [
    ...groups.map((g) => ({ key: `g${g.id}`, title: g.name, calendars: ofGroup.get(g.id) ?? [] })),
    ...grains.map(([grain, title]) => ({ key: grain, title, calendars: rest.filter((c) => c.grain === grain) })),
  ].filter((s) => s.calendars.length > 0)
}

/** A list in parts of so many. */
export const partsOf = <T>(all: T[], size: number): T[][] =>
  Array.from({ length: Math.ceil(all.length / size) }, (_, i) => all.slice(i * size, (i + 1) * size))

/** Things by the calendar that they are of. */
export function byCalendar<T extends { calendar: number }>(all: T[]): Map<number, T[]> {
  const map = new Map<number, T[]>()
  for (const x of all) map.set(x.calendar, [...(map.get(x.calendar) ?? []), x])
  return map
}

/** A row of the board: the head of a section, a calendar, or of one that is opened what came from one place. */
export interface Row {
  key: string
  title?: string // of a section
  calendar?: Calendar
  feed?: Calendar['links'][number]
  label?: string // of a row of what came from no feed
  line: Line
}

export const nothing: Line = { bars: [], clashes: [], lanes: 0 }

export const isSub = (row: Row): boolean => row.feed !== undefined || row.label !== undefined

/** The row of a calendar, and where it is open one for each feed and for what came from none. */
export function rowsOf(
  calendar: Calendar,
  bookings: Booking[],
  conflicts: Conflict[],
  open: boolean,
  origin: string,
): Row[] {
  const rows: Row[] = [{ key: `c${calendar.id}`, calendar, line: layLine(bookings, conflicts, calendar, origin) }]
  if (!open) return rows
  for (const feed of calendar.links) {
    const ofFeed = bookings.filter((b) => b.feed === feed.feed)
    rows.push({ key: `c${calendar.id}f${feed.feed}`, calendar, feed, line: layLine(ofFeed, [], calendar, origin) })
  }
  const ours = bookings.filter((b) => b.feed === undefined)
  const label = ours[0]?.label
  if (label) rows.push({ key: `c${calendar.id}ours`, calendar, label, line: layLine(ours, [], calendar, origin) })
  return rows
}
