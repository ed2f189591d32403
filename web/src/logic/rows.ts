// Rows of a long page: where each is, and which of them are seen.
import type { Calendar, Schemas } from '@/data/api'

export interface Stacked<T> {
  row: T
  top: number
  height: number
}

/** Stacks rows, and says how high all of them are. */
export function stack<T>(rows: T[], heightOf: (row: T) => number): { rows: Stacked<T>[]; height: number } {
  let top = 0
  const stacked = rows.map((row) => {
    const height = heightOf(row)
    const s = { row, top, height }
    top += height
    return s
  })
  return { rows: stacked, height: top }
}

/** Those that reach into a stretch. */
export function within<T>(rows: Stacked<T>[], from: number, to: number): Stacked<T>[] {
  let low = 0
  let high = rows.length
  while (low < high) {
    const middle = (low + high) >> 1
    const s = rows[middle]
    if (s && s.top + s.height <= from) low = middle + 1
    else high = middle
  }
  const end = rows.findIndex((s, i) => i >= low && s.top >= to)
  return rows.slice(low, end < 0 ? undefined : end)
}

export interface Section {
  key: string
  title: string
  calendars: Calendar[]
}

const grains: [Calendar['grain'], string][] = [
  ['night', 'By the night'],
  ['day', 'By the day'],
  ['time', 'By the hour'],
]

/** Calendars in their groups, in the order of these; those in none by how they are let. */
export function sectionsOf(calendars: Calendar[], groups: Schemas['Group'][]): Section[] {
  const known = new Set(groups.map((g) => g.id))
  const ofGroup = new Map<number, Calendar[]>()
  const rest: Calendar[] = []
  for (const c of calendars) {
    if (c.group === undefined || !known.has(c.group)) rest.push(c)
    else ofGroup.set(c.group, [...(ofGroup.get(c.group) ?? []), c])
  }
  return [
    ...groups.map((g) => ({ key: `g${g.id}`, title: g.name, calendars: ofGroup.get(g.id) ?? [] })),
    ...grains.map(([grain, title]) => ({ key: grain, title, calendars: rest.filter((c) => c.grain === grain) })),
  ].filter((s) => s.calendars.length > 0)
}

/** A list in parts of so many. */
export const partsOf = <T>(all: T[], size: number): T[][] =>
  Array.from({ length: Math.ceil(all.length / size) }, (_, i) => all.slice(i * size, (i + 1) * size))
