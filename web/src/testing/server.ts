import { beforeEach } from 'vitest'

/** A request as the tests see it. */
export interface Asked {
  what: string
  query: Record<string, string>
  body: unknown
}

type Answers = Record<string, unknown>

interface TestServer {
  answers: Answers
  asked: Asked[]
  /** Where a test answers every request by itself. */
  answer?: (request: Request) => Promise<Response>
}

const world = globalThis as { testServer?: TestServer }

/**
 * The server that the client of the API reaches in tests: what it answers by method and path, and what it was asked.
 * One for all files: they share modules, but what sets them up is evaluated for each.
 */
export const server = (world.testServer ??= { answers: {}, asked: [] })

/** An answer that refuses. */
export const refusal = (status: number, title: string, detail = '') => Response.json({ title, detail }, { status })

globalThis.fetch = async (input, init) => {
  const request = input instanceof Request ? input : new Request(new URL(String(input), location.href), init)
  if (server.answer) return server.answer(request)
  const url = new URL(request.url)
  const text = request.headers.get('content-type')?.includes('json') ? await request.text() : ''
  const asked = {
    what: `${request.method} ${url.pathname}`,
    query: Object.fromEntries(url.searchParams),
    body: text ? JSON.parse(text) : undefined,
  }
  server.asked.push(asked)
  if (!(asked.what in server.answers)) throw new TypeError(`nothing answers ${asked.what}`)
  const answer = server.answers[asked.what]
  const given = typeof answer === 'function' ? await answer(asked) : answer
  if (given instanceof Response) return given.clone()
  return given === undefined ? new Response(null, { status: 204 }) : Response.json(given)
}

beforeEach(() => {
  server.answer = undefined
  server.answers = {}
  server.asked = []
})
