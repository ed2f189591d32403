import { describe, expect, it } from 'vitest'
import { ref } from 'vue'
import { pointedAt, usePointing } from './pointing'

/** What a browser would tell of a pointer over a track that begins at 100 px. */
function over(clientX: number, pointerType = 'mouse', on?: object) {
  const track = { getBoundingClientRect: () => ({ left: 100 }), setPointerCapture: () => undefined }
  return {
    button: 0,
    pointerType,
    clientX,
    currentTarget: track,
    target: on ?? track,
    pointerId: 1,
  } as unknown as PointerEvent
}

describe('pointing', () => {
  it('gives the days between press and release, either way round', () => {
    const p = usePointing(ref('2026-12-01'), ref(20))
    for (const [from, to] of [
      [145, 205],
      [205, 145],
    ] as const) {
      p.point(over(from), 'row')
      p.pull(over(to))
      expect(p.pointing.value?.key).toBe('row')
      expect(p.drop('day')).toEqual(['2026-12-03', '2026-12-06'])
      expect(p.pointing.value).toBeNull()
    }
  })
  it('is none for a click, a finger, or on a bar', () => {
    const p = usePointing(ref('2026-12-01'), ref(20))
    p.point(over(145), 'row')
    p.pull(over(147))
    expect(p.drop('day')).toBeUndefined()
    p.point(over(145, 'touch'), 'row')
    expect(p.pointing.value).toBeNull()
    p.point(over(145, 'mouse', {}), 'row')
    expect(p.pointing.value).toBeNull()
    p.pull(over(205))
    expect(p.drop('day')).toBeUndefined()
  })
  it('lies from noon to noon by the night', () => {
    const p = { key: 'row', from: 2.2, to: 3.1 }
    expect(pointedAt(p, '2026-12-01', 'day')).toEqual({ from: 2, to: 4 })
    expect(pointedAt(p, '2026-12-01', 'night').from % 1).toBe(0.5)
  })
})
