import { beforeEach, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'
import { useGridCursor, type Place } from '@/stations/read/useGridCursor'

const cells = [
  ['a', 'b'],
  ['c', 'd'],
  ['e', 'f'],
]
let kept: [Place, string][]
let others: string[]
let allowed: boolean

function cursor() {
  return useGridCursor(
    { rows: ref(3), columns: ref(2), page: ref(2) },
    {
      text: ({ row, column }) => cells[row]?.[column] ?? '',
      mayEdit: () => allowed,
      keep: (place, text) => kept.push([place, text]),
      show: () => {},
      other: (key) => others.push(key),
    },
  )
}
const press = (key: string, more: Partial<KeyboardEventInit> = {}) =>
  new KeyboardEvent('keydown', { key, cancelable: true, ...more })

beforeEach(() => {
  kept = []
  others = []
  allowed = true
})

it('moves by arrows and stays within the sheet', () => {
  const { at, go, key } = cursor()
  go(0, 0)
  for (const name of ['ArrowUp', 'ArrowLeft']) key(press(name))
  expect(at.value).toEqual({ row: 0, column: 0 })
  for (const name of ['ArrowDown', 'ArrowRight', 'ArrowRight']) key(press(name))
  expect(at.value).toEqual({ row: 1, column: 1 })
  key(press('PageDown'))
  expect(at.value).toEqual({ row: 2, column: 1 })
})

it('goes to the ends of a row, and of the sheet with Ctrl', () => {
  const { at, go, key } = cursor()
  go(1, 0)
  key(press('End'))
  expect(at.value).toEqual({ row: 1, column: 1 })
  key(press('Home'))
  expect(at.value).toEqual({ row: 1, column: 0 })
  key(press('End', { ctrlKey: true }))
  expect(at.value?.row).toBe(2)
  key(press('Home', { ctrlKey: true }))
  expect(at.value?.row).toBe(0)
})

it('keeps what was written by Enter and goes on below', async () => {
  const { at, draft, editing, go, key } = cursor()
  go(0, 1)
  key(press('Enter'))
  expect([editing.value, draft.value]).toEqual([true, 'b'])
  draft.value = 'B'
  key(press('Enter'))
  await nextTick()
  expect(kept).toEqual([[{ row: 0, column: 1 }, 'B']])
  expect(at.value).toEqual({ row: 1, column: 1 })
})

it('keeps by Tab and goes on beside, back with Shift', async () => {
  const { at, draft, edit, go, key } = cursor()
  go(1, 0)
  edit()
  draft.value = 'C'
  key(press('Tab'))
  await nextTick()
  expect(at.value).toEqual({ row: 1, column: 1 })
  edit()
  key(press('Tab', { shiftKey: true }))
  await nextTick()
  expect(at.value).toEqual({ row: 1, column: 0 })
  expect(kept).toHaveLength(1)
})

it('leaves a cell as it was by Escape, and keeps nothing that was not changed', () => {
  const { draft, edit, editing, go, key } = cursor()
  go(0, 0)
  edit()
  draft.value = 'other'
  key(press('Escape'))
  expect(editing.value).toBe(false)
  edit()
  key(press('Enter'))
  expect(kept).toEqual([])
})

it('edits nothing for those who may not', () => {
  allowed = false
  const { editing, go, key } = cursor()
  go(0, 0)
  key(press('F2'))
  expect(editing.value).toBe(false)
})

it('gives other keys to whoever knows them, and takes those it knows', () => {
  const { go, key } = cursor()
  go(0, 0)
  key(press('x'))
  expect(others).toEqual(['x'])
  const taken = press('ArrowDown')
  const stop = vi.spyOn(taken, 'stopPropagation')
  key(taken)
  expect(taken.defaultPrevented).toBe(true)
  expect(stop).toHaveBeenCalled()
})

it('leaves the browser what is asked of it with Ctrl or Alt', () => {
  const { at, go, key } = cursor()
  go(0, 0)
  for (const more of [{ altKey: true }, { ctrlKey: true }, { metaKey: true }]) key(press('ArrowDown', more))
  expect(at.value).toEqual({ row: 0, column: 0 })
})
