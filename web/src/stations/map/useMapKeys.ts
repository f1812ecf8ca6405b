import { useEventListener } from '@vueuse/core'
import { isTyping } from '@/workbench/useDialogs'

/** What the keys of the Map station do; those of editing only for people who may. */
export function useMapKeys(
  keys: Record<string, () => unknown>,
  editing: Record<string, () => unknown>,
  mayEdit: () => boolean,
  undo: { undo: () => void; redo: () => void },
) {
  useEventListener(window, 'keydown', (event) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !isTyping(event)) {
      event.preventDefault()
      if (event.shiftKey) undo.redo()
      else undo.undo()
      return
    }
    // Escape leaves what is typed into; once more, and it closes what is open.
    if (event.key === 'Escape' && isTyping(event) && !event.defaultPrevented) {
      if (!(event.target as HTMLElement).closest('.modal, .dropdown-menu')) (event.target as HTMLElement).blur()
      return
    }
    if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event)) return
    const does = keys[event.key] ?? (mayEdit() ? editing[event.key] : undefined)
    if (!does || document.querySelector('.modal.show')) return
    event.preventDefault()
    void does()
  })
}
