import { QueryClient } from '@tanstack/vue-query'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { listen, live } from './live'

/** A stream whose other end the test holds. */
class Stream {
  static CLOSED = 2
  static all: Stream[] = []
  readyState = 0
  onopen?: () => void
  onerror?: () => void
  heard = new Map<string, (e: { data: string }) => void>()
  constructor(readonly url: string) {
    Stream.all.push(this)
  }
  addEventListener(name: string, f: (e: { data: string }) => void) {
    this.heard.set(name, f)
  }
  close() {
    this.readyState = Stream.CLOSED
  }
  change(topic: string, id: number) {
    this.heard.get('change')?.({ data: JSON.stringify({ topic, id }) })
  }
}

/** A channel between tabs that delivers at once. */
class Channel {
  static all = new Set<Channel>()
  onmessage?: (e: { data: unknown }) => void
  constructor() {
    Channel.all.add(this)
  }
  postMessage(data: unknown) {
    for (const c of Channel.all) if (c !== this) c.onmessage?.({ data })
  }
  close() {
    Channel.all.delete(this)
  }
}

/** Locks as a browser gives them: one holder, the next in turn. */
function locks() {
  let last: Promise<unknown> = Promise.resolve()
  return {
    request: (_: string, { signal }: { signal: AbortSignal }, f: () => Promise<void>) => {
      const turn = last.then(() => (signal.aborted ? undefined : f()))
      last = turn
      return turn
    },
  }
}

beforeEach(() => {
  vi.useFakeTimers()
  Stream.all = []
  Channel.all.clear()
  vi.stubGlobal('EventSource', Stream)
  vi.stubGlobal('BroadcastChannel', Channel)
  vi.stubGlobal('navigator', { locks: locks() })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

/** A tab that listens, with the keys that became stale in it; [] for all of them. */
async function tab() {
  const client = new QueryClient()
  const stale: unknown[] = []
  vi.spyOn(client, 'invalidateQueries').mockImplementation((filters) => {
    stale.push(
      filters && 'predicate' in filters ? 'older' : ((filters as { queryKey: unknown } | undefined)?.queryKey ?? []),
    )
    return Promise.resolve()
  })
  const stop = listen(client)
  await vi.advanceTimersByTimeAsync(0)
  return { stale, stop }
}
const stream = (n: number): Stream => Stream.all[n] as Stream
const moment = () => vi.advanceTimersByTimeAsync(1200)

describe('an open page', () => {
  it('asks anew for what changed, once for many changes', async () => {
    const { stale } = await tab()
    stream(0).onopen?.()
    await moment()
    expect(stale).toEqual(['older']) // whatever happened before; of the last seconds the service tells
    stale.length = 0
    stream(0).change('feed', 7)
    stream(0).change('feed', 7)
    stream(0).change('pickup', 3)
    await moment()
    expect(stale).toEqual([['today'], ['feeds'], ['readings', 7], ['publications'], ['pickups', 3], ['pickup-days', 3]])
    stale.length = 0
    stream(0).change('something new', 1)
    await moment()
    expect(stale).toEqual([[]])
  })

  it('asks once in a while where changes do not cease', async () => {
    const { stale } = await tab()
    for (let i = 0; i < 100; i++) {
      stream(0).change('feed', 7)
      await vi.advanceTimersByTimeAsync(50)
    }
    expect(stale.filter((key) => JSON.stringify(key) === '["feeds"]')).toHaveLength(5) // in five seconds
  })

  it('of several tabs one listens and tells the others; another takes over when it is closed', async () => {
    const one = await tab()
    const two = await tab()
    expect(Stream.all).toHaveLength(1)
    stream(0).onopen?.()
    stream(0).change('conflict', 1)
    await moment()
    expect(two.stale).toEqual(['older', ['calendars'], ['conflicts'], ['conflict', 1]])
    two.stale.length = 0
    stream(0).change('login', 1)
    await moment()
    expect(two.stale).toEqual([['logins']])
    one.stop()
    await vi.advanceTimersByTimeAsync(0)
    expect(Stream.all).toHaveLength(2)
    expect(stream(0).readyState).toBe(Stream.CLOSED)
  })

  it('that is refused says so and tries again; one that is stopped does not', async () => {
    const { stale, stop } = await tab()
    const first = stream(0)
    first.onopen?.()
    expect(live.value).toBe(true)
    first.onerror?.() // broken off: the browser tries again by itself
    expect(live.value).toBe(false)
    await vi.advanceTimersByTimeAsync(60_000)
    expect(Stream.all).toHaveLength(1)
    stale.length = 0
    first.readyState = Stream.CLOSED
    first.onerror?.()
    await moment()
    expect(stale).toEqual([[]]) // if the login has ended, this shows it
    await vi.advanceTimersByTimeAsync(10_000)
    expect(Stream.all).toHaveLength(2)
    stop()
    stream(1).readyState = Stream.CLOSED
    await vi.advanceTimersByTimeAsync(60_000)
    expect(Stream.all).toHaveLength(2)
  })

  it('whose login ends asks again, which shows the way to the login page', async () => {
    const { stale } = await tab()
    stream(0).onopen?.()
    await moment()
    stale.length = 0
    stream(0).heard.get('end')?.({ data: '{}' })
    await moment()
    expect(stale).toEqual([[]])
    expect(stream(0).readyState).toBe(Stream.CLOSED)
  })

  it('in a browser without locks listens by itself', async () => {
    vi.stubGlobal('navigator', {})
    await tab()
    await tab()
    expect(Stream.all).toHaveLength(2)
  })
})
