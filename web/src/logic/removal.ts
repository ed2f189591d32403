// Removing a thing: what would be lost by it is shown first, with numbers, and asked about.
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { ProblemError } from '@/data/api'

export interface Asking {
  what: string
  loses: string[]
}

export function useRemoval(done: () => void = () => undefined) {
  const client = useQueryClient()
  const asking = ref<Asking | null>(null)
  const error = ref('')
  let confirmed: (() => Promise<void>) | undefined

  async function remove(what: string, call: (confirm: string | undefined) => Promise<unknown>, confirm?: string) {
    error.value = ''
    try {
      await call(confirm)
      asking.value = null
      await client.invalidateQueries()
      done()
    } catch (e) {
      if (e instanceof ProblemError && e.problem.confirm) {
        const key = e.problem.confirm
        asking.value = { what, loses: e.problem.loses ?? [] }
        confirmed = () => remove(what, call, key)
        return
      }
      asking.value = null
      error.value = e instanceof Error ? e.message : String(e)
    }
  }
  const agree = () => confirmed?.()
  const leave = () => (asking.value = null)
  return { asking, error, remove, agree, leave }
}
