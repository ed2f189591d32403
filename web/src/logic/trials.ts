// Links that are looked at before anything is kept: many at once, each with what it gives and what the
// person makes of it.
import { computed, ref } from 'vue'
import { ProblemError, type Calendar, type Color, type Schemas } from '@/data/api'
import type { FeedFile } from './files'
import { scheduleOf, whenOf, type When } from './words'
import { addDays, count, daysBetween, shortDay } from './dates'

export type Trial = Schemas['Trial']

/** A link that was pasted, or a file that was chosen. */
export interface Tried {
  url: string // of a file, its name
  file?: FeedFile
  state: 'waiting' | 'looking' | 'looked' | 'subscribing'
  trial?: Trial
  /** What was wrong with looking, or with subscribing. */
  failed?: string
  platform: string
  name: string
  calendars: number[]
  role: Schemas['Role']
  tentative: Schemas['TentativeRule']
  units: number
  when: When
  color?: Color
}

const fresh = (url: string, file?: FeedFile): Tried => ({
  url,
  file,
  state: 'waiting',
  platform: '',
  name: '',
  calendars: [],
  role: 'blocks',
  tentative: 'tentative',
  units: 1,
  when: whenOf({ every: 900, schedule: 'every 15m' }),
})

/** The links in a text: one a line, each once. */
export const linksIn = (text: string): string[] => [
  ...new Set(
    text
      .split(/\r?\n/)
      .map((l) => l.trim())
      .filter(Boolean),
  ),
]

/** How many are looked at, or subscribed to, at once. */
const atOnce = 4

/** Does something for each, so many at once. */
async function each<T>(all: T[], f: (one: T) => Promise<void>) {
  const left = [...all]
  await Promise.all(
    Array.from({ length: Math.min(atOnce, left.length) }, async () => {
      for (let one = left.shift(); one; one = left.shift()) await f(one)
    }),
  )
}

const said = (e: unknown) => {
  if (e instanceof ProblemError) return e.problem.errors?.map((f) => f.message).join('; ') || e.message
  return e instanceof Error ? e.message : String(e)
}

export interface Password {
  user: string
  password: string
}

export function useTrials(
  look: (link: Schemas['TrialRequest']['links'][number]) => Promise<Trial>,
  add: (body: Schemas['FeedRequest']) => Promise<Schemas['Feed']>,
  put: (calendar: number, feed: number, body: Schemas['LinkRequest']) => Promise<unknown>,
) {
  const rows = ref<Tried[]>([])
  let asked: Partial<Password> = {}

  async function lookAt(row: Tried) {
    row.state = 'looking'
    row.failed = row.trial = undefined
    try {
      const t = (row.trial = await look(row.file ? { file: row.file } : { url: row.url, ...asked }))
      row.platform ||= t.proposal?.platform ?? ''
      row.name ||= t.proposal?.name ?? ''
      if (row.calendars.length === 0 && t.proposal?.calendar) row.calendars = [t.proposal.calendar]
      row.when.minutes = Math.round((t.proposal?.every ?? 900) / 60)
    } catch (e) {
      row.failed = said(e)
    }
    row.state = 'looked'
  }

  async function begin(text: string, password?: Password) {
    asked = password?.user ? password : {}
    rows.value = linksIn(text).map((url) => fresh(url))
    await each(rows.value, lookAt)
  }

  async function beginFiles(files: FeedFile[]) {
    rows.value = files.map((file) => fresh(file.name, file))
    await each(rows.value, lookAt)
  }

  /** Looks at something else that was found at a link. */
  function instead(row: Tried, offer: Schemas['Offer']) {
    if (row.file) {
      row.file = { ...row.file, inside: offer.name }
      row.url = `${row.file.name}, ${offer.name}`
    } else row.url = offer.link
    row.platform = row.name = ''
    row.calendars = []
    return lookAt(row)
  }

  const leaveOut = (row: Tried) => {
    rows.value = rows.value.filter((r) => r !== row)
  }

  /** Those that give a calendar. */
  const good = computed(() => rows.value.filter((r) => r.trial?.preview))
  const looked = computed(() => rows.value.filter((r) => r.state !== 'waiting' && r.state !== 'looking').length)

  /** Subscribes to those that are good; what cannot be stays, with why. Returns the names of the others. */
  async function subscribe(): Promise<Schemas['Feed'][]> {
    const done: Schemas['Feed'][] = []
    await each(good.value, async (row) => {
      row.state = 'subscribing'
      row.failed = undefined
      const link = { role: row.role, tentative: row.tentative, units: row.units }
      const [first, ...others] = row.calendars
      try {
        const feed = await add({
          ...(row.file ? { file: row.file } : { url: row.url, ...asked, ...scheduleOf(row.when) }),
          platform: row.platform,
          name: row.name,
          color: row.color,
          calendar: first,
          link: first ? link : undefined,
        })
        for (const calendar of others) await put(calendar, feed.id, link)
        done.push(feed)
        leaveOut(row)
      } catch (e) {
        row.failed = said(e)
        row.state = 'looked'
      }
    })
    return done
  }
  return { rows, good, looked, begin, beginFiles, instead, leaveOut, subscribe }
}

