// The API as the contract types it. Nothing else in the console knows about HTTP.
import createClient, { type Middleware } from 'openapi-fetch'
import { colorValues, type components, type paths } from './schema'

export type Schemas = components['schemas']
export type Booking = Schemas['Booking']
export type Calendar = Schemas['Calendar']
export type Conflict = Schemas['Conflict']
export type Feed = Schemas['Feed']
export type Publication = Schemas['Publication']
export type Reading = Schemas['Reading']
export type Answer = Schemas['AnswerKind']
export type Effect = Schemas['Effect']
export type BookingChange = Schemas['BookingChange']
export type Habit = Schemas['Habit']
export type BookingLife = Schemas['BookingLife']
export type Problem = Schemas['Problem']
export type Color = Schemas['Color']

/** The colours of feeds, in the order in which they get them. */
export const colors = colorValues

/** A problem that the service answered with, by field where it names fields. */
export class ProblemError extends Error {
  constructor(
    readonly problem: Problem,
    readonly status: number,
  ) {
    const wrong = status === 400 ? (problem.errors ?? []).map((e) => e.message).join('; ') : ''
    super(wrong || (problem.detail ?? problem.title))
  }

  field(name: string): string | undefined {
    return this.problem.errors?.find((e) => e.field === name)?.message
  }
}

const problems: Middleware = {
  async onResponse({ response }) {
    if (response.ok) return undefined
    const problem = (await response.json().catch(() => null)) as Problem | null
    throw new ProblemError(
      problem ?? { code: 'internal', title: `The service answered ${response.status}.`, status: response.status },
      response.status,
    )
  },
  onError() {
    return new Error('Wharf does not answer. Check your connection; the page tries again by itself.')
  },
}

export const api = createClient<paths>({ baseUrl: '/api/v1', fetch: (r) => globalThis.fetch(r) })
api.use(problems)

/** The data of an answer; every failure was thrown before. */
export async function data<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T
}
