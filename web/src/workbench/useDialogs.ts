import { ref } from 'vue'

const goTo = ref(false)
const shortcuts = ref(false)

/** The two dialogs that are open to every station: where to go, and which keys there are. */
export function useDialogs() {
  return {
    goTo,
    shortcuts,
    openGoTo: () => (goTo.value = true),
    openShortcuts: () => (shortcuts.value = true),
  }
}

/** Whether a key stroke is meant for a text field or a dialog and not for the workbench. */
export function isTyping(event: Event): boolean {
  const at = event.target as HTMLElement | null
  return !!at?.closest('input:not([type=checkbox]), textarea, select, [contenteditable], .modal, [role=listbox]')
}
