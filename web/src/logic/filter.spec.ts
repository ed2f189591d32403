import { expect, it } from 'vitest'
import { filterOf, written } from './filter'

it('reads a filter and writes it the same', () => {
  for (const text of [
    'title has Ketch',
    'place has no Guest pontoon',
    'category matches ^(sail|oar)$',
    'resource matches no ^no',
  ])
    expect(written(filterOf(text))).toBe(text)
  expect(filterOf('place has no pier')).toEqual({ property: 'place', way: 'has no', text: 'pier' })
  expect(written(filterOf(''))).toBe('')
  expect(written({ property: 'title', way: 'has', text: '  ' })).toBe('')
})
