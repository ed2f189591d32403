// The evidence of a conflict as dated facts, in the order of time.
import type { BookingLife, Conflict } from '@/data/api'
import { isolated, titleOf } from './origin'

export interface Fact {
  at: string
  text: string
  booking?: number
}

/** What is known of a conflict and, as far as it is there yet, where its bookings went. */
export function factsOf(conflict: Conflict, lives: BookingLife[] = []): Fact[] {
  const facts: Fact[] = [{ at: conflict.opened, text: 'The conflict was found' }]
  if (conflict.cleared) facts.push({ at: conflict.cleared, text: 'The feeds no longer showed it' })
  for (const b of conflict.bookings) {
    const who = titleOf(b)
    if (b.feed === undefined) {
      facts.push({ at: b.seenBy, text: `${who} was entered in ${b.label}`, booking: b.id })
      continue
    }
    if (b.created) facts.push({ at: b.created, text: `${who} was made, says ${b.platform?.name}`, booking: b.id })
    if (b.notBefore) facts.push({ at: b.notBefore, text: `${b.label} was read without ${who}`, booking: b.id })
    facts.push({
      at: b.seenBy,
      text: b.notBefore ? `${b.label} was read with ${who}` : `${b.label} was first read, with ${who} in it`,
      booking: b.id,
    })
  }
  const among = new Set(conflict.bookings.map((b) => b.id))
  const sellers = new Set(conflict.bookings.map((b) => b.platform?.id)) // whether these knew is what matters
  for (const { booking, travels } of lives)
    facts.push(
      ...travelsOf({ booking, travels: travels.filter((t) => sellers.has(t.platform.id)) }).filter(
        (f) => f.booking === booking.id || !among.has(f.booking ?? 0),
      ),
    )
  return facts.sort((a, b) => a.at.localeCompare(b.at))
}

/** Where a booking went, as dated facts. */
export function travelsOf({ booking, travels }: Pick<BookingLife, 'booking' | 'travels'>): Fact[] {
  const who = titleOf(booking)
  return travels.flatMap((t) => {
    const facts: Fact[] = [{ at: t.published, text: `${t.platform.name} was told of ${who}`, booking: booking.id }]
    if (t.pickedUp) facts.push({ at: t.pickedUp, text: `${t.platform.name} picked that up`, booking: booking.id })
    if (t.withdrawn)
      facts.push({ at: t.withdrawn, text: `${t.platform.name} was no longer told of ${who}`, booking: booking.id })
    for (const again of t.again ?? [])
      facts.push({
        at: again.seenBy,
        text: `${again.label} was read with the same dates, as ${isolated(again.title) || 'an entry without a title'}`,
        booking: again.id,
      })
    return facts
  })
}
