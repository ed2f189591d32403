// What the first page says in words, and the cells of the matrix.
import type { Booking, Calendar, Conflict, Feed, Publication, Schemas } from '@/data/api'
import { count, wallClock } from './dates'

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
  const given = publications.filter((p) => !p.platform.person)
  for (const publication of given) {
    const cell = cellAt(publication.calendar, publication.platform.name)
    if (cell) cell.publication ??= publication
  }
  const platforms = [...new Set([...feeds, ...given].map((x) => x.platform.name))].sort(byName)
  return {
    platforms,
    cell: (calendar, platform) =>
      rows.get(calendar.id)?.cells.get(platform) ?? { calendar, platform, feeds: [], publication: undefined },
  }
}

const byName = new Intl.Collator().compare

type Movement = Schemas['Movement']
const starts: Record<Calendar['grain'], string> = { night: 'arrives', day: 'begins', time: 'from' }
const stops: Record<Calendar['grain'], string> = { night: 'leaves', day: 'last day', time: 'until' }

/** The word for that a booking begins; on the grain time, its hours. */
export function startWord(m: Movement): string {
  if (m.grain !== 'time') return starts[m.grain]
  return [m.start, m.end].map((at) => wallClock(at, m.zone).slice(11)).join('–')
}
export const endWord = (m: Movement): string => stops[m.grain]

/** Conflicts of the same two feeds that are one question: are their platforms linked directly? */
export interface Question {
  calendar: number
  calendarName: string
  feeds: number[]
  conflicts: Conflict[]
}

/** What needs somebody, in one sentence: conflicts by their kinds, and questions that stand for several. */
export function headingOf(single: Conflict[], questions: number): string {
  const of = (kind: Conflict['kind'], one: string, many: string) => {
    const n = single.filter((c) => c.kind === kind).length
    return n > 0 ? count(n, one, many) : ''
  }
  const parts = [
    of('double_booking', 'double booking', 'double bookings'),
    of('tentative_clash', 'tentative clash', 'tentative clashes'),
    of('closed', 'booking over a closure', 'bookings over closures'),
    of('unclear', 'clash that may be an echo', 'clashes that may be echoes'),
    questions > 0 ? count(questions, 'question', 'questions') : '',
  ].filter(Boolean)
  return `${parts.join(parts.length > 2 ? ', ' : ' and ')} ${single.length + questions === 1 ? 'needs' : 'need'} you.`
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

/** How many nights, days and hours are taken. */
type Taken = Pick<Schemas['LostTime'], 'nights' | 'days' | 'hours'>

/** How much blocks take together, of each grain that there is. */
export function takenBy(blocks: Booking[], calendars: Calendar[]): Taken {
  const grains = new Map(calendars.map((c) => [c.id, c.grain]))
  const taken = { nights: 0, days: 0, hours: 0 }
  const hour = 3_600_000
  for (const b of blocks) {
    const length = Date.parse(b.end) - Date.parse(b.start)
    const grain = grains.get(b.calendar)
    if (grain === 'night') taken.nights += Math.round(length / hour / 24)
    if (grain === 'day') taken.days += Math.round(length / hour / 24)
    if (grain === 'time') taken.hours += length / hour
  }
  return taken
}

export const takenWords = ({ nights, days, hours }: Taken): string =>
  [
    nights > 0 ? count(nights, 'night', 'nights') : '',
    days > 0 ? count(days, 'day', 'days') : '',
    hours > 0 ? count(Math.round(hours), 'hour', 'hours') : '',
  ]
    .filter(Boolean)
    .join(' and ')
