import { describe, expect, it } from 'vitest'
import type { Calendar, Conflict, Feed, Publication } from '@/data/api'
import { staleAfter } from '@/data/live'
import { factsOf } from './facts'
import { booking, calendar, clash } from './samples'
import { directionsOf, endWord, headingOf, questionsOf, startWord, takenBy, takenWords } from './today'

const feed = (id: number, platform: string, calendars: number[]) =>
  ({ id, platform: { name: platform }, calendars }) as Feed
const publication = (calendar: number, platform: string) => ({ calendar, platform: { name: platform } }) as Publication
describe('words', () => {
  it('hours are those of the calendar’s zone; a stay arrives and leaves', () => {
    const movement = (grain: Calendar['grain'], start: string, end: string) => ({
      booking: 1,
      calendar: { id: 1, name: 'Ketch' },
      grain,
      zone: 'America/Halifax',
      title: '',
      tentative: false,
      start,
      end,
    })
    expect(startWord(movement('time', '2026-07-04T02:00:00Z', '2026-07-04T03:30:00Z'))).toBe('23:00–00:30')
    const stay = movement('night', '2026-07-03', '2026-07-05')
    expect([startWord(stay), endWord(stay)]).toEqual(['arrives', 'leaves'])
  })
  it('what is taken is told for each grain', () => {
    const night = { ...calendar('night'), id: 1 }
    const hours = { ...calendar('time'), id: 2 }
    const blocks = [
      booking(1, '2026-07-03', '2026-07-05'),
      booking(2, '2026-07-09', '2026-07-10'),
      { ...booking(3, '2026-07-04T02:00:00Z', '2026-07-04T03:30:00Z'), calendar: 2 },
    ]
    expect(takenWords(takenBy(blocks, [night, hours]))).toBe('3 nights and 2 hours')
  })
})

it('twice as many calendars and feeds take twice the looks', () => {
  let looks = 0
  const counted = <T extends object>(thing: T): T =>
    new Proxy(thing, {
      get(target, name) {
        looks++
        return Reflect.get(target, name) as unknown
      },
    })
  const looksFor = (n: number): number => {
    const ids = Array.from({ length: n }, (_, i) => i)
    const calendars = ids.map((i) => counted({ ...calendar('day'), id: i }))
    const feeds = ids.map((i) => counted(feed(i, `Platform ${i % 40}`, [i])))
    const publications = ids.map((i) => counted(publication(i, `Platform ${(i + 1) % 40}`)))
    looks = 0
    const { platforms, cell } = directionsOf(calendars, feeds, publications)
    expect(platforms).toHaveLength(40)
    for (const [i, c] of calendars.entries())
      expect([cell(c, `Platform ${i % 40}`).feeds, cell(c, `Platform ${(i + 1) % 40}`).publication]).not.toContain(
        undefined,
      )
    return looks
  }
  expect(looksFor(1000) / looksFor(500)).toBeLessThan(2.5)
})

it('the evidence is in the order of time', () => {
  const a = booking(1, '2026-07-03', '2026-07-05', {
    created: '2026-06-01T10:00:00Z',
    notBefore: '2026-06-01T11:00:00Z',
    seenBy: '2026-06-01T12:00:00Z',
  })
  const b = booking(2, '2026-07-04', '2026-07-06', { seenBy: '2026-06-01T09:00:00Z' })
  const ours = booking(3, '2026-07-04', '2026-07-06', {
    feed: undefined,
    platform: undefined,
    label: 'Wharf',
    seenBy: '2026-06-01T08:00:00Z',
  })
  expect(factsOf(clash('2026-07-04', '2026-07-05', [ours]))[0]?.text).toBe('Guest 3 was entered in Wharf')
  const conflict = { ...clash('2026-07-04', '2026-07-05', [a, b]), opened: '2026-06-01T12:00:01Z' }
  expect(factsOf(conflict).map((f) => f.text)).toEqual([
    'Desk was first read, with Guest 2 in it',
    'Guest 1 was made, says Desk',
    'Desk was read without Guest 1',
    'Desk was read with Guest 1',
    'The conflict was found',
  ])
})

it('a change makes stale what shows it, and an unknown one everything', () => {
  expect(staleAfter({ topic: 'feed', id: 7 })).toEqual([['today'], ['feeds'], ['readings', 7]])
  expect(staleAfter({ topic: 'pickup', id: 7 })).toContainEqual(['pickups', 7])
  expect(staleAfter({ topic: 'all', id: 0 })).toEqual([])
})

it.each([
  [['double_booking'], 0, '1 double booking needs you.'],
  [['double_booking', 'closed', 'double_booking'], 0, '2 double bookings and 1 booking over a closure need you.'],
  [['unclear', 'tentative_clash'], 2, '1 tentative clash, 1 clash that may be an echo, 2 questions need you.'],
  [[], 1, '1 question needs you.'],
] as const)('what needs somebody is said by its kinds: %j', (kinds, questions, want) => {
  const conflicts = kinds.map((kind) => ({ ...clash('2026-07-03', '2026-07-05', []), kind }))
  expect(headingOf(conflicts, questions)).toBe(want)
})

describe('questionsOf', () => {
  const unclear = (id: number, linked?: number[]) =>
    ({ id, calendar: 1, calendarName: 'Ketch', kind: 'unclear', state: 'open', linked }) as unknown as Conflict

  it('takes three or more of the same two feeds together', () => {
    const questions = questionsOf([
      unclear(1, [3, 7]),
      unclear(2),
      unclear(3, [3, 7]),
      unclear(4, [3, 8]),
      unclear(5, [3, 7]),
    ])
    expect(questions.map((q) => [q.feeds, q.conflicts.map((c) => c.id)])).toEqual([
      [
        [3, 7],
        [1, 3, 5],
      ],
    ])
  })
})
