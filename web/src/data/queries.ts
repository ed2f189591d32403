// What pages ask for, each under one key, and what a change makes stale. Nothing is asked
// for again by the clock: live.ts says when.
import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { chunksOf, type Chunk } from '@/logic/board'
import { api, data, type Booking, type Schemas } from './api'

/** How things stand now, but for clashes. */
export const useToday = () => useQuery({ queryKey: ['today'], queryFn: () => data(api.GET('/today')) })

export const useCalendars = () => useQuery({ queryKey: ['calendars'], queryFn: () => data(api.GET('/calendars')) })

export const useFeeds = () => useQuery({ queryKey: ['feeds'], queryFn: () => data(api.GET('/feeds')) })

export const usePlatforms = () => useQuery({ queryKey: ['platforms'], queryFn: () => data(api.GET('/platforms')) })

export const usePublications = () =>
  useQuery({ queryKey: ['publications'], queryFn: () => data(api.GET('/publications')) })

export const useConflicts = () => useQuery({ queryKey: ['conflicts'], queryFn: () => data(api.GET('/conflicts')) })

/** Those that are over, one way or the other. */
export const useOverConflicts = (wanted: Ref<boolean>) =>
  useQuery({
    queryKey: ['conflicts', 'over'],
    queryFn: async () => {
      const states = ['cleared', 'past'] as const
      const all = states.map((state) => data(api.GET('/conflicts', { params: { query: { state } } })))
      return (await Promise.all(all)).flat()
    },
    enabled: wanted,
  })

export const useConflict = (id: Ref<number>) =>
  useQuery({
    queryKey: ['conflict', id],
    queryFn: () => data(api.GET('/conflicts/{id}', { params: { path: { id: id.value } } })),
  })

export const useBookingLife = (id: Ref<number>, wanted?: Ref<boolean>) =>
  useQuery({
    queryKey: ['bookings', 'life', id],
    queryFn: () => data(api.GET('/bookings/{id}', { params: { path: { id: id.value } } })),
    enabled: wanted ?? true,
  })

/** Where several bookings went. */
export function useBookingLives(ids: Ref<number[]>) {
  const results = useQueries({
    queries: computed(() =>
      ids.value.map((id) => ({
        queryKey: ['bookings', 'life', id],
        queryFn: () => data(api.GET('/bookings/{id}', { params: { path: { id } } })),
      })),
    ),
  })
  return computed(() => results.value.flatMap((r) => (r.data ? [r.data] : [])))
}

export const useForgottenBlocks = () =>
  useQuery({ queryKey: ['bookings', 'forgotten'], queryFn: () => data(api.GET('/forgotten-blocks')) })

/** What a feed does not show any more, and stands all the same. */
export const useHeld = (feed: Ref<number>) =>
  useQuery({
    queryKey: ['bookings', 'held', feed],
    queryFn: () => data(api.GET('/feeds/{id}/held', { params: { path: { id: feed.value } } })),
  })

/** A decision on what a feed does not show any more. */
export interface HeldDecision {
  feed: number
  body: Schemas['HeldRequest']
}
const callHeld = (d: HeldDecision, trying: boolean) =>
  data(api.POST('/feeds/{id}/held', { params: { path: { id: d.feed }, query: { try: trying } }, body: d.body }))
export const useDecideHeld = () => useChange((d: HeldDecision) => callHeld(d, false))

export const useHabits = (platform: Ref<number>) =>
  useQuery({
    queryKey: ['habits', platform],
    queryFn: () => data(api.GET('/platforms/{id}/habits', { params: { path: { id: platform.value } } })),
  })

export const useLogins = () => useQuery({ queryKey: ['logins'], queryFn: () => data(api.GET('/logins')) })

export function useBookings(calendar: Ref<number | undefined>, from: Ref<string>, to: Ref<string>) {
  return useQuery({
    queryKey: ['bookings', calendar, from, to],
    queryFn: () =>
      data(
        api.GET('/calendars/{id}/bookings', {
          params: { path: { id: calendar.value ?? 0 }, query: { from: from.value, to: to.value } },
        }),
      ),
    enabled: computed(() => calendar.value !== undefined),
    placeholderData: keepPreviousData,
  })
}

