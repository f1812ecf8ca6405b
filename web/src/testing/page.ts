import { VueQueryPlugin } from '@tanstack/vue-query'
import { afterEach, vi } from 'vitest'
import { createApp, h, nextTick, type Component } from 'vue'
import { createMemoryHistory, createRouter, RouterView, type Router } from 'vue-router'
import { queries } from '@/api/queries'
import { session } from '@/session/session'

let close: (() => void)[] = []

function leave() {
  close.forEach((one) => one())
  close = []
  queries.clear()
  document.body.replaceChildren()
}
afterEach(() => {
  leave()
  session.value = undefined
})

/** What a test sees of a page, and does with it. */
export interface Page {
  router: Router
  /** All that is written on it, with single spaces. */
  text: () => string
  /** The buttons and links that can be pressed, as they are named. */
  actions: () => string[]
  press: (name: string | RegExp) => Promise<void>
  find: (selector: string) => HTMLElement
}

/** The page of one component at an address, signed in with a role. It takes the place of the one before. */
export async function open(
  component: Component,
  props: Record<string, unknown> = {},
  { at = '/', role = 'editor' }: { at?: string; role?: 'administrator' | 'editor' | 'viewer' } = {},
): Promise<Page> {
  leave()
  session.value = { name: 'ada', role, csrf: 'token' } as NonNullable<typeof session.value>
  const shown = { setup: () => () => h(component, props) }
  const router = createRouter({ history: createMemoryHistory(), routes: [{ path: '/:all(.*)', component: shown }] })
  await router.push(at)
  const app = createApp(RouterView).use(router).use(VueQueryPlugin, { queryClient: queries })
  const place = document.body.appendChild(document.createElement('div'))
  app.mount(place)
  close.push(() => app.unmount())
  await nextTick()
  const name = (element: Element) =>
    (element.getAttribute('aria-label') ?? element.textContent ?? '').replaceAll(/\s+/g, ' ').trim()
  const pressable = () =>
    [...document.body.querySelectorAll<HTMLElement>('button, a')].filter((one) => !one.hasAttribute('disabled'))
  return {
    router,
    text: () => (document.body.textContent ?? '').replaceAll(/\s+/g, ' ').trim(),
    actions: () => pressable().map(name),
    press: async (wanted) => {
      const fits = (text: string) => (typeof wanted === 'string' ? text === wanted : wanted.test(text))
      const found = await vi.waitUntil(() => pressable().find((one) => fits(name(one))))
      found.click()
      await nextTick()
    },
    find: (selector) => {
      const found = document.body.querySelector<HTMLElement>(selector)
      if (!found) throw new Error(`there is no ${selector}`)
      return found
    },
  }
}

/** What a composable gives, on a page at an address. */
export async function use<T>(composable: () => T, at = '/'): Promise<T & { page: Page }> {
  let found: T
  const page = await open(
    {
      setup() {
        found = composable()
        return () => null
      },
    },
    {},
    { at },
  )
  return { ...found!, page }
}

/** Types into a field. */
export function fill(selector: string, text: string) {
  const field = document.querySelector<HTMLInputElement>(selector)!
  field.value = text
  field.dispatchEvent(new Event('input'))
}
