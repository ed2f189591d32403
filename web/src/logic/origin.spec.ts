import { expect, it } from 'vitest'
import { titleOf } from './origin'

it('keeps a title from right to left to itself', () => {
  expect(titleOf({ title: 'Lindqvist party' })).toBe('Lindqvist party')
  expect(titleOf({ title: '' })).toBe('Untitled')
  expect(titleOf({ title: 'חתונה 12' })).toBe('\u2068חתונה 12\u2069')
})
