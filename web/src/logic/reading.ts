// Reading many feeds now: several at once, with how far it is, until it is done or stopped.
import { computed, ref } from 'vue'
import type { Feed, Reading } from '@/data/api'
import { count } from './dates'
import { readingWords } from './words'

const atOnce = 4

export function useReadAll(read: (feed: number, signal: AbortSignal) => Promise<Reading>) {
  const going = ref(new Set<number>())
  const done = ref(0)
  const failed = ref<string[]>([])
  const changed = ref(0)
  const total = ref(0)
  const said = ref('') // of the last run
  let stopping: AbortController | undefined
  const busy = computed(() => going.value.size > 0)

  async function one(feed: Feed, signal: AbortSignal) {
    going.value.add(feed.id)
    try {
      const r = await read(feed.id, signal)
      if (r.outcome === 'failed') failed.value.push(`${feed.name}: ${readingWords(r)}.`)
      if (r.outcome === 'changed') changed.value++
      if (total.value === 1) said.value = `${feed.name}: ${readingWords(r)}.`
      done.value++
    } catch (e) {
      if (!signal.aborted) {
        failed.value.push(`${feed.name}: ${e instanceof Error ? e.message : String(e)}`)
        done.value++
      }
    } finally {
      going.value.delete(feed.id)
    }
  }

  async function start(feeds: Feed[]) {
    if (busy.value || feeds.length === 0) return
    const stop = (stopping = new AbortController())
    ;[total.value, done.value, changed.value, failed.value, said.value] = [feeds.length, 0, 0, [], '']
    const left = [...feeds]
    await Promise.all(
      Array.from({ length: Math.min(atOnce, left.length) }, async () => {
        for (let f = left.shift(); f && !stop.signal.aborted; f = left.shift()) await one(f, stop.signal)
      }),
    )
    said.value ||= `${count(done.value, 'feed', 'feeds')} of ${total.value} read, ${changed.value} changed, ${failed.value.length} failed.${stop.signal.aborted ? ' Stopped: what was read is kept.' : ''}`
  }
  const stop = () => stopping?.abort()
  return { start, stop, busy, going, done, total, changed, failed, said }
}
