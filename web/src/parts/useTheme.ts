import { useColorMode } from '@vueuse/core'

/** Light, dark, or as the system has it; kept in this browser. */
export function useTheme() {
  return useColorMode({
    selector: 'html',
    attribute: 'data-bs-theme',
    storageKey: 'datorum-theme',
    disableTransition: false,
  })
}
