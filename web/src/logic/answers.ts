// Answering what bookings are: what it would change is said first, then it is kept.
import { ref, shallowRef } from 'vue'
import type { Answer, Booking, Effect, Schemas } from '@/data/api'
import { ProblemError } from '@/data/api'
import { tries, useAnswer } from '@/data/queries'

/** What was said of a booking, after "it is". */
export const answerWords: Record<Answer, string> = { own: 'a sale of its own', reflected: 'ours, reflected' }

/** A decision that somebody is about to make: what it would change is known, and it is not made yet. */
export interface Giving<Body> {
  body: Body
  effects: Effect[]
}

/** The request that says something of bookings, or (nothing said) takes it back. */
export const sayingOf = (bookings: Booking[], says?: Answer, conflict?: number): Schemas['AnswerRequest'] => ({
  conflict,
  says,
  bookings: bookings.map((b) => ({ booking: b.id, seen: b.answer?.id })),
})

export function useAnswering() {
  const answer = useAnswer()
  return useGiving(tries.answer, (body: Schemas['AnswerRequest']) => answer.mutateAsync(body))
}

/** Decides in two steps: what it would change is asked for, then it is done. */
export function useGiving<Body>(tried: (body: Body) => Promise<Effect[]>, done: (body: Body) => Promise<unknown>) {
  const giving = shallowRef<Giving<Body> | null>(null)
  const busy = ref(false)
  const error = ref('')

  async function attempt(step: () => Promise<void>) {
    busy.value = true
    error.value = ''
    try {
      await step()
    } catch (e) {
      giving.value = null
      error.value =
        e instanceof ProblemError && e.problem.errors?.[0] ? e.problem.errors[0].message : String((e as Error).message)
    }
    busy.value = false
  }
  const begin = (body: Body) =>
    attempt(async () => {
      giving.value = { body, effects: await tried(body) }
    })
  const keep = () =>
    attempt(async () => {
      if (giving.value) await done(giving.value.body)
      giving.value = null
    })
  const leave = () => {
    giving.value = null
  }
  return { giving, busy, error, begin, keep, leave }
}
