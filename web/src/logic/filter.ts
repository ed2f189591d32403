// A filter as a form has it: what is asked, how, and for what.
export const properties = ['title', 'place', 'category', 'resource'] as const
export const ways = ['has', 'has no', 'matches', 'matches no'] as const

export interface Filter {
  property: (typeof properties)[number]
  way: (typeof ways)[number]
  text: string
}

/** Reads a filter as it is written; one that takes all asks for nothing in the title. */
export function filterOf(written: string): Filter {
  const m = /^(title|place|category|resource) (has no|has|matches no|matches) (.*)$/.exec(written)
  if (!m) return { property: 'title', way: 'has', text: '' }
  return { property: m[1] as Filter['property'], way: m[2] as Filter['way'], text: m[3] ?? '' }
}

/** The filter as it is written; nothing for one without a text. */
export const written = (f: Filter): string => (f.text.trim() ? `${f.property} ${f.way} ${f.text.trim()}` : '')
