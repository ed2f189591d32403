import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ProblemError } from '@/data/api'
import { useProblems } from './form'
import { useRemoval } from './removal'

const invalidateQueries = vi.fn(() => Promise.resolve())
vi.mock('@tanstack/vue-query', () => ({ useQueryClient: () => ({ invalidateQueries }) }))
beforeEach(() => invalidateQueries.mockClear())

const problem = (status: number, more: object) =>
  new ProblemError({ code: 'wrong_value', title: 'No', status, detail: 'not so', ...more }, status)
const failing = (e: Error) => () => Promise.reject(e)

describe('the answer to a form', () => {
  it('is beside its field where it names one', async () => {
    const p = useProblems()
    expect(await p.attempt(failing(problem(422, { errors: [{ field: 'zone', message: 'unknown' }] })))).toBe(false)
    expect([p.of('zone'), p.of('name'), p.rest.value, p.stale.value]).toEqual(['Unknown', '', '', false])
  })
  it('is below it where it names none, and gone with the next attempt', async () => {
    const p = useProblems()
    await p.attempt(failing(new Error('away')))
    expect([p.of('zone'), p.rest.value, p.all.value]).toEqual(['', 'away', 'away'])
    expect(await p.attempt(() => Promise.resolve())).toBe(true)
    expect(p.all.value).toBe('')
  })
  it('says that somebody else was first', async () => {
    const p = useProblems()
    await p.attempt(failing(problem(409, { errors: [{ field: 'name', message: 'harbour changed it' }] })))
    expect([p.stale.value, p.of('name')]).toEqual([true, 'harbour changed it'])
    p.clear()
    expect(p.stale.value).toBe(false)
  })
})

describe('a removal', () => {
  const losing = (key: string) => problem(409, { loses: ['2 bookings'], confirm: key })

  it('that loses nothing is done at once', async () => {
    const done = vi.fn()
    const r = useRemoval(done)
    await r.remove('Desk', () => Promise.resolve())
    expect(r.asking.value).toBeNull()
    expect(done).toHaveBeenCalledOnce()
    expect(invalidateQueries).toHaveBeenCalledOnce()
  })
  it('shows what would be lost, and is done when that is confirmed', async () => {
    const done = vi.fn()
    const call = vi.fn((confirm: string | undefined) =>
      confirm === 'key' ? Promise.resolve() : Promise.reject(losing('key')),
    )
    const r = useRemoval(done)
    await r.remove('Desk', call)
    expect(r.asking.value).toEqual({ what: 'Desk', loses: ['2 bookings'] })
    expect(done).not.toHaveBeenCalled()
    await r.agree()
    expect(call.mock.calls).toEqual([[undefined], ['key']])
    expect(r.asking.value).toBeNull()
    expect(done).toHaveBeenCalledOnce()
  })
  it('is asked about again when more would be lost by then', async () => {
    const keys = ['one', 'two']
    const r = useRemoval()
    await r.remove('Desk', () => Promise.reject(losing(keys.shift() ?? '')))
    await r.agree()
    expect(r.asking.value).not.toBeNull()
  })
  it('that fails says why', async () => {
    const r = useRemoval()
    await r.remove('Desk', failing(new Error('away')))
    expect([r.error.value, r.asking.value]).toEqual(['away', null])
  })
})
