// Sentences about feeds and readings.
import type { Feed, Reading } from '@/data/api'

export const interval = (s: number): string =>
  s % 3600 === 0 ? `${s / 3600} h` : s % 60 === 0 ? `${s / 60} min` : `${s} s`

/** When a feed is read. */
export const scheduleWords = (f: Feed): string =>
  f.schedule.startsWith('every ') && !f.schedule.includes(' from ')
    ? `every ${interval(f.every)}`
    : f.schedule.replaceAll(',', ', ')

/** The parts of a schedule that a form has fields for; one with others is as it is written. */
export interface When {
  kind: 'every' | 'at' | 'once' | 'text'
  minutes: number
  times: string
  zone: string
  text: string
}

export function whenOf(f: Pick<Feed, 'every' | 'schedule'>): When {
  const when: When = {
    kind: 'text',
    minutes: f.every > 0 ? Math.round((f.every / 60) * 100) / 100 : 15,
    times: '06:00,18:00',
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    text: f.schedule,
  }
  const [word, times, zone] = f.schedule.split(' ')
  if (word === 'once') return { ...when, kind: 'once' }
  if (word === 'at' && times && zone) return { ...when, kind: 'at', times, zone }
  return f.schedule.includes(' from ') ? when : { ...when, kind: 'every' }
}

/** What an edit says of it. */
export function scheduleOf(w: When): { every?: number; schedule?: string } {
  if (w.kind === 'every') return { every: Math.round(w.minutes * 60) }
  if (w.kind === 'once') return { schedule: 'once' }
  return { schedule: w.kind === 'at' ? `at ${w.times.replaceAll(' ', '')} ${w.zone.trim()}` : w.text }
}

export function readingWords(r: Reading): string {
  if (r.outcome === 'failed') return r.message ?? 'failed'
  if (r.outcome === 'unchanged') return r.times > 1 ? `unchanged, ${r.times} times` : 'unchanged'
  return `${r.added} added, ${r.changed} changed, ${r.removed} removed`
}

/** How large something is. */
export const bytesWords = (n?: number): string =>
  n === undefined
    ? '–'
    : n < 1024
      ? `${n} B`
      : n < 1024 ** 2
        ? `${Math.round(n / 1024)} kB`
        : `${(n / 1024 ** 2).toFixed(1)} MB`

/** How long something took. */
export const tookWords = (ms?: number): string =>
  ms === undefined ? '–' : ms < 1000 ? `${ms} ms` : `${(ms / 1000).toFixed(1)} s`

/** When a feed is to be read, as a form has it. */
export const whenWords = (w: When): string =>
  w.kind === 'every'
    ? `every ${w.minutes} min`
    : w.kind === 'at'
      ? `at ${w.times} ${w.zone}`
      : w.kind === 'once'
        ? 'once'
        : w.text
