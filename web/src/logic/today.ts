// What the first page says, from what is known: clashes, feeds, directions, comings and goings.
import type { Booking, Calendar, Feed, Publication } from '@/data/api'
import { wallClock } from './dates'

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

export function cellOf(calendar: Calendar, platform: string, feeds: Feed[], publications: Publication[]): Cell {
  return {
    calendar,
    platform,
    feeds: feeds.filter((f) => f.platform.name === platform && f.calendars.includes(calendar.id)),
    publication: publications.find((p) => p.platform.name === platform && p.calendar === calendar.id),
  }
}

/** Whether the feeds of a cell sell anything: what is only shown needs nothing back. */
export const sells = (cell: Cell): boolean =>
  cell.feeds.some((f) => cell.calendar.links.some((l) => l.feed === f.id && l.role === 'blocks'))

export function gapOf(cell: Cell): 'in' | 'out' | undefined {
  if (cell.publication && cell.feeds.length === 0) return 'in'
  if (!cell.publication && sells(cell)) return 'out'
  return undefined
}

export const platformsOf = (feeds: Feed[], publications: Publication[]): string[] =>
  [...new Set([...feeds, ...publications].map((x) => x.platform.name))].sort((a, b) => a.localeCompare(b))

export function gapsOf(calendars: Calendar[], feeds: Feed[], publications: Publication[]): Gap[] {
  return calendars.flatMap((calendar) =>
    platformsOf(feeds, publications).flatMap((platform) => {
      const missing = gapOf(cellOf(calendar, platform, feeds, publications))
      return missing ? [{ calendar, platform, missing }] : []
    }),
  )
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
  const come: Movement[] = []
  const go: Movement[] = []
  for (const calendar of calendars) {
    for (const booking of bookings) {
      if (booking.calendar !== calendar.id || booking.verdict !== 'booking') continue
      if (calendar.grain === 'time') {
        const clock = wallClock(booking.start, calendar.zone)
        if (clock.slice(0, 10) === date)
          come.push({
            booking,
            calendar,
            clock: `${clock.slice(11)}–${wallClock(booking.end, calendar.zone).slice(11)}`,
          })
        continue
      }
      if (booking.start === date) come.push({ booking, calendar, clock: '' })
      const last = calendar.grain === 'night' ? booking.end : dayBefore(booking.end)
      if (last === date) go.push({ booking, calendar, clock: '' })
    }
  }
  const order = (a: Movement, b: Movement) => a.clock.localeCompare(b.clock)
  return { come: come.sort(order), go: go.sort(order) }
}

const dayBefore = (date: string): string =>
  new Date(Date.parse(date + 'T00:00:00Z') - 86_400_000).toISOString().slice(0, 10)
