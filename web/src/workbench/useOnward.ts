import { useRoute, useRouter } from 'vue-router'

/**
 * Leads on to a station when work that was asked for here is done, unless the person has gone elsewhere meanwhile:
 * nobody is taken from where they chose to be.
 */
export function useOnward() {
  const route = useRoute()
  const router = useRouter()
  return async (work: () => Promise<unknown>, to: () => string) => {
    const from = route.path
    await work()
    if (route.path === from) await router.push(to())
  }
}
