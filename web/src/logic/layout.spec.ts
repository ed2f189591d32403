import { describe, expect, it } from 'vitest'
import type { Booking, Calendar } from '@/data/api'
import { booking, calendar, clash } from './samples'
import { layWeek, lengthWords, spanWords } from './layout'

describe('a week', () => {
  // Monday 6 July to Sunday 12 July 2026.
  const bars = (grain: Calendar['grain'], ...all: Booking[]) =>
    layWeek('2026-07-06', all, [], calendar(grain)).bars.map((b) => [b.booking.id, b.left, b.width, b.lane])

  it.each<[string, Calendar['grain'], Booking[], number[][]]>([
    ['days cover their days', 'day', [booking(1, '2026-07-07', '2026-07-09')], [[1, 1, 2, 0]]],
    ['nights run from afternoon to morning', 'night', [booking(1, '2026-07-07', '2026-07-09')], [[1, 1.5, 2, 0]]],
    [
      'leaving and arriving on one day touch in one lane',
      'night',
      [booking(1, '2026-07-06', '2026-07-08'), booking(2, '2026-07-08', '2026-07-09')],
      [
        [1, 0.5, 2, 0],
        [2, 2.5, 1, 0],
      ],
    ],
    [
      'what overlaps gets a lane of its own',
      'day',
      [
        booking(1, '2026-07-06', '2026-07-09'),
        booking(2, '2026-07-08', '2026-07-10'),
        booking(3, '2026-07-09', '2026-07-10'),
      ],
      [
        [1, 0, 3, 0],
        [2, 2, 2, 1],
        [3, 3, 1, 0],
      ],
    ],
    ['what runs out of the week is cut at its ends', 'day', [booking(1, '2026-07-01', '2026-07-20')], [[1, 0, 7, 0]]],
    [
      'the week before and the week after are not drawn',
      'day',
      [booking(1, '2026-07-04', '2026-07-06'), booking(2, '2026-07-13', '2026-07-14')],
      [],
    ],
    [
      'echoes lie below, whatever their order',
      'day',
      [booking(1, '2026-07-07', '2026-07-09', { verdict: 'echo' }), booking(2, '2026-07-07', '2026-07-09')],
      [
        [2, 1, 2, 0],
        [1, 1, 2, 1],
      ],
    ],
    [
      'an evening lies on its day in the calendar’s zone',
      'time',
      [booking(1, '2026-07-08T01:00:00Z', '2026-07-08T03:00:00Z')],
      [[1, 1, 1, 0]],
    ],
  ])('%s', (_, grain, all, want) => {
    expect(bars(grain, ...all)).toEqual(want)
  })

  it('draws a clash over the lanes and the days that its bookings share', () => {
    const a = booking(1, '2026-07-06', '2026-07-09')
    const b = booking(2, '2026-07-08', '2026-07-11')
    const week = layWeek('2026-07-06', [a, b], [clash('2026-07-08', '2026-07-09', [a, b])], calendar('day'))
    expect(week.clashes).toMatchObject([{ left: 2, width: 1, firstLane: 0, lanes: 2 }])
    expect(layWeek('2026-07-13', [a, b], [clash('2026-07-08', '2026-07-09', [a, b])], calendar('day')).clashes).toEqual(
      [],
    )
  })
})

describe('words', () => {
  it.each<[Calendar['grain'], string, string, string, string]>([
    ['day', '2026-07-07', '2026-07-09', '7 Jul – 8 Jul', '2 days'],
    ['day', '2026-07-07', '2026-07-08', '7 Jul', '1 day'],
    ['night', '2026-07-07', '2026-07-09', '7 Jul – 9 Jul', '2 nights'],
    ['time', '2026-07-07T22:00:00Z', '2026-07-07T23:30:00Z', '7 Jul, 19:00–20:30', '1 h 30 min'],
    ['time', '2026-07-07T22:00:00Z', '2026-07-08T03:00:00Z', '7 Jul, 19:00–00:00', '5 h'],
  ])('by %s from %s', (grain, start, end, span, length) => {
    expect(spanWords(start, end, calendar(grain))).toBe(span)
    expect(lengthWords(start, end, calendar(grain))).toBe(length)
  })
})
