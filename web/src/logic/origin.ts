// Where a booking came from: a feed, or none.
import type { Booking, Color, Conflict } from '@/data/api'

/** The colour of what came from a feed, or of what came from none. */
export const colorOf = (color?: Color) => (color ? `var(--feed-${color})` : 'var(--ink)')

/** Whether a booking is hidden with its feed; what came from none never is. */
export const isHidden = (b: Booking, hidden: number[]) => b.feed !== undefined && hidden.includes(b.feed)

const rightToLeft = /[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufefc]/
// Marks that turn what comes after them, and characters that are no text.
const marks = /[\p{Cc}\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/gu

/** Text from elsewhere; what is written from right to left, or says that it is, turns nothing around it. */
export function isolated(text: string) {
  const plain = text.replace(marks, '')
  return rightToLeft.test(plain) ? `\u2068${plain}\u2069` : plain
}

/** What a booking is called. */
export const titleOf = (b: { title: string }) => isolated(b.title) || 'Untitled'

/** Who is to change a booking. */
export const changedAt = (b: Booking) => b.platform?.name ?? 'Wharf itself'

/** Whether a booking takes anything: what may be an echo does until somebody says that it is one. */
const nothing: Booking['verdict'][] = ['echo', 'one_with', 'expired', 'rejected']
export const counts = (b: Booking) => !nothing.includes(b.verdict)

/** The kinds of conflicts, as headings. */
export const kindNames: Record<Conflict['kind'], string> = {
  double_booking: 'Double booking',
  tentative_clash: 'Tentative clash',
  unclear: 'Perhaps sold twice',
  closed: 'Booked over a closure',
}

/** The bookings of a conflict that may be echoes. */
export const doubtfulIn = (c: Conflict) =>
  c.bookings.filter(
    (b) => b.verdict === 'unclear' || b.verdict === 'stale' || (c.kind === 'unclear' && b.evidence !== undefined),
  )
