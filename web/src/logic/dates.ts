// Civil dates as "2026-07-03", without a zone, and times in a named zone.
const day = 86_400_000

export const toNumber = (date: string): number => Date.parse(date + 'T00:00:00Z') / day
export const fromNumber = (n: number): string => new Date(n * day).toISOString().slice(0, 10)
export const addDays = (date: string, n: number): string => fromNumber(toNumber(date) + n)
export const daysBetween = (from: string, to: string): number => toNumber(to) - toNumber(from)

/** 0 for Monday. */
export const weekday = (date: string): number => (new Date(toNumber(date) * day).getUTCDay() + 6) % 7
export const monday = (date: string): string => addDays(date, -weekday(date))
export const firstOfMonth = (date: string): string => date.slice(0, 8) + '01'

export function addMonths(date: string, n: number): string {
  const d = new Date(toNumber(firstOfMonth(date)) * day)
  return new Date(Date.UTC(d.getUTCFullYear(), d.getUTCMonth() + n, 1)).toISOString().slice(0, 10)
}

const format = (options: Intl.DateTimeFormatOptions) => {
  const f = new Intl.DateTimeFormat('en-GB', { ...options, timeZone: 'UTC' })
  return (date: string) => f.format(new Date(toNumber(date) * day))
}
export const monthName = format({ month: 'long', year: 'numeric' })
export const dayName = format({ weekday: 'long', day: 'numeric', month: 'long' })
export const shortDay = format({ day: 'numeric', month: 'short' })

const clocks = new Map<string, Intl.DateTimeFormat>() // to make one takes as long as to read it a thousand times

/** The wall clock of an instant in a zone, as "2026-07-03T18:00". */
export function wallClock(instant: string, zone: string): string {
  let clock = clocks.get(zone)
  if (!clock) {
    clock = new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short', timeStyle: 'short' })
    clocks.set(zone, clock)
  }
  return clock.format(new Date(instant)).replace(' ', 'T')
}

export const todayIn = (zone: string, now: Date): string => wallClock(now.toISOString(), zone).slice(0, 10)

/** "12 min ago", "in 3 h". */
export function distance(instant: string, now: Date): string {
  const seconds = Math.round((now.getTime() - Date.parse(instant)) / 1000)
  const size = Math.abs(seconds)
  const text =
    size < 60
      ? `${size} s`
      : size < 3600
        ? `${Math.floor(size / 60)} min`
        : size < 172_800
          ? `${Math.floor(size / 3600)} h`
          : `${Math.floor(size / 86_400)} days`
  if (size < 2) return 'now'
  return seconds >= 0 ? `${text} ago` : `in ${text}`
}

export const count = (n: number, one: string, many: string): string => `${n} ${n === 1 ? one : many}`

/** A length of time in seconds, in one unit. */
export function gapWords(seconds: number): string {
  if (seconds < 120) return `${Math.round(seconds)} s`
  if (seconds < 7200) return `${Math.round(seconds / 60)} min`
  if (seconds < 172_800) return `${Math.round(seconds / 3600)} h`
  return `${Math.round(seconds / 86_400)} days`
}
