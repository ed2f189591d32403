// What a form does with the answer to it: errors beside their fields, the rest below.
import { computed, ref } from 'vue'
import { ProblemError } from '@/data/api'

export function useProblems() {
  const error = ref<Error | null>(null)
  const rest = computed(() => {
    const e = error.value
    if (!e) return ''
    return e instanceof ProblemError && (e.problem.errors?.length ?? 0) > 0 ? '' : e.message
  })
  const of = (field: string) => {
    const e = error.value
    const message = e instanceof ProblemError ? (e.field(field) ?? '') : ''
    if (!(e instanceof ProblemError) || e.status === 409) return message // which begins with a name
    return message.charAt(0).toUpperCase() + message.slice(1)
  }

  /** Runs the attempt and reports whether it worked. */
  async function attempt(f: () => Promise<unknown>): Promise<boolean> {
    error.value = null
    try {
      await f()
      return true
    } catch (e) {
      error.value = e instanceof Error ? e : new Error(String(e))
      return false
    }
  }
  /** All of it in one sentence, for where there are no fields to put it beside. */
  const all = computed(() => error.value?.message ?? '')
  /** Somebody else has changed the thing meanwhile. */
  const stale = computed(() => error.value instanceof ProblemError && error.value.status === 409)
  const clear = () => {
    error.value = null
  }
  return { rest, of, all, stale, clear, attempt }
}
