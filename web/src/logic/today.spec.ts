import { describe, expect, it } from 'vitest'
import type { Calendar, Conflict, Feed, Publication } from '@/data/api'
import { staleAfter } from '@/data/live'
import { factsOf } from './facts'
import { booking, calendar, clash } from './samples'
import { directionsOf, movementsOn, questionsOf } from './today'

const feed = (id: number, platform: string, calendars: number[]) =>
  ({ id, platform: { name: platform }, calendars }) as Feed
const publication = (calendar: number, platform: string) => ({ calendar, platform: { name: platform } }) as Publication
const linked = (role: 'blocks' | 'shows', ...feeds: number[]): Calendar => ({
  ...calendar('day'),
  links: feeds.map((f) => ({
    feed: f,
    revision: 1,
    role,
    tentative: 'tentative',
    units: 1,
    label: '',
    filter: '',
    counting: '',
    color: 'teal',
    notices: [],
  })),
})

describe('directions', () => {
  it.each([
    ['read and given back', linked('blocks', 1), [feed(1, 'Desk', [1])], [publication(1, 'Desk')], []],
    ['read only', linked('blocks', 1), [feed(1, 'Desk', [1])], [], [['Desk', 'out']]],
    ['only shown needs nothing back', linked('shows', 1), [feed(1, 'Diary', [1])], [], []],
    ['given back only', linked('blocks'), [], [publication(1, 'Desk')], [['Desk', 'in']]],
  ] as const)('%s', (_, c, feeds, publications, want) => {
    expect(directionsOf([c], [...feeds], [...publications]).gaps.map((g) => [g.platform, g.missing])).toEqual(want)
  })
})

describe('comings and goings', () => {
  const on = (date: string, c: Calendar, ...all: ReturnType<typeof booking>[]) => {
    const { come, go } = movementsOn(date, all, [c])
    return [come.map((m) => m.booking.id), go.map((m) => m.booking.id)]
  }
  it('a stay is left on its end, a day booking ends the day before', () => {
    const stay = booking(1, '2026-07-03', '2026-07-05')
    expect(on('2026-07-05', calendar('night'), stay)).toEqual([[], [1]])
    expect(on('2026-07-04', calendar('day'), stay)).toEqual([[], [1]])
    expect(on('2026-07-03', calendar('night'), stay)).toEqual([[1], []])
  })
  it('hours belong to the day in the calendar’s zone; echoes to none', () => {
    const late = booking(1, '2026-07-04T02:00:00Z', '2026-07-04T03:00:00Z')
    expect(on('2026-07-03', calendar('time'), late)).toEqual([[1], []])
    expect(on('2026-07-03', calendar('day'), booking(2, '2026-07-03', '2026-07-05', { verdict: 'echo' }))).toEqual([
      [],
      [],
    ])
  })
})

it('twice as many calendars, feeds and bookings take twice the looks', () => {
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
    const calendars = ids.map((i) => counted({ ...linked('blocks', i), id: i }))
    const feeds = ids.map((i) => counted(feed(i, `Platform ${i % 40}`, [i])))
    const publications = ids.map((i) => counted(publication(i, `Platform ${(i + 1) % 40}`)))
    const bookings = ids.map((i) => counted({ ...booking(i, '2026-07-03', '2026-07-05'), calendar: i }))
    looks = 0
    expect(directionsOf(calendars, feeds, publications).gaps).toHaveLength(2 * n)
    expect(movementsOn('2026-07-03', bookings, calendars).come).toHaveLength(n)
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
  expect(staleAfter({ topic: 'feed', id: 7 })).toEqual([['feeds'], ['readings', 7]])
  expect(staleAfter({ topic: 'pickup', id: 7 })).toContainEqual(['pickups', 7])
  expect(staleAfter({ topic: 'all', id: 0 })).toEqual([])
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
