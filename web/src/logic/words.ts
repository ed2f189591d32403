// Sentences about feeds and readings.
import type { Reading } from '@/data/api'

export const interval = (s: number): string =>
  s % 3600 === 0 ? `${s / 3600} h` : s % 60 === 0 ? `${s / 60} min` : `${s} s`

export function readingWords(r: Reading): string {
  if (r.outcome === 'failed') return r.message ?? 'failed'
  if (r.outcome === 'unchanged') return r.times > 1 ? `unchanged, ${r.times} times` : 'unchanged'
  return `${r.added} added, ${r.changed} changed, ${r.removed} removed`
}
