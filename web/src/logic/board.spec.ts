import { describe, expect, it } from 'vitest'
import { chunksOf, layLine, reach, ticksOf, weekendsOf } from './board'
import { booking, calendar, clash } from './samples'

const origin = '2026-07-01'

describe('where spans lie', () => {
  it.each([
    ['day', '2026-07-03', '2026-07-05', [2, 4]],
    ['night', '2026-07-03', '2026-07-05', [2.5, 4.5]], // from noon to noon: leaving and arriving touch
    ['time', '2026-07-03T21:00:00Z', '2026-07-04T03:00:00Z', [2.75, 3]], // 18:00 to midnight in Halifax
  ] as const)('%s', (grain, start, end, want) => {
    expect(reach({ start, end }, calendar(grain), origin)).toEqual(want)
  })

  it('puts what overlaps into lanes, and a clash over the lanes of its bookings', () => {
    const a = booking(1, '2026-07-03', '2026-07-06')
    const b = booking(2, '2026-07-05', '2026-07-08')
    const c = booking(3, '2026-07-06', '2026-07-07')
    const echo = booking(4, '2026-07-03', '2026-07-04', { verdict: 'echo' })
    const line = layLine([echo, b, c, a], [clash('2026-07-05', '2026-07-06', [a, b])], calendar('day'), origin)
    expect(line.bars.map((p) => [p.booking.id, p.lane])).toEqual([[1, 0], [2, 1], [3, 0], [4, 1]]) // prettier-ignore
    expect(line.clashes).toMatchObject([{ from: 4, to: 5, lane: 0, lanes: 2 }])
    expect(line.lanes).toBe(2)
  })
})

describe('the scale', () => {
  it('asks by quarters of a year', () => {
    expect(chunksOf('2026-02-10', '2026-04-01')).toEqual([{ from: '2026-01-01', to: '2026-04-01' }])
    expect(chunksOf('2026-12-31', '2027-01-02').map((c) => c.from)).toEqual(['2026-10-01', '2027-01-01'])
  })

  it('names hours, days, Mondays and months', () => {
    const texts = (scale: Parameters<typeof ticksOf>[0], to: string) =>
      ticksOf(scale, origin, '2026-07-31', to).map((t) => t.text)
    expect(texts('month', '2026-08-03')).toEqual(['31', 'Aug 1', '2'])
    expect(texts('week', '2026-08-02')).toEqual(['Fri 31 Jul', 'Sat 1 Aug'])
    expect(texts('day', '2026-08-01')).toEqual(['Fri 31 Jul', '6:00', '9:00', '12:00', '15:00', '18:00', '21:00'])
    expect(texts('season', '2026-08-11')).toEqual(['Aug 2026', '', '10'])
    expect(weekendsOf(origin, '2026-07-01', '2026-07-12')).toEqual([3, 10])
  })
})
