import createClient, { type Middleware } from 'openapi-fetch'
import type { components, paths } from '@/api/schema'
import { away, saysAway } from '@/api/away'
import { session } from '@/session/session'

export type Schemas = components['schemas']

/** What the server says went wrong, as a sentence and a remedy. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly remedy: string,
    readonly status: number,
    /** What the server says it is, for choosing what to do: the last part of its type. */
    readonly code = '',
    /** Of a conflict, what stands there now. */
    readonly current: Record<string, unknown> | null = null,
    /** Where it stands: a field, one of its steps (counted from 1), a row, and so on. */
    readonly place: Record<string, unknown> = {},
  ) {
    super(message)
  }
}

const carriesToken: Middleware = {
  onRequest({ request }) {
    if (session.value) request.headers.set('X-CSRF-Token', session.value.csrf)
    return request
  },
}

export const api = createClient<paths>({ baseUrl: '/' })
api.use(carriesToken)

/** The data of an answer; throws a Problem where the server refused or cannot be reached. */
export async function answer<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let got
  try {
    got = await asked
  } catch {
    away.value = true
    throw new Problem('Datorum does not answer.', 'Look whether it runs, and whether this machine is online.', 0)
  }
  away.value = saysAway(got.response.status)
  if (got.response.ok) return got.data as T
  const told = (got.error ?? {}) as {
    type?: string
    title?: string
    detail?: string
    current?: Record<string, unknown>
    place?: Record<string, unknown>
  }
  if (got.response.status === 401) session.value = null
  throw new Problem(
    told.title ?? `Datorum answers ${got.response.status}.`,
    told.detail ?? (told.title ? '' : 'Try again; if it stays so, look at the server’s log.'),
    got.response.status,
    told.type?.split(':').at(-1),
    told.current ?? null,
    told.place,
  )
}
