import { describe, expect, it } from 'vitest'
import type { Schemas } from '@/data/api'
import { firstLead, keyOf, leadText, untold } from './reminder'

describe('a lead', () => {
  it.each([
    [{ n: 30, unit: 'm', at: '' }, '30m'],
    [{ n: 2, unit: 'h', at: '18:00' }, '2h'],
    [{ n: 3, unit: 'd', at: '18:00' }, '3d'],
    [{ n: 1, unit: 'at', at: '18:00' }, '1d 18:00'],
    [{ n: 0, unit: 'at', at: '08:00' }, '0d 08:00'],
  ] as const)('%o is %s', (lead, text) => {
    expect(leadText(lead)).toBe(text)
  })
  it('begins with the evening before, or two hours', () => {
    expect(leadText(firstLead('night'))).toBe('1d 18:00')
    expect(leadText(firstLead('time'))).toBe('2h')
  })
})

describe('what is told', () => {
  const of = (id: number, due: string) => ({ id, booking: 7, due }) as Schemas['Reminder']
  it('is each reminder once, and once more when it is due at another time', () => {
    const first = untold([of(1, 'a'), of(2, 'a')], [])
    expect(first.fresh.map((r) => r.id)).toEqual([1, 2])
    const then = untold([of(1, 'b'), of(2, 'a')], first.told)
    expect(then.fresh.map(keyOf)).toEqual(['1/7/b'])
    expect(untold([of(1, 'b')], then.told)).toEqual({ fresh: [], told: ['1/7/b'] })
  })
})
