// Pointing at free space on the board: from where the pointer was pressed to where it was let go.
import { ref, type Ref } from 'vue'
import type { Calendar } from '@/data/api'
import { daysBetween } from './dates'
import { pointedDays } from './hold'

type Grain = Calendar['grain']

/** What is pointed at in a row, in days from the origin of the board. */
export interface Pointed {
  key: string
  from: number
  to: number
}

const leastPull = 4 // pixels; less is a click, which is none

/** Where what is pointed at lies on the board, in days from its origin. */
export function pointedAt(p: Pointed, origin: string, grain: Grain): { from: number; to: number } {
  const [first, last] = pointedDays(origin, p.from, p.to, grain)
  const half = grain === 'night' ? 0.5 : 0
  return {
    from: daysBetween(origin, first) + half,
    to: daysBetween(origin, last) + (grain === 'night' ? half : 1),
  }
}

/** Follows a pointer that is no finger over the tracks of rows; px is how wide a day is. */
export function usePointing(origin: Ref<string>, px: Ref<number>) {
  const pointing = ref<Pointed | null>(null)
  const dayAt = (e: PointerEvent, track: HTMLElement) => (e.clientX - track.getBoundingClientRect().left) / px.value

  function point(e: PointerEvent, key: string) {
    const track = e.currentTarget as HTMLElement
    if (e.button !== 0 || e.pointerType === 'touch' || e.target !== track) return
    track.setPointerCapture(e.pointerId)
    const at = dayAt(e, track)
    pointing.value = { key, from: at, to: at }
  }
  function pull(e: PointerEvent) {
    if (pointing.value) pointing.value.to = dayAt(e, e.currentTarget as HTMLElement)
  }
  /** The days that were pointed at, as a form has them; nothing for a click. */
  function drop(grain: Grain): [string, string] | undefined {
    const p = pointing.value
    pointing.value = null
    return p && Math.abs(p.to - p.from) * px.value >= leastPull
      ? pointedDays(origin.value, p.from, p.to, grain)
      : undefined
  }
  const pointedStyle = (p: Pointed, grain: Grain) => {
    const { from, to } = pointedAt(p, origin.value, grain)
    return { left: `${from * px.value}px`, width: `${(to - from) * px.value}px` }
  }
  return { pointing, point, pull, drop, pointedStyle }
}
