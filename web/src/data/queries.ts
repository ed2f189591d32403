// What pages ask for, each under one key, and what a change makes stale.
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Schemas } from './api'

/** How often an open page asks again, in milliseconds. */
const often = 10_000

export const useCalendars = () =>
  useQuery({ queryKey: ['calendars'], queryFn: () => data(api.GET('/calendars')), refetchInterval: often })

export const useFeeds = () =>
  useQuery({ queryKey: ['feeds'], queryFn: () => data(api.GET('/feeds')), refetchInterval: often })

export const usePlatforms = () => useQuery({ queryKey: ['platforms'], queryFn: () => data(api.GET('/platforms')) })

export const usePublications = () =>
  useQuery({ queryKey: ['publications'], queryFn: () => data(api.GET('/publications')), refetchInterval: often })

export const useConflicts = () =>
  useQuery({ queryKey: ['conflicts'], queryFn: () => data(api.GET('/conflicts')), refetchInterval: often })

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
    refetchInterval: often,
  })
}

export function useReadings(feed: Ref<number>) {
  return useQuery({
    queryKey: ['readings', feed],
    queryFn: () => data(api.GET('/feeds/{id}/readings', { params: { path: { id: feed.value } } })),
  })
}

/** A change, after which everything shown is asked for again. */
function useChange<In, Out>(change: (input: In) => Promise<Out>) {
  const client = useQueryClient()
  return useMutation({ mutationFn: change, onSettled: () => client.invalidateQueries() })
}

export const useAddFeed = () => useChange((body: Schemas['FeedRequest']) => data(api.POST('/feeds', { body })))

export const useReadFeed = () =>
  useChange((id: number) => data(api.POST('/feeds/{id}/readings', { params: { path: { id } } })))

export const useAddCalendar = () =>
  useChange((body: Schemas['CalendarRequest']) => data(api.POST('/calendars', { body })))

export const useAddPublication = () =>
  useChange((body: Schemas['PublicationRequest']) => data(api.POST('/publications', { body })))

export const useAcknowledge = () =>
  useChange(({ id, note }: { id: number; note: string }) =>
    data(api.PUT('/conflicts/{id}/acknowledgement', { params: { path: { id } }, body: { note } })),
  )
