import { describe, expect, it } from 'vitest'
import { threadOf } from './board'
import { byCalendar, isSub, nothing, partsOf, rowsOf, sectionsOf, stack, within } from './rows'
import { booking, calendar } from './samples'

describe('rows', () => {
  const { rows, height } = stack([30, 50, 20, 40], (h) => h)
  it.each([
    [0, 30, [30]],
    [0, 31, [30, 50]],
    [79, 81, [50, 20]],
    [80, 100, [20]],
    [139, 999, [40]],
    [140, 999, []],
    [-50, 0, []],
  ])('from %i to %i', (from, to, want) => {
    expect(within(rows, from, to).map((s) => s.row)).toEqual(want)
  })
  it('are as high as all of them', () => expect([height, rows.at(-1)?.top]).toEqual([140, 100]))
  it('come in parts', () => expect(partsOf([1, 2, 3, 4, 5], 2)).toEqual([[1, 2], [3, 4], [5]]))
})

it('calendars come in the order of their groups, then by how they are let', () => {
  const c = (id: number, grain: 'night' | 'day' | 'time', group?: number) => ({ ...calendar(grain), id, group })
  const groups = [
    { id: 7, name: 'Boats', revision: 1 },
    { id: 5, name: 'Berths', revision: 1 },
    { id: 9, name: 'Empty', revision: 1 },
  ]
  const all = [c(1, 'time'), c(2, 'day', 5), c(3, 'night', 7), c(4, 'day', 7), c(6, 'night', 99)]
  expect(sectionsOf(all, groups).map((s) => [s.title, s.calendars.map((x) => x.id)])).toEqual([
    ['Boats', [3, 4]],
    ['Berths', [2]],
    ['By the night', [6]],
    ['By the hour', [1]],
  ])
})

it('a calendar that is opened has a row for each feed, and for what came from none', () => {
  const c = { ...calendar('night'), links: [{ feed: 1 }, { feed: 2 }] as ReturnType<typeof calendar>['links'] }
  const all = [
    booking(1, '2026-12-03', '2026-12-05'),
    booking(2, '2026-12-03', '2026-12-05', { feed: 2, reflects: 1 }),
    booking(3, '2026-12-08', '2026-12-09', { feed: undefined, label: 'By hand' }),
  ]
  expect(byCalendar(all).get(1)).toEqual(all)
  const own = rowsOf(c, all, [], false, '2026-12-01')
  expect(own).toHaveLength(1)
  const rows = rowsOf(c, all, [], true, '2026-12-01')
  expect(rows.map((r) => [isSub(r), r.line.bars.map((b) => b.booking.id)])).toEqual([
    [false, [1, 2, 3]],
    [true, [1]],
    [true, [2]],
    [true, [3]],
  ])
  expect(threadOf(rows[0]?.line ?? nothing, all[1] ?? null, 20, 26)).toMatch(/^M\d+ \d+ C/)
  expect(threadOf(own[0]?.line ?? nothing, all[0] ?? null, 20, 26)).toBe('')
})
