// What is said of publications: what they show, in words, and the answers of their form.
import type { Publication, Schemas } from '@/data/api'
import { addDays, count, daysBetween } from './dates'

export type Content = Schemas['PublicationContent']

export interface Recipient {
  kind: 'person' | 'platform'
  name: string
}

export const emptyContent = (): Content => ({
  calendars: [],
  detail: 'times',
  title: 'Spoken for',
  tentative: 'tentative',
  feeds: [],
  holds: true,
  categories: [],
  shown: false,
  back: 30,
  ahead: 24,
  occupancy: 'full',
  joined: false,
  alarm: '',
  cancelled: 0,
  refresh: 15,
  color: '',
  attachments: false,
  attendees: false,
  links: false,
})

export const contentOf = (p: Publication): Content => JSON.parse(JSON.stringify(p.content)) as Content

/** What a publication shows, as a person would say it. */
export function contentWords(c: Content, capacity: number): string {
  const words: string[] = [{ times: 'times only', titles: 'times and titles', everything: 'everything' }[c.detail]]
  if (c.detail === 'everything') {
    const of = { files: c.attachments, guests: c.attendees, links: c.links }
    for (const [what, asked] of Object.entries(of)) if (asked) words.push(`with ${what}`)
  } else if (capacity > 1) words.push(c.occupancy === 'full' ? `where none of ${capacity} is left` : 'every booking')
  if (c.calendars.length > 0) words.push(`with ${count(c.calendars.length, 'other calendar', 'other calendars')}`)
  if (c.joined) words.push('joined')
  if (c.tentative !== 'tentative') words.push(`what is tentative ${c.tentative === 'firm' ? 'as firm' : 'not at all'}`)
  if (c.feeds.length > 0) words.push(`from ${count(c.feeds.length, 'feed', 'feeds')} only`)
  if (!c.holds) words.push('without what was entered by hand')
  if (c.categories.length > 0) words.push(`of ${c.categories.join(', ')}`)
  if (c.shown) words.push('with what is only shown')
  return words.join(', ')
}

/** Every day from one to another, with how often somebody came: a day that has no sum has none, and before the first
 * that has one nobody was to come. */
export function daysOf(sums: Schemas['PickupDay'][], from: string, to: string): { day: string; times?: number }[] {
  const known = new Map(sums.map((s) => [s.day, s.times]))
  const first = sums[0]?.day ?? to
  return Array.from({ length: daysBetween(from, to) + 1 }, (_, i) => {
    const day = addDays(from, i)
    return { day, times: day < first ? undefined : (known.get(day) ?? 0) }
  })
}

/** The same link for programs that subscribe when they are given one: webcal, an agreed scheme for the same address. */
export const webcal = (url: string): string => url.replace(/^https?:/, 'webcal:')
