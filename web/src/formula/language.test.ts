import { describe, expect, it } from 'vitest'
import { callAt } from '@/formula/language'

describe('the call that the cursor stands in', () => {
  it.each([
    ['=LEFT(', 6, { name: 'LEFT', argument: 0 }],
    ['=LEFT([a];', 10, { name: 'LEFT', argument: 1 }],
    ['=IF([a]>1;UPPER(', 16, { name: 'UPPER', argument: 0 }],
    ['=IF([a]>1;UPPER([b]);', 21, { name: 'IF', argument: 2 }],
    ['=IF((1;2);', 10, { name: 'IF', argument: 1 }],
    ['=LEFT("a;b(";', 13, { name: 'LEFT', argument: 1 }],
    ['=LEFT([a;(b];', 13, { name: 'LEFT', argument: 1 }],
  ])('%s', (text, place, call) => expect(callAt(text, place)).toEqual(call))

  it('is none outside of any', () => {
    expect(callAt('=[a]&"x"', 8)).toBeNull()
    expect(callAt('=LEFT([a])', 10)).toBeNull()
  })
})
