// Open pages change by themselves: the service tells what changed, and what is shown of it
// is asked for anew. Of several tabs one listens and tells the others.
import type { QueryClient, QueryKey } from '@tanstack/vue-query'
import { ref } from 'vue'

interface Change {
  topic: string
  id: number
}

/** Whether this page is being told of changes at this moment. */
export const live = ref(false)

/** What is stale after a change; an empty list stands for everything. */
export function staleAfter({ topic, id }: Change): QueryKey[] {
  switch (topic) {
    case 'platform':
      return [['today'], ['platforms'], ['feeds'], ['publications'], ['habits']]
    case 'feed':
      return [['today'], ['feeds'], ['readings', id]]
    case 'calendar':
      return [
        ['today'],
        ['calendars'],
        ['groups'],
        ['bookings'],
        ['conflicts'],
        ['conflict'],
        ['habits'],
        ['reminders'],
      ]
    case 'conflict':
      return [['calendars'], ['conflicts'], ['conflict', id]]
    case 'publication':
      return [['today'], ['publications'], ['preview', id], ['pickups', id], ['trips']]
    case 'pickup':
      return [['today'], ['publications'], ['pickups', id], ['pickup-days', id]]
    case 'group':
      return [['groups'], ['calendars']]
    case 'reminder':
      return [['today'], ['reminders']]
    case 'login':
      return [['logins']]
  }
  return []
}

/**
 * Gathers what is stale: many changes at once are asked for once, and where changes do not
 * cease, once in a while.
 */
function gatherer(client: QueryClient, moment: number, pause: number) {
  let keys: QueryKey[] = []
  let everything = false
  let last = 0
  let timer: ReturnType<typeof setTimeout> | undefined
  return (change: Change) => {
    if (change.topic === older.topic) {
      const before = Date.now() - told
      void client.invalidateQueries({
        predicate: ({ state }) => state.dataUpdatedAt > 0 && state.dataUpdatedAt < before, // else it is asked for just now
      })
      return
    }
    const more = staleAfter(change)
    if (more.length === 0) everything = true
    keys.push(...more)
    timer ??= setTimeout(
      () => {
        last = Date.now()
        const unique = new Map(keys.map((key) => [JSON.stringify(key), key]))
        if (everything) void client.invalidateQueries()
        else for (const queryKey of unique.values()) void client.invalidateQueries({ queryKey })
        keys = []
        everything = false
        timer = undefined
      },
      Math.max(moment, last + pause - Date.now()),
    )
  }
}

const all: Change = { topic: 'all', id: 0 }
const older: Change = { topic: 'older', id: 0 }
const told = 8000 // for how long back the service tells of changes to who begins to listen, and a little less
const patience = 5000 // before a stream that was refused is asked for again, in milliseconds

/** Listens until the returned function is called. */
export function listen(client: QueryClient): () => void {
  const stale = gatherer(client, 100, 1000)
  const others = new BroadcastChannel('wharf-changes')
  const stop = new AbortController()
  let source: EventSource | undefined
  let again: ReturnType<typeof setTimeout> | undefined

  others.onmessage = ({ data }: MessageEvent<Change | 'live'>) => {
    if (data === 'live') live.value = true
    else stale(data)
  }

  function open() {
    source = new EventSource('/api/v1/changes')
    source.onopen = () => {
      live.value = true
      others.postMessage('live')
      others.postMessage(older)
      stale(older) // whatever happened before
    }
    source.onerror = () => {
      live.value = false
      if (source?.readyState !== EventSource.CLOSED) return // the browser tries again
      stale(all) // a login that has ended shows itself so
      again = setTimeout(open, patience)
    }
    source.addEventListener('change', ({ data }) => {
      const change = JSON.parse(data as string) as Change
      others.postMessage(change)
      stale(change)
    })
    // The login has ended. Unless this browser has a newer one, asking again shows that.
    source.addEventListener('end', () => {
      source?.close()
      others.postMessage(all)
      stale(all)
      again = setTimeout(open, patience)
    })
  }

  // The tab that holds the lock listens; another takes over when it is closed.
  const turn = () =>
    new Promise<void>((done) => {
      if (stop.signal.aborted) return done()
      stop.signal.addEventListener('abort', () => done())
      open()
    })
  if ('locks' in navigator) {
    live.value = true // another tab may be at it; if none is, this one opens at once
    navigator.locks.request('wharf-changes', { signal: stop.signal }, turn).catch(() => undefined) // stopped while waiting
  } else void turn()

  return () => {
    stop.abort()
    clearTimeout(again)
    source?.close()
    others.close()
    live.value = false
  }
}
