import { beforeEach, describe, expect, it } from 'vitest'
import { away, saysAway } from '@/api/away'
import { answer, Problem } from '@/api/client'
import { queries } from '@/api/queries'
import { session } from '@/session/session'

const refused = (status: number, error: unknown) => Promise.resolve({ error, response: new Response(null, { status }) })

async function problemOf(asked: Promise<unknown>): Promise<Problem> {
  try {
    await asked
  } catch (error) {
    return error as Problem
  }
  throw new Error('nothing was refused')
}

describe('an answer', () => {
  beforeEach(() => (away.value = false))

  it('is the data', async () => {
    away.value = true
    const got = await answer(Promise.resolve({ data: 7, response: new Response('{}') }))
    expect(got).toBe(7)
    expect(away.value).toBe(false)
  })

  it('that refuses has a sentence, a remedy, a code and what stands there now', async () => {
    const problem = await problemOf(
      answer(
        refused(409, {
          type: 'urn:datorum:conflict',
          title: 'The mapping was changed meanwhile by bo (version 4).',
          detail: 'Choose which of the two is to stand.',
          current: { version: 4 },
        }),
      ),
    )
    expect(problem.message).toContain('changed meanwhile')
    expect(problem.remedy).toContain('Choose')
    expect([problem.status, problem.code]).toEqual([409, 'conflict'])
    expect(problem.current).toEqual({ version: 4 })
    expect(away.value).toBe(false)
  })

  it('without words is told by its status', async () => {
    const problem = await problemOf(answer(refused(500, undefined)))
    expect(problem.message).toBe('Datorum answers 500.')
    expect(problem.remedy).not.toBe('')
  })

  it('that does not come, or says to ask again, says that Datorum is away', async () => {
    const none = await problemOf(answer(Promise.reject(new TypeError('failed to fetch'))))
    expect(none.status).toBe(0)
    expect(away.value).toBe(true)
    away.value = false
    await problemOf(answer(refused(503, { title: 'The database does not answer just now.' })))
    expect(away.value).toBe(true)
  })

  it('that nobody is signed in ends the sign-in here', async () => {
    session.value = { name: 'ada', role: 'editor', csrf: 'x' }
    await problemOf(answer(refused(401, { title: 'Nobody is signed in here.' })))
    expect(session.value).toBeNull()
  })
})

describe('a question', () => {
  const retry = queries.getDefaultOptions().queries!.retry as (count: number, error: Error) => boolean

  it('is asked again while Datorum is away, and not where it was refused', () => {
    expect(retry(0, new Problem('', '', 0))).toBe(true)
    expect(retry(200, new Problem('', '', 503))).toBe(true)
    expect(retry(0, new Problem('', '', 404))).toBe(false)
    expect(retry(0, new Problem('', '', 500))).toBe(false)
    expect(retry(0, new Error('a fault'))).toBe(false)
    expect([0, 503].map(saysAway)).toEqual([true, true])
    expect([200, 409, 507].map(saysAway)).toEqual([false, false, false])
  })
})
