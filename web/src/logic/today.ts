// What the first page says, from what is known: clashes, feeds, directions, comings and goings.
import type { Booking, Calendar, Conflict, Feed, Publication } from '@/data/api'
import { count, wallClock } from './dates'
import { counts } from './origin'

/** A direction between a calendar and a platform that is not there. */
export interface Gap {
  calendar: Calendar
  platform: string
  missing: 'in' | 'out'
}

/** A cell of the matrix: what comes in from a platform for a calendar, and what goes out to it. */
export interface Cell {
  calendar: Calendar
  platform: string
  feeds: Feed[]
  publication: Publication | undefined
}

/** All that comes in and goes out. Cells are looked up: a calendar has few platforms, and there may be many of both. */
export interface Directions {
  platforms: string[]
  cell: (calendar: Calendar, platform: string) => Cell
  /** What is missing, calendar by calendar. */
  gaps: Gap[]
}

export function directionsOf(calendars: Calendar[], feeds: Feed[], publications: Publication[]): Directions {
  const rows = new Map(calendars.map((calendar) => [calendar.id, { calendar, cells: new Map<string, Cell>() }]))
  const cellAt = (id: number, platform: string): Cell | undefined => {
    const row = rows.get(id)
    if (row && !row.cells.has(platform))
      row.cells.set(platform, { calendar: row.calendar, platform, feeds: [], publication: undefined })
    return row?.cells.get(platform)
  }
  for (const feed of feeds) for (const id of feed.calendars) cellAt(id, feed.platform.name)?.feeds.push(feed)
  for (const publication of publications) {
    const cell = cellAt(publication.calendar, publication.platform.name)
    if (cell) cell.publication ??= publication
  }
  const platforms = [...new Set([...feeds, ...publications].map((x) => x.platform.name))].sort(byName)
  return {
    platforms,
    cell: (calendar, platform) =>
      rows.get(calendar.id)?.cells.get(platform) ?? { calendar, platform, feeds: [], publication: undefined },
    gaps: calendars.flatMap((calendar) =>
      [...(rows.get(calendar.id)?.cells.values() ?? [])]
        .sort((a, b) => byName(a.platform, b.platform))
        .flatMap((cell) => {
          const missing = gapOf(cell)
          return missing ? [{ calendar, platform: cell.platform, missing }] : []
        }),
    ),
  }
}

const byName = new Intl.Collator().compare

export function gapOf(cell: Cell): 'in' | 'out' | undefined {
  if (cell.publication && cell.feeds.length === 0) return 'in'
  if (!cell.publication && sells(cell)) return 'out'
  return undefined
}

/** Whether the feeds of a cell sell anything: what is only shown needs nothing back. */
function sells(cell: Cell): boolean {
  if (cell.feeds.length === 0) return false
  const blocking = new Set(cell.calendar.links.filter((l) => l.role === 'blocks').map((l) => l.feed))
  return cell.feeds.some((f) => blocking.has(f.id))
}

/** Somebody who comes or goes on a day. */
export interface Movement {
  booking: Booking
  calendar: Calendar
  clock: string // on the grain time
}

const starts: Record<Calendar['grain'], string> = { night: 'arrives', day: 'begins', time: 'from' }
const stops: Record<Calendar['grain'], string> = { night: 'leaves', day: 'last day', time: 'until' }
export const startWord = (c: Calendar): string => starts[c.grain]
export const endWord = (c: Calendar): string => stops[c.grain]

/** Who comes and who goes on a day, in the order of times, then of calendars. */
export function movementsOn(
  date: string,
  bookings: Booking[],
  calendars: Calendar[],
): { come: Movement[]; go: Movement[] } {
  const places = new Map(calendars.map((calendar, place) => [calendar.id, { calendar, place }]))
  const come: Movement[] = []
  const go: Movement[] = []
  for (const booking of bookings) {
    const calendar = places.get(booking.calendar)?.calendar
    if (!calendar || !counts(booking)) continue
    if (calendar.grain === 'time') {
      const clock = wallClock(booking.start, calendar.zone)
      if (clock.slice(0, 10) === date)
        come.push({ booking, calendar, clock: `${clock.slice(11)}–${wallClock(booking.end, calendar.zone).slice(11)}` })
      continue
    }
    if (booking.start === date) come.push({ booking, calendar, clock: '' })
    const last = calendar.grain === 'night' ? booking.end : dayBefore(booking.end)
    if (last === date) go.push({ booking, calendar, clock: '' })
  }
  const place = (m: Movement) => places.get(m.calendar.id)?.place ?? 0
  const order = (a: Movement, b: Movement) => (a.clock === b.clock ? place(a) - place(b) : a.clock < b.clock ? -1 : 1)
  return { come: come.sort(order), go: go.sort(order) }
}

const dayBefore = (date: string): string =>
  new Date(Date.parse(date + 'T00:00:00Z') - 86_400_000).toISOString().slice(0, 10)

/** Conflicts of the same two feeds that are one question: are their platforms linked directly? */
export interface Question {
  calendar: number
  calendarName: string
  feeds: number[]
  conflicts: Conflict[]
}

const leastFolded = 3

/** Takes those conflicts together that one answer settles. */
export function questionsOf(conflicts: Conflict[]): Question[] {
  const by = new Map<string, Question>()
  for (const c of conflicts) {
    if (!c.linked) continue
    const key = `${c.calendar} ${c.linked.join()}`
    const q = by.get(key) ?? { calendar: c.calendar, calendarName: c.calendarName, feeds: c.linked, conflicts: [] }
    q.conflicts.push(c)
    by.set(key, q)
  }
  return [...by.values()].filter((q) => q.conflicts.length >= leastFolded)
}

/** How many nights, days or hours blocks take together, in words; of each grain that there is. */
export function lostWords(blocks: Booking[], calendars: Calendar[]): string {
  const grains = new Map(calendars.map((c) => [c.id, c.grain]))
  const lost = { night: 0, day: 0, time: 0 }
  for (const b of blocks) {
    const grain = grains.get(b.calendar)
    if (grain) lost[grain] += Date.parse(b.end) - Date.parse(b.start)
  }
  const day = 86_400_000
  const words = [
    lost.night > 0 ? count(Math.round(lost.night / day), 'night', 'nights') : '',
    lost.day > 0 ? count(Math.round(lost.day / day), 'day', 'days') : '',
    lost.time > 0 ? count(Math.round(lost.time / 3_600_000), 'hour', 'hours') : '',
  ]
  return words.filter(Boolean).join(' and ')
}
