import { expect, it } from 'vitest'
import { titleOf } from './origin'

it('keeps a title from right to left to itself', () => {
  expect(titleOf({ title: 'Lindqvist party' })).toBe('Lindqvist party')
  expect(titleOf({ title: '' })).toBe('Untitled')
  expect(titleOf({ title: 'חתונה 12' })).toBe('\u2068חתונה 12\u2069')
  expect(titleOf({ title: '\u202Eecnad\u2069 \u2066' })).toBe('ecnad ')
  expect(titleOf({ title: 'חתונה\u2069\u202E sold' })).toBe('\u2068חתונה sold\u2069')
})
