import { computed } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'
import { session } from '@/session/session'

/** Asks the server once who is signed in. */
export async function loadSession(): Promise<void> {
  if (session.value !== undefined) return
  try {
    session.value = await answer(api.GET('/api/session'))
  } catch {
    session.value = null
  }
}

/** Signing in and out, and what the signed-in person may do. */
export function useSession() {
  return {
    session,
    mayEdit: computed(() => !!session.value && session.value.role !== 'viewer'),
    mayAdminister: computed(() => session.value?.role === 'administrator'),
    async signIn(name: string, password: string) {
      session.value = await answer(api.POST('/api/session', { body: { name, password } }))
    },
    async signOut() {
      await answer(api.DELETE('/api/session'))
      session.value = null
      queries.clear()
    },
  }
}