/** What is on some calendars from one day up to another, by quarters of a year and several calendars at once. */
export function useBookingsOn(parts: Ref<number[][]>, from: Ref<string>, to: Ref<string>) {
  const results = useQueries({
    queries: computed(() =>
      parts.value.flatMap((calendar) =>
        chunksOf(from.value, to.value).map((chunk: Chunk) => ({
          queryKey: ['bookings', 'on', calendar.join(), chunk.from, chunk.to],
          queryFn: () => data(api.GET('/bookings', { params: { query: { ...chunk, calendar } } })),
        })),
      ),
    ),
  })
  return computed(() => {
    const byID = new Map<number, Booking>()
    for (const r of results.value) for (const b of r.data ?? []) byID.set(b.id, b)
    return { bookings: [...byID.values()], waiting: results.value.some((r) => r.isPending) }
  })
}

export function useReadings(feed: Ref<number>) {
  return useQuery({
    queryKey: ['readings', feed],
    queryFn: () =>
      data(api.GET('/feeds/{id}/readings', { params: { path: { id: feed.value }, query: { limit: 300 } } })),
  })
}

export function usePickups(publication: Ref<number>) {
  return useQuery({
    queryKey: ['pickups', publication],
    queryFn: () => data(api.GET('/publications/{id}/pickups', { params: { path: { id: publication.value } } })),
  })
}

/** A change, after which everything shown is asked for again. */
function useChange<In, Out>(change: (input: In) => Promise<Out>) {
  const client = useQueryClient()
  return useMutation({ mutationFn: change, onSettled: () => client.invalidateQueries() })
}

/** What readings changed on a calendar, or of a feed, after a moment and until another. */
export const useCalendarChanges = (id: Ref<number>, since: Ref<string>) =>
  useQuery({
    queryKey: ['bookings', 'changes', id, since],
    queryFn: () =>
      data(api.GET('/calendars/{id}/changes', { params: { path: { id: id.value }, query: { since: since.value } } })),
    placeholderData: keepPreviousData,
  })
export const useFeedChanges = (id: Ref<number>, since: Ref<string>, until: Ref<string>) =>
  useQuery({
    queryKey: ['bookings', 'changes', 'feed', id, since, until],
    queryFn: () =>
      data(
        api.GET('/feeds/{id}/changes', {
          params: { path: { id: id.value }, query: { since: since.value, until: until.value } },
        }),
      ),
  })

/** What a link gives, before anything is kept; times as this browser's zone has them. */
export const useTryLink = () =>
  useMutation({
    mutationFn: async (link: Schemas['TrialRequest']['links'][number]) => {
      const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
      const [trial] = await data(api.POST('/trials', { body: { links: [link], zone } }))
      if (!trial) throw new Error('Nothing came back of this link.')
      return trial
    },
  })

/** What a file gives, likewise. */
export const useTryFile = () =>
  useMutation({
    mutationFn: (file: Schemas['FeedFile']) =>
      data(
        api.POST('/trials', { body: { links: [{ file }], zone: Intl.DateTimeFormat().resolvedOptions().timeZone } }),
      ),
  })

export const useAddFeed = () => useChange((body: Schemas['FeedRequest']) => data(api.POST('/feeds', { body })))

export const useEditFeed = () =>
  useChange(({ id, body }: { id: number; body: Schemas['FeedEdit'] }) =>
    data(api.PATCH('/feeds/{id}', { params: { path: { id } }, body })),
  )

/** Reads a feed now; an abort breaks the reading off, and nothing of it is kept. */
export const useReadFeed = () =>
  useChange(({ id, signal }: { id: number; signal?: AbortSignal }) =>
    data(api.POST('/feeds/{id}/readings', { params: { path: { id } }, signal })),
  )

/** What a change of a feed, or of a link, would lead to; nothing is changed. */
export const useTryFeedEdit = () =>
  useMutation({
    mutationFn: ({ id, body }: { id: number; body: Schemas['FeedEdit'] }) =>
      data(api.POST('/feeds/{id}/trial', { params: { path: { id } }, body })),
  })
export const useTryLinkEdit = () =>
  useMutation({
    mutationFn: ({ id, feed, body }: { id: number; feed: number; body: Schemas['LinkEdit'] }) =>
      data(api.POST('/calendars/{id}/links/{feed}/trial', { params: { path: { id, feed } }, body })),
  })

export const useHolds = (search: Ref<string>) =>
  useQuery({
    queryKey: ['bookings', 'holds', search],
    queryFn: () => data(api.GET('/holds', { params: { query: { search: search.value || undefined } } })),
    placeholderData: keepPreviousData,
  })

export const useHold = (id: Ref<number | undefined>) =>
  useQuery({
    queryKey: ['bookings', 'hold', id],
    queryFn: () => data(api.GET('/holds/{id}', { params: { path: { id: id.value ?? 0 } } })),
    enabled: computed(() => id.value !== undefined),
  })

