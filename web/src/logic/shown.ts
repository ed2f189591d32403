// What a person has chosen to see: feeds hidden and shown, echoes hidden and shown. Kept in
// the browser.
import { createSharedComposable, useStorage } from '@vueuse/core'
import type { Booking } from '@/data/api'
import { counts, isHidden } from './origin'

export const useShown = createSharedComposable(() => {
  const hidden = useStorage<number[]>('wharf-hidden-feeds', [])
  const echoes = useStorage('wharf-echoes', false)
  function toggle(feed: number) {
    hidden.value = hidden.value.includes(feed) ? hidden.value.filter((f) => f !== feed) : [...hidden.value, feed]
  }
  const visible = (all: Booking[]) => all.filter((b) => !isHidden(b, hidden.value) && (echoes.value || counts(b)))
  return { hidden, echoes, toggle, visible }
})
