// The evidence of a conflict as dated facts, in the order of time.
import type { Conflict } from '@/data/api'

export interface Fact {
  at: string
  text: string
  booking?: number
}

export function factsOf(conflict: Conflict): Fact[] {
  const facts: Fact[] = [{ at: conflict.opened, text: 'The conflict was found' }]
  if (conflict.cleared) facts.push({ at: conflict.cleared, text: 'The feeds no longer showed it' })
  for (const b of conflict.bookings) {
    const who = b.title || 'Untitled'
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
  return facts.sort((a, b) => a.at.localeCompare(b.at))
}
