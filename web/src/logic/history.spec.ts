import { expect, test } from 'vitest'
import type { Reading } from '@/data/api'
import { plotOf, stripOf } from './history'

const record = (finished: string, r: Partial<Reading>): Reading => ({
  id: 1,
  started: finished,
  finished,
  outcome: 'unchanged',
  entries: 0,
  added: 0,
  changed: 0,
  removed: 0,
  times: 1,
  ...r,
})
const newestFirst = [
  record('2026-07-04', { outcome: 'changed', entries: 3, removed: 2 }),
  record('2026-07-03', { outcome: 'failed', times: 9 }),
  record('2026-07-02', { started: '2026-07-01', entries: 5, times: 8 }),
  record('2026-07-01', { outcome: 'changed', entries: 5, added: 5 }),
]

test('a plot goes from the oldest to the newest; runs reach from end to end, and what failed says nothing', () => {
  expect(plotOf(newestFirst)).toEqual({
    entries: [
      ['2026-07-01', 5],
      ['2026-07-01', 5],
      ['2026-07-02', 5],
      ['2026-07-04', 3],
    ],
    added: [['2026-07-01', 5]],
    changed: [],
    removed: [['2026-07-04', -2]],
  })
  expect(plotOf([]).entries).toEqual([])
})

test('a strip shows the newest records, the oldest of them first', () => {
  const strip = stripOf(newestFirst, 3)
  expect(strip.map((p) => p.reading.finished)).toEqual(['2026-07-02', '2026-07-03', '2026-07-04'])
  expect(strip.map((p) => p.weight)).toEqual([4, 1 + Math.log2(9), 1])
})
