// Edits that may open nights: what they would lead to is shown first, and asked about where a platform would
// be told that something is free, or a conflict would open.
import { ref } from 'vue'
import type { Effect } from '@/data/api'

export interface Careful {
  what: string
  effects: Effect[]
}

export function useCareful() {
  const asking = ref<Careful | null>(null)
  let go: (() => Promise<unknown>) | undefined

  /** Does it, or asks first. It is false where it was asked. */
  async function attempt(
    what: string,
    look: () => Promise<Effect[]>,
    change: () => Promise<unknown>,
  ): Promise<boolean> {
    const effects = await look()
    if (effects.some((e) => e.kind === 'withdraws' || e.kind === 'opens')) {
      asking.value = { what, effects }
      go = change
      return false
    }
    await change()
    return true
  }
  async function agree() {
    asking.value = null
    await go?.()
  }
  const leave = () => (asking.value = null)
  return { asking, attempt, agree, leave }
}