export const useAddHold = () => useChange((body: Schemas['HoldRequest']) => data(api.POST('/holds', { body })))

export const useEditHold = () =>
  useChange(({ id, body }: { id: number; body: Schemas['HoldEdit'] }) =>
    data(api.PATCH('/holds/{id}', { params: { path: { id } }, body })),
  )

export const useImportHolds = () => useChange((body: Schemas['HoldFile']) => data(api.POST('/holds/file', { body })))

/** Copies bookings of a feed as holds, or with try says what that would lead to. */
export const adopt = (feed: number, body: Schemas['Adoption']) =>
  data(api.POST('/feeds/{id}/adoption', { params: { path: { id: feed } }, body }))
export const useAdopt = () =>
  useChange(({ feed, body }: { feed: number; body: Schemas['Adoption'] }) => adopt(feed, body))

/** The reminders of a booking that is not over. */
export const useReminders = (booking: Ref<number>) =>
  useQuery({
    queryKey: ['reminders', 'of', booking],
    queryFn: () => data(api.GET('/reminders', { params: { query: { booking: booking.value } } })),
  })

/** Those that are due in the next two days: what is due is told by the clock of the page. */
export const useSoonReminders = () =>
  useQuery({
    queryKey: ['reminders', 'soon'],
    queryFn: () => {
      const dueBy = new Date(Date.now() + 48 * 3_600_000).toISOString()
      return data(api.GET('/reminders', { params: { query: { dueBy } } }))
    },
  })

export const useRemind = () => useChange((body: Schemas['ReminderRequest']) => data(api.POST('/reminders', { body })))
export const useRemoveReminder = () =>
  useChange((id: number) => data(api.DELETE('/reminders/{id}', { params: { path: { id } } })))
export const useReminderDone = () =>
  useChange(({ id, booking }: { id: number; booking: number }) =>
    data(api.POST('/reminders/{id}/done', { params: { path: { id } }, body: { booking } })),
  )

export const useReviews = (state: Ref<Schemas['ReviewState']>) =>
  useQuery({
    queryKey: ['bookings', 'reviews', state],
    queryFn: () => data(api.GET('/reviews', { params: { query: { state: state.value } } })),
    placeholderData: keepPreviousData,
  })
export const useReview = () => useChange((body: Schemas['ReviewRequest']) => data(api.POST('/reviews', { body })))

/** What a change of a publication would lead to; nothing is changed. */
export const tryPublicationEdit = (id: number, body: Schemas['PublicationEdit']) =>
  data(api.POST('/publications/{id}/trial', { params: { path: { id } }, body }))

/** What is booked as a file; nothing is changed by it. */
export const exportBookings = (body: Schemas['ExportRequest']) => data(api.POST('/exports', { body }))

/** What a hold, or an edit of one, would lead to; nothing is kept. */
export const tryHold = (body: Schemas['HoldRequest']) => data(api.POST('/holds/trial', { body }))
export const tryHoldEdit = (id: number, body: Schemas['HoldEdit']) =>
  data(api.POST('/holds/{id}/trial', { params: { path: { id } }, body }))

/** Several parts of a page show them; what changes of them is told. */
export const useGroups = () =>
  useQuery({ queryKey: ['groups'], queryFn: () => data(api.GET('/groups')), staleTime: 30_000 })

export const useEditGroup = () =>
  useChange(({ id, body }: { id: number; body: Schemas['GroupEdit'] }) =>
    data(api.PATCH('/groups/{id}', { params: { path: { id } }, body })),
  )

export const useAddCalendar = () =>
  useChange((body: Schemas['CalendarRequest']) => data(api.POST('/calendars', { body })))

export const useEditCalendar = () =>
  useChange(({ id, body }: { id: number; body: Schemas['CalendarEdit'] }) =>
    data(api.PATCH('/calendars/{id}', { params: { path: { id } }, body })),
  )

export const useAddLink = () =>
  useChange(({ id, feed, body }: { id: number; feed: number; body: Schemas['LinkRequest'] }) =>
    data(api.PUT('/calendars/{id}/links/{feed}', { params: { path: { id, feed } }, body })),
  )

export const useEditLink = () =>
  useChange(({ id, feed, body }: { id: number; feed: number; body: Schemas['LinkEdit'] }) =>
    data(api.PATCH('/calendars/{id}/links/{feed}', { params: { path: { id, feed } }, body })),
  )

