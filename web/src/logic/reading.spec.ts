import { expect, test } from 'vitest'
import type { Feed, Reading } from '@/data/api'
import { useReadAll } from './reading'

const feed = (id: number) => ({ id, name: `Feed ${id}` }) as Feed
const outcome = (outcome: Reading['outcome'], message?: string) => ({ outcome, message, times: 1 }) as Reading

test('several at once, with how far it is; what fails is named, the others go on', async () => {
  const open = new Map<number, (r: Reading) => void>()
  const all = useReadAll((id) => new Promise((resolve) => open.set(id, resolve)))
  const end = all.start([1, 2, 3, 4, 5, 6].map(feed))
  expect([...all.going.value]).toEqual([1, 2, 3, 4])
  open.get(2)?.(outcome('failed', 'the host is away'))
  open.get(1)?.(outcome('changed'))
  await new Promise((r) => setTimeout(r))
  expect([...all.going.value].sort()).toEqual([3, 4, 5, 6])
  expect([all.done.value, all.total.value, all.busy.value]).toEqual([2, 6, true])
  for (const id of [3, 4, 5, 6]) open.get(id)?.(outcome('unchanged'))
  await end
  expect(all.failed.value).toEqual(['Feed 2: the host is away.'])
  expect(all.said.value).toBe('6 feeds of 6 read, 1 changed, 1 failed.')
})

test('stopped: what is going on is broken off, what is left is not begun, and neither counts as failed', async () => {
  const begun: number[] = []
  const all = useReadAll((id, signal) => {
    begun.push(id)
    if (id === 1) return Promise.resolve(outcome('changed'))
    return new Promise((_, reject) => signal.addEventListener('abort', () => reject(new Error('aborted'))))
  })
  const end = all.start([1, 2, 3, 4, 5, 6, 7, 8].map(feed))
  await new Promise((r) => setTimeout(r))
  all.stop()
  await end
  expect(begun).toEqual([1, 2, 3, 4, 5])
  expect(all.failed.value).toEqual([])
  expect(all.said.value).toBe('1 feed of 8 read, 1 changed, 0 failed. Stopped: what was read is kept.')
})
