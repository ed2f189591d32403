// One clock for the whole page.
import { createSharedComposable, useNow } from '@vueuse/core'

export const useClock = createSharedComposable(() => useNow({ interval: 1000 }))
