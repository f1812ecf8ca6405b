import { ref } from 'vue'
import type { components } from '@/api/schema'

/** Who is signed in; null for nobody, undefined before the server was asked. */
export const session = ref<components['schemas']['Me'] | null | undefined>(undefined)
