// Samples for the tests of the logic.
import type { Booking, Calendar, Conflict } from '@/data/api'

export const calendar = (grain: Calendar['grain']): Calendar => ({
  id: 1,
  name: 'Ketch',
  revision: 1,
  zone: 'America/Halifax',
  grain,
  capacity: 1,
  version: 1,
  links: [],
  openConflicts: 0,
})

export const booking = (id: number, start: string, end: string, more: Partial<Booking> = {}): Booking => ({
  id,
  calendar: 1,
  feed: 1,
  platform: { id: 1, name: 'Desk', revision: 1 },
  label: 'Desk',
  color: 'teal',
  title: `Guest ${id}`,
  uid: String(id),
  start,
  end,
  tentative: false,
  blocks: true,
  units: 1,
  verdict: 'booking',
  seenBy: '2026-07-01T00:00:00Z',
  ...more,
})

export const clash = (start: string, end: string, bookings: Booking[]): Conflict => ({
  id: 9,
  calendar: 1,
  calendarName: 'Ketch',
  grain: 'night',
  zone: 'America/Halifax',
  kind: 'double_booking',
  state: 'open',
  start,
  end,
  bookings,
  opened: '2026-07-01T00:00:00Z',
})
