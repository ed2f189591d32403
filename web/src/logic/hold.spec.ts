import { describe, expect, it } from 'vitest'
import {
  doubtful,
  draftOf,
  draftOn,
  editOf,
  endsOf,
  joinRule,
  repeatWords,
  whenWords,
  pointedDays,
  requestOf,
  splitRule,
  type Hold,
} from './hold'
import { booking, calendar } from './samples'

const hold = (start: string, end: string, more: Partial<Hold> = {}): Hold => ({
  id: 5,
  revision: 1,
  calendar: 1,
  calendarName: 'Ketch',
  grain: 'night',
  start,
  end,
  title: 'Osei',
  tentative: false,
  closure: false,
  units: 0,
  steps: [],
  ...more,
})

describe('the ends of a hold', () => {
  it.each([
    ['night', '2026-12-20', '2026-12-23', { start: '2026-12-20', end: '2026-12-23' }],
    ['day', '2026-12-20', '2026-12-22', { start: '2026-12-20', end: '2026-12-23' }],
    ['time', '2026-12-20', '2026-12-20', { start: '2026-12-20T10:00', end: '2026-12-20T12:00' }],
  ] as const)('are those of its grain: %s', (grain, first, last, want) => {
    expect(endsOf(draftOn(calendar(grain), first, last), grain)).toEqual(want)
  })
  it('that were pointed at are whole days, in order, and a night at least', () => {
    expect(pointedDays('2026-12-01', 4.9, 2.1, 'day')).toEqual(['2026-12-03', '2026-12-05'])
    expect(pointedDays('2026-12-01', 2.1, 2.3, 'night')).toEqual(['2026-12-03', '2026-12-04'])
  })
})

describe('an edit', () => {
  const by = calendar('day')
  it('says what is other than it was, and no more', () => {
    const was = draftOf(hold('2026-12-20', '2026-12-23', { grain: 'day' }), by)
    expect([was.first, was.last]).toEqual(['2026-12-20', '2026-12-22'])
    expect(editOf(was, { ...was }, by)).toEqual({})
    expect(editOf(was, { ...was, last: '2026-12-23', kind: 'tentative' }, by)).toEqual({
      start: '2026-12-20',
      end: '2026-12-24',
      tentative: true,
    })
  })
  it('of one of a series begins where that one is', () => {
    const one = booking(1, '2026-07-10T13:00:00Z', '2026-07-10T15:00:00Z', { title: 'Osei, late' })
    const series = hold('2026-07-03T10:00', '2026-07-03T12:00', { grain: 'time', repeat: 'FREQ=WEEKLY' })
    const draft = draftOf(series, calendar('time'), one)
    expect([draft.first, draft.from, draft.until, draft.title]).toEqual(['2026-07-10', '10:00', '12:00', 'Osei, late'])
  })
})

it('a rule has a count, or none', () => {
  expect(splitRule('FREQ=WEEKLY;COUNT=6')).toEqual({ often: 'FREQ=WEEKLY', times: 6 })
  expect(joinRule('FREQ=WEEKLY', 6)).toBe('FREQ=WEEKLY;COUNT=6')
  expect(joinRule('FREQ=WEEKLY', 0)).toBe('FREQ=WEEKLY')
  expect(
    requestOf({ ...draftOn(calendar('night'), '2026-12-20'), categories: 'Berth, , Winter' }, calendar('night')),
  ).toMatchObject({
    start: '2026-12-20',
    end: '2026-12-21',
    categories: ['Berth', 'Winter'],
  })
})

it('what clashes, is asked or is told too late is looked at again', () => {
  const calm = { questions: [], effects: [], unaware: [] }
  const platform = { id: 1, name: 'Desk' }
  expect(doubtful(calm)).toBe(false)
  expect(doubtful({ ...calm, unaware: [{ platform, late: false, says: 'soon' }] })).toBe(false)
  expect(doubtful({ ...calm, unaware: [{ platform, late: true, says: 'late' }] })).toBe(true)
  expect(doubtful({ ...calm, questions: [{ field: 'end', says: 'short' }] })).toBe(true)
})

describe('a hold in a list', () => {
  it.each([
    [{ start: '2026-12-20', end: '2026-12-23', grain: 'night' }, '20 Dec – 23 Dec'],
    [{ start: '2026-12-20', end: '2026-12-21', grain: 'day' }, '20 Dec'],
    [{ start: '2026-12-20', end: '2026-12-22', grain: 'time' }, '20 Dec – 21 Dec'],
    [{ start: '2026-12-20T14:00', end: '2026-12-20T16:30', grain: 'time' }, 'Sunday 20 December, 14:00 to 16:30'],
    [
      { start: '2026-12-20T14:00:00', end: '2026-12-21T01:00:00', grain: 'night' },
      'Sunday 20 December, 14:00 to Monday 21 December, 01:00',
    ],
  ] as const)('%o is %s', (hold, words) => {
    expect(whenWords(hold, 'UTC')).toBe(words)
  })
  it('says how often', () => {
    expect([repeatWords('FREQ=WEEKLY;COUNT=6'), repeatWords('FREQ=HOURLY')]).toEqual([
      'every week, 6 times',
      'FREQ=HOURLY',
    ])
  })
})
