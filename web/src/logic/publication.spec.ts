import { describe, expect, it } from 'vitest'
import { contentWords, daysOf, emptyContent, webcal } from './publication'

describe('what a publication shows, in words', () => {
  const cases: [string, Partial<ReturnType<typeof emptyContent>>, number, string][] = [
    ['nothing chosen', {}, 1, 'times only'],
    ['several units', {}, 3, 'times only, where none of 3 is left'],
    ['every booking of several', { occupancy: 'each' }, 3, 'times only, every booking'],
    ['titles, joined', { detail: 'titles', joined: true }, 1, 'times and titles, joined'],
    ['everything', { detail: 'everything', occupancy: 'each' }, 3, 'everything'],
    [
      'and what is asked for',
      { detail: 'everything', attendees: true, links: true },
      1,
      'everything, with guests, with links',
    ],
    [
      'chosen',
      { feeds: [4], holds: false, categories: ['club', 'winter'], shown: true, tentative: 'ignore' },
      1,
      'times only, what is tentative not at all, from 1 feed only, without what was entered by hand, of club, winter, with what is only shown',
    ],
  ]
  it.each(cases)('%s', (_, change, capacity, words) => {
    expect(contentWords({ ...emptyContent(), ...change }, capacity)).toBe(words)
  })
})

it('every day has a sum, over the end of a month, but for those before the first', () => {
  const sums = [
    { day: '2026-11-30', times: 9 },
    { day: '2026-12-02', times: 5 },
  ]
  expect(daysOf(sums, '2026-11-29', '2026-12-02')).toEqual([
    { day: '2026-11-29', times: undefined },
    { day: '2026-11-30', times: 9 },
    { day: '2026-12-01', times: 0 },
    { day: '2026-12-02', times: 5 },
  ])
  expect(daysOf([], '2026-12-01', '2026-12-02').map((d) => d.times)).toEqual([undefined, 0])
})

it('a link for programs that subscribe', () => {
  expect([webcal('https://wharf.example/p/x.ics'), webcal('http://127.0.0.1:8470/p/http:x.ics')]).toEqual([
    'webcal://wharf.example/p/x.ics',
    'webcal://127.0.0.1:8470/p/http:x.ics',
  ])
})
