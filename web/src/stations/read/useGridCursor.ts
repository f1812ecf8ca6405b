import { computed, nextTick, ref, type Ref } from 'vue'

export interface Place {
  row: number
  column: number
}

/**
 * The cell of a grid that the keyboard is on, and the one that is edited: arrows, Home, End, PageUp and PageDown move;
 * Enter or F2 begins to edit, Enter or Tab keeps, Esc leaves all as it was.
 */
export function useGridCursor(
  size: { rows: Ref<number>; columns: Ref<number>; page: Ref<number> },
  does: {
    text: (place: Place) => string
    mayEdit: () => boolean
    keep: (place: Place, text: string) => void
    show: (place: Place) => void
    other: (key: string, place: Place) => void
  },
) {
  const at = ref<Place | null>(null)
  const editing = ref(false)
  const draft = ref('')
  const now = computed(() => at.value ?? { row: 0, column: 0 })

  function go(row: number, column: number) {
    at.value = {
      row: Math.min(Math.max(row, 0), Math.max(size.rows.value - 1, 0)),
      column: Math.min(Math.max(column, 0), Math.max(size.columns.value - 1, 0)),
    }
    does.show(at.value)
  }
  function edit(text?: string) {
    if (!at.value || !does.mayEdit()) return
    draft.value = text ?? does.text(at.value)
    editing.value = true
  }
  function keep(then?: [number, number]) {
    if (editing.value && at.value && draft.value !== does.text(at.value)) does.keep(at.value, draft.value)
    editing.value = false
    if (then) void nextTick(() => go(now.value.row + then[0], now.value.column + then[1]))
  }

  const moves: Record<string, () => void> = {
    ArrowDown: () => go(now.value.row + 1, now.value.column),
    ArrowUp: () => go(now.value.row - 1, now.value.column),
    ArrowRight: () => go(now.value.row, now.value.column + 1),
    ArrowLeft: () => go(now.value.row, now.value.column - 1),
    PageDown: () => go(now.value.row + size.page.value, now.value.column),
    PageUp: () => go(now.value.row - size.page.value, now.value.column),
    Home: () => go(now.value.row, 0),
    End: () => go(now.value.row, size.columns.value - 1),
  }
  function key(event: KeyboardEvent) {
    if (editing.value) return keyWhileEditing(event)
    if (event.altKey || ((event.ctrlKey || event.metaKey) && !['Home', 'End'].includes(event.key))) return
    const move = moves[event.key]
    if (event.ctrlKey && move) go(event.key === 'Home' ? 0 : size.rows.value - 1, now.value.column)
    else if (move) move()
    else if (event.key === 'Enter' || event.key === 'F2') edit()
    else if (event.key === 'Escape') at.value = null
    else if (at.value) return does.other(event.key, at.value)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  function keyWhileEditing(event: KeyboardEvent) {
    if (event.key === 'Enter') keep([1, 0])
    else if (event.key === 'Tab') keep([0, event.shiftKey ? -1 : 1])
    else if (event.key === 'Escape') editing.value = false
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  return { at, editing, draft, go, edit, keep, key }
}
