import { describe, expect, it } from 'vitest'
import { addDays, addMonths, daysBetween, distance, gapWords, monday, todayIn, wallClock, weekday } from './dates'

describe('dates', () => {
  it('count over months, years and changes of the clock', () => {
    expect(addDays('2026-02-28', 1)).toBe('2026-03-01')
    expect(addDays('2027-01-01', -1)).toBe('2026-12-31')
    expect(daysBetween('2026-10-31', '2026-11-02')).toBe(2)
    expect(addMonths('2026-01-31', 1)).toBe('2026-02-01')
    expect(addMonths('2026-12-15', 1)).toBe('2027-01-01')
  })

  it('know the week', () => {
    expect(weekday('2026-07-06')).toBe(0)
    expect(monday('2026-07-12')).toBe('2026-07-06')
    expect(monday('2026-07-06')).toBe('2026-07-06')
  })

  it('are those of the calendar’s zone, not of the reader', () => {
    expect(wallClock('2026-07-08T01:00:00Z', 'America/Halifax')).toBe('2026-07-07T22:00')
    expect(todayIn('America/Halifax', new Date('2026-11-24T03:59:00Z'))).toBe('2026-11-23')
    expect(todayIn('Asia/Tokyo', new Date('2026-11-23T15:00:00Z'))).toBe('2026-11-24')
  })

  it.each([
    ['2026-07-01T12:00:00Z', 'now'],
    ['2026-07-01T11:59:30Z', '30 s ago'],
    ['2026-07-01T11:00:01Z', '59 min ago'],
    ['2026-07-01T09:00:00Z', '3 h ago'],
    ['2026-07-01T12:15:00Z', 'in 15 min'],
    ['2026-06-20T12:00:00Z', '11 days ago'],
  ])('%s is %s', (at, words) => {
    expect(distance(at, new Date('2026-07-01T12:00:00Z'))).toBe(words)
  })
})

it.each([
  [15, '15 s'],
  [900, '15 min'],
  [10_800, '3 h'],
  [259_200, '3 days'],
])('%i seconds are %s', (seconds, words) => {
  expect(gapWords(seconds)).toBe(words)
})