/** Which entries a filter would take, and where the others count. */
export const useTryFilter = () =>
  useMutation({
    mutationFn: ({ id, feed, ...query }: { id: number; feed: number; filter: string; counting: string }) =>
      data(api.GET('/calendars/{id}/links/{feed}/sorting', { params: { path: { id, feed }, query } })),
  })

export const useAddPublication = () =>
  useChange((body: Schemas['PublicationRequest']) => data(api.POST('/publications', { body })))

export const useEditPublication = () =>
  useChange(({ id, body }: { id: number; body: Schemas['PublicationEdit'] }) =>
    data(api.PATCH('/publications/{id}', { params: { path: { id } }, body })),
  )

export const useTrips = () => useQuery({ queryKey: ['trips'], queryFn: () => data(api.GET('/trips')) })

export const usePreview = (id: Ref<number>) =>
  useQuery({
    queryKey: ['preview', id],
    queryFn: () => data(api.GET('/publications/{id}/preview', { params: { path: { id: id.value } } })),
  })

export const usePickupDays = (id: Ref<number>) =>
  useQuery({
    queryKey: ['pickup-days', id],
    queryFn: () => data(api.GET('/publications/{id}/days', { params: { path: { id: id.value } } })),
  })

/** What a recipient shows beside what it was sent; nothing is kept. */
export const comparePublication = (id: number, body: Schemas['ComparisonRequest']) =>
  data(api.POST('/publications/{id}/comparison', { params: { path: { id } }, body }))

export const useOpenPage = () =>
  useChange((id: number) => data(api.POST('/publications/{id}/page', { params: { path: { id } } })))

export const useClosePage = () =>
  useChange((id: number) => data(api.DELETE('/publications/{id}/page', { params: { path: { id } } })))

export const useAcknowledge = () =>
  useChange(({ id, note }: { id: number; note: string }) =>
    data(api.PUT('/conflicts/{id}/acknowledgement', { params: { path: { id } }, body: { note } })),
  )

export const useAnswer = () => useChange((body: Schemas['AnswerRequest']) => data(api.POST('/answers', { body })))

type HabitChange = { platform: number; habit: Schemas['HabitName']; of?: string; value?: string }

const callHabit = (c: HabitChange, attempt: boolean) => {
  const params = { path: { id: c.platform, habit: c.habit }, query: { of: c.of, try: attempt || undefined } }
  return c.value === undefined
    ? data(api.DELETE('/platforms/{id}/habits/{habit}', { params }))
    : data(api.PUT('/platforms/{id}/habits/{habit}', { params, body: { value: c.value } }))
}

/** Lays down a habit of a platform, or (no value) takes back what was laid down. */
export const useChangeHabit = () => useChange((c: HabitChange) => callHabit(c, false))

/** What changes would lead to; nothing is changed. */
export const tries = {
  answer: async (body: Schemas['AnswerRequest']) =>
    (await data(api.POST('/answers', { params: { query: { try: true } }, body }))) ?? [],
  held: async (d: HeldDecision) => (await callHeld(d, true)) ?? [],
  habit: async (c: HabitChange) => (await callHabit(c, true)) ?? [],
}

export const useChangePassword = () =>
  useChange((body: Schemas['PasswordRequest']) => data(api.POST('/password', { body })))

export const useEndLogin = () =>
  useChange((id: number) => data(api.DELETE('/logins/{id}', { params: { path: { id } } })))

type Confirm = string | undefined

/** Every removal takes what was confirmed of its loss, if anything was. */
export const removals = {
  feed: (id: number) => (confirm: Confirm) =>
    data(api.DELETE('/feeds/{id}', { params: { path: { id }, query: { confirm } } })),
  /** What it has to come stays as holds. */
  keepingFeed: (id: number) => () =>
    data(api.DELETE('/feeds/{id}', { params: { path: { id }, query: { keep: true } } })),
  calendar: (id: number) => (confirm: Confirm) =>
    data(api.DELETE('/calendars/{id}', { params: { path: { id }, query: { confirm } } })),
  link: (id: number, feed: number) => (confirm: Confirm) =>
    data(api.DELETE('/calendars/{id}/links/{feed}', { params: { path: { id, feed }, query: { confirm } } })),
  publication: (id: number) => (confirm: Confirm) =>
    data(api.DELETE('/publications/{id}', { params: { path: { id }, query: { confirm } } })),
  /** The present link ends, and there is another. */
  secret: (id: number) => (confirm: Confirm) =>
    data(api.POST('/publications/{id}/link', { params: { path: { id }, query: { confirm } } })),
}
