import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { colors } from '@/data/api'

it('every colour of the contract has a value on both papers, and there are no others', () => {
  const text = readFileSync(new URL('./theme.css', import.meta.url), 'utf8')
  const named = [...text.matchAll(/--feed-([a-z]+):/g)].map((m) => m[1])
  expect(named.sort()).toEqual([...colors, ...colors].sort())
})
