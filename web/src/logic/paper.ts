// Which paper a person has chosen, light or dark.
import { createSharedComposable, useDark } from '@vueuse/core'

/** Its transition stays: to take it out, a style would be written into the page, which the page's own policy refuses. */
export const useDarkPaper = createSharedComposable(() =>
  useDark({ storageKey: 'wharf-paper', disableTransition: false }),
)
