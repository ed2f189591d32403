import { describe, expect, it } from 'vitest'
import { partsOf, sectionsOf, stack, within } from './rows'
import { calendar } from './samples'

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
