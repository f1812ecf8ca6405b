import { computed } from 'vue'
import { PATIENCE, saysAway } from '@/api/away'
import { answer, api, Problem } from '@/api/client'
import { queries } from '@/api/queries'
import { session } from '@/session/session'

/** Asks the server once who is signed in; again and again where it does not answer. */
export async function loadSession(): Promise<void> {
  while (session.value === undefined) {
    try {
      session.value = await answer(api.GET('/api/session'))
    } catch (error) {
      if (!(error instanceof Problem && saysAway(error.status))) session.value = null
      else await new Promise((resolve) => setTimeout(resolve, PATIENCE))
    }
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
