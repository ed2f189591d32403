// Long lists: what matches is shown some at a time.
import { computed, ref, watch, type ComputedRef } from 'vue'

/** Shows the first of a list, and more when asked; another list begins anew. */
export function useMore<T>(all: ComputedRef<T[]>, step: number) {
  const n = ref(step)
  watch(
    () => all.value.length,
    () => (n.value = step),
  )
  return {
    shown: computed(() => all.value.slice(0, n.value)),
    left: computed(() => Math.max(all.value.length - n.value, 0)),
    more: () => (n.value += step),
  }
}

/** Whether each of some words is in a text, in capitals or not. */
export function hasWords(text: string, words: string): boolean {
  const low = text.toLowerCase()
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => low.includes(word))
}
