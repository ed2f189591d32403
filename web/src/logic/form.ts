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
  const of = (field: string) => (error.value instanceof ProblemError ? (error.value.field(field) ?? '') : '')

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
  return { rest, of, attempt }
}
