// A feed's readings as a strip and a plot: from the oldest to the newest.
import type { Reading } from '@/data/api'

/** Points of a plot: when, and how many. */
export interface Plot {
  entries: [string, number][]
  added: [string, number][]
  changed: [string, number][]
  removed: [string, number][] // below zero
}

/** What readings (the newest first) say of how many entries there were, and what changed. */
export function plotOf(readings: Reading[]): Plot {
  const good = readings.filter((r) => r.outcome !== 'failed').reverse()
  const some = (of: (r: Reading) => number) =>
    good.flatMap((r): [string, number][] => (of(r) ? [[r.finished, of(r)]] : []))
  return {
    // A run of readings that found nothing new reaches from its first to its last.
    entries: good.flatMap((r): [string, number][] =>
      r.times > 1
        ? [
            [r.started, r.entries],
            [r.finished, r.entries],
          ]
        : [[r.finished, r.entries]],
    ),
    added: some((r) => r.added),
    changed: some((r) => r.changed),
    removed: some((r) => -r.removed),
  }
}

/** A piece of the strip: a record, and how wide it is drawn. */
export interface Piece {
  reading: Reading
  weight: number
}

/** The newest records, the oldest first; a run of many readings is wider, but not by as much as it is longer. */
export const stripOf = (readings: Reading[], most: number): Piece[] =>
  readings
    .slice(0, most)
    .map((reading) => ({ reading, weight: 1 + Math.log2(reading.times) }))
    .reverse()
