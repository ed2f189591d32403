// What a person enters by hand: from a form to the API, and back.
import type { Booking, Calendar, Schemas } from '@/data/api'
import { addDays, daysBetween, dayName, wallClock } from './dates'
import { spanWords } from './layout'

type Grain = Calendar['grain']
export type Hold = Schemas['Hold']
export type Scope = NonNullable<Schemas['HoldEdit']['scope']>

/** A form about a hold. Days are as people say them: the day of leaving of nights, the last of days. */
export interface Draft {
  calendar: number | undefined
  timed: boolean
  first: string
  last: string
  from: string // hours, where it is timed
  until: string
  title: string
  note: string
  kind: 'firm' | 'tentative' | 'closure'
  units: number
  repeat: string // a rule; '': once
  expires: string
  categories: string
  class: Schemas['EntryClass']
}

/** The rules that a form offers; any other is written. */
export const repeats: Record<string, string> = {
  '': 'once',
  'FREQ=DAILY': 'every day',
  'FREQ=WEEKLY': 'every week',
  'FREQ=WEEKLY;INTERVAL=2': 'every two weeks',
  'FREQ=MONTHLY': 'every month',
  'FREQ=YEARLY': 'every year',
}

/** How often a rule repeats, and how many times; 0: without an end, or until a day. */
export function splitRule(rule: string): { often: string; times: number } {
  const parts = rule.split(';').filter(Boolean)
  const times = parts.find((p) => p.startsWith('COUNT='))
  return { often: parts.filter((p) => p !== times).join(';'), times: Number(times?.slice(6) ?? 0) }
}
export const joinRule = (often: string, times: number): string =>
  often && times > 0 ? `${often};COUNT=${times}` : often

/** What was pointed at on a calendar: days, or with nothing pointed at, today. */
export function draftOn(calendar: Calendar, first: string, last = first): Draft {
  const shortest = calendar.grain === 'night' && last === first ? addDays(first, 1) : last
  return {
    calendar: calendar.id,
    timed: calendar.grain === 'time',
    first,
    last: shortest,
    from: '10:00',
    until: '12:00',
    title: '',
    note: '',
    kind: 'firm',
    units: 0,
    repeat: '',
    expires: '',
    categories: '',
    class: '',
  }
}

/** A hold as a form has it; of a series, one of them. */
export function draftOf(hold: Hold, calendar: Calendar, one?: Booking): Draft {
  const timed = hold.start.includes('T')
  const [start, end] = endsIn(hold, calendar, timed, one)
  const draft = draftOn(calendar, start.slice(0, 10), lastOf(end, calendar.grain, timed))
  return {
    ...draft,
    timed,
    from: timed ? start.slice(11, 16) : draft.from,
    until: timed ? end.slice(11, 16) : draft.until,
    title: one?.title ?? hold.title,
    note: hold.note ?? '',
    kind: hold.closure ? 'closure' : (one?.tentative ?? hold.tentative) ? 'tentative' : 'firm',
    units: hold.units,
    repeat: hold.repeat ?? '',
    expires: hold.expires ? wallClock(hold.expires, calendar.zone) : '',
    categories: (hold.categories ?? []).join(', '),
    class: hold.class ?? '',
  }
}

function endsIn(hold: Hold, calendar: Calendar, timed: boolean, one?: Booking): [string, string] {
  if (!one || timed !== (calendar.grain === 'time')) return [hold.start, hold.end]
  if (!timed) return [one.start, one.end]
  const zone = hold.zone ?? calendar.zone
  return [wallClock(one.start, zone), wallClock(one.end, zone)]
}

const lastOf = (end: string, grain: Grain, timed: boolean): string =>
  timed || grain === 'night' ? end.slice(0, 10) : addDays(end.slice(0, 10), -1)

/** The ends as the API takes them, the end not being part of it. */
export function endsOf(d: Draft, grain: Grain): { start: string; end: string } {
  if (d.timed) return { start: `${d.first}T${d.from}`, end: `${d.last}T${d.until}` }
  return { start: d.first, end: grain === 'night' || !d.last ? d.last : addDays(d.last, 1) }
}

/** What is sent of a new hold. */
export function requestOf(d: Draft, calendar: Calendar): Schemas['HoldRequest'] {
  return { calendar: calendar.id, ...endsOf(d, calendar.grain), ...wordsOf(d) }
}

const wordsOf = (d: Draft) => ({
  title: d.title,
  note: d.note,
  tentative: d.kind === 'tentative',
  closure: d.kind === 'closure',
  units: d.units,
  repeat: d.repeat,
  expires: d.expires,
  categories: categoriesOf(d.categories),
  class: d.class,
})

/** Categories as they are typed, with commas. */
export const categoriesOf = (typed: string): string[] =>
  typed
    .split(',')
    .map((c) => c.trim())
    .filter(Boolean)

/** What is sent of an edit: what is other than it was, and no more. */
export function editOf(was: Draft, is: Draft, calendar: Calendar): Partial<Schemas['HoldEdit']> {
  const before: Record<string, unknown> = { ...endsOf(was, calendar.grain), ...wordsOf(was) }
  const after: Record<string, unknown> = { ...endsOf(is, calendar.grain), ...wordsOf(is) }
  const changed = Object.keys(after).filter((k) => JSON.stringify(before[k]) !== JSON.stringify(after[k]))
  const edit = Object.fromEntries(changed.map((k) => [k, after[k]])) as Partial<Schemas['HoldEdit']>
  if ('start' in edit || 'end' in edit) Object.assign(edit, endsOf(is, calendar.grain))
  if (is.calendar !== was.calendar) edit.calendar = is.calendar
  return edit
}

/** Whether a person is to look again before it is kept. */
export const doubtful = (t: Schemas['HoldTrial']): boolean =>
  t.questions.length > 0 ||
  t.unaware.some((u) => u.late) ||
  t.effects.some((e) => ['opens', 'becomes', 'grows'].includes(e.kind))

/** What a trial says, the weightiest first; that publications change is what it is for. */
export const saidOf = (t: Schemas['HoldTrial']): string[] => [
  ...t.effects.filter((e) => e.kind !== 'publishes' && e.kind !== 'withdraws').map((e) => e.sentence),
  ...t.questions.map((q) => q.says),
  ...t.unaware.filter((u) => u.late).map((u) => u.says),
  ...t.unaware.filter((u) => !u.late).map((u) => u.says),
]

/** The days between two that were pointed at, in order. */
export function pointedDays(origin: string, a: number, b: number, grain: Grain): [string, string] {
  const [x, y] = a < b ? [a, b] : [b, a]
  const first = addDays(origin, Math.floor(x))
  const last = addDays(origin, Math.floor(y))
  return [first, grain === 'night' && daysBetween(first, last) === 0 ? addDays(first, 1) : last]
}

/** When a hold is, or is first, by the clock of its calendar. */
export function whenWords(hold: Pick<Hold, 'start' | 'end' | 'grain'>, zone: string): string {
  const [day, from] = hold.start.split('T')
  const [last, until] = hold.end.split('T')
  if (day && last && from && until)
    return `${dayName(day)}, ${from.slice(0, 5)} to ${last === day ? '' : `${dayName(last)}, `}${until.slice(0, 5)}`
  return spanWords(hold.start, hold.end, { grain: hold.grain === 'time' ? 'day' : hold.grain, zone })
}

/** How often a rule repeats, in words where there are some. */
export function repeatWords(rule: string): string {
  const { often, times } = splitRule(rule)
  return `${repeats[often] ?? often}${times > 0 ? `, ${times} times` : ''}`
}
