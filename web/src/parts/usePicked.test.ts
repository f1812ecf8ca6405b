import { expect, it } from 'vitest'
import { nextTick, ref } from 'vue'
import { usePicked } from '@/parts/usePicked'

it('walks round the ends, from nothing to the first or the last', () => {
  const options = ref(['a', 'b', 'c'])
  const { at, move, active } = usePicked(options, 'x', () => -1)
  expect(active()).toBeUndefined()
  move(-1)
  expect([at.value, active()]).toEqual([2, 'x-2'])
  move(1)
  expect(at.value).toBe(0)
})

it('highlights what is first of other options, and nothing where there are none', async () => {
  const options = ref(['a', 'b', 'c'])
  const { at, move } = usePicked(options, 'x', (now) => (now.length ? 0 : -1))
  move(1)
  options.value = ['b', 'c']
  await nextTick()
  expect(at.value).toBe(0)
  options.value = []
  await nextTick()
  move(1)
  expect(at.value).toBe(-1)
})
