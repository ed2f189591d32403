// Reminders: how one is written, and which are to be told of now.
import { computed, watch } from 'vue'
import type { Schemas } from '@/data/api'
import { useSoonReminders } from '@/data/queries'
import { useClock } from './now'

export type Unit = 'm' | 'h' | 'd' | 'at'

export const unitWords: Record<Unit, string> = {
  m: 'minutes before',
  h: 'hours before',
  d: 'days before',
  at: 'days before, at',
}

/** How long before a booking, as a person chooses it. */
export interface LeadDraft {
  n: number
  unit: Unit
  at: string
}

/** What most people want: of nights and days the evening before, of hours two hours before. */
export function firstLead(grain: Schemas['Grain']): LeadDraft {
  return grain === 'time' ? { n: 2, unit: 'h', at: '18:00' } : { n: 1, unit: 'at', at: '18:00' }
}

/** The same as the service takes it. */
export const leadText = (l: LeadDraft): string => (l.unit === 'at' ? `${l.n}d ${l.at}` : `${l.n}${l.unit}`)

/** One time at which a reminder is due: it comes again if the booking moves. */
export const keyOf = (r: Schemas['Reminder']): string => `${r.id}/${r.booking}/${r.due}`

/** Those of which nobody was told yet, and what is to be remembered of those that are due. */
export function untold(due: Schemas['Reminder'][], told: string[]): { fresh: Schemas['Reminder'][]; told: string[] } {
  return { fresh: due.filter((r) => !told.includes(keyOf(r))), told: due.map(keyOf) }
}

/** Those that are due now; a day later more are asked for. */
export function useDueReminders() {
  const soon = useSoonReminders()
  const now = useClock()
  watch(
    () => now.value.toDateString(),
    () => void soon.refetch(),
  )
  return computed(() => soon.data.value?.filter((r) => Date.parse(r.due) <= now.value.getTime()))
}