/** A message as a sentence of its own. */
export const sentence = (message: string): string => message.charAt(0).toUpperCase() + message.slice(1)

/** What is in a feed, in one sentence. */
export function previewWords(p: Schemas['Preview']): string {
  if (p.entries === 0) return 'There is nothing in it. Look in the platform whether bookings are exported.'
  const year = (d: string) => `${shortDay(d)} ${d.slice(0, 4)}`
  const when = p.first && p.last ? ` from ${year(p.first)} to ${year(p.last)}` : ''
  const kinds: [number, string][] = [
    [p.recurring, 'recurring'],
    [p.tentative, 'tentative'],
    [p.cancelled, 'called off'],
    [p.free, 'not blocking'],
    [p.endless, 'without an end'],
  ]
  const some = kinds.filter(([n]) => n > 0).map(([n, word]) => `${n} ${word}`)
  const zones = p.zones.length > 0 ? [`times in ${p.zones.join(', ')}`] : []
  return [count(p.entries, 'entry', 'entries') + when, ...some, ...zones].join(', ') + '.'
}

/** When a booking of a preview is, as a person holds it against the platform's page. */
export function previewWhen(b: Schemas['PreviewBooking']): string {
  const from = b.start.slice(0, 10)
  const to = b.end.slice(0, 10)
  const clock = (t: string) => t.slice(11, 16)
  if (b.allDay) {
    const last = addDays(to, -1)
    return daysBetween(from, last) > 0 ? `${shortDay(from)} – ${shortDay(last)}` : shortDay(from)
  }
  if (from === to) return `${shortDay(from)}, ${clock(b.start)} – ${clock(b.end)}`
  return `${shortDay(from)}, ${clock(b.start)} – ${shortDay(to)}, ${clock(b.end)}`
}

const fits = { night: 'the night', day: 'the day', time: 'the hour' } as const

/** What a person should know before a feed counts. */
export function cautions(t: Trial, calendar?: Calendar): string[] {
  const lines = [
    ...t.same.map((f) => `You subscribe to this link already: ${f.name}.`),
    ...t.alike.map((f) => `You subscribe to the same entries already, under another link: ${f.name}.`),
  ]
  if (t.fewer.length > 0) lines.push(`The link itself asks its platform to leave something out: ${t.fewer.join(', ')}.`)
  const grain = t.preview?.grain
  if (grain && calendar && (calendar.grain === 'time') !== (grain === 'time'))
    // days and nights look alike
    lines.push(`It looks as if it is let by ${fits[grain]}, and ${calendar.name} is let by ${fits[calendar.grain]}.`)
  return lines
}
