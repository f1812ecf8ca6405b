import { expect, it, vi } from 'vitest'
import { use } from '@/testing/page'
import { useOnward } from '@/workbench/useOnward'

const opened = async (at: string) => {
  let onward: ReturnType<typeof useOnward>
  const { page } = await use(() => {
    onward = useOnward()
    return {}
  }, at)
  return { onward: onward!, router: page.router }
}

it('leads on when the work is done, and not before', async () => {
  const { onward, router } = await opened('/imports/7/map')
  let finish = () => {}
  const going = onward(
    () => new Promise<void>((resolve) => (finish = resolve)),
    () => '/imports/7/check',
  )
  expect(router.currentRoute.value.path).toBe('/imports/7/map')
  finish()
  await going
  expect(router.currentRoute.value.path).toBe('/imports/7/check')
})

it('takes nobody from where they went meanwhile', async () => {
  const { onward, router } = await opened('/imports/7/map')
  await onward(
    () => router.push('/imports/7/read'),
    () => '/imports/7/check',
  )
  expect(router.currentRoute.value.path).toBe('/imports/7/read')
})

it('goes nowhere when the work was refused', async () => {
  const { onward, router } = await opened('/imports/7/map')
  const to = vi.fn(() => '/imports/7/check')
  await expect(onward(() => Promise.reject(new Error('refused')), to)).rejects.toThrow('refused')
  expect(router.currentRoute.value.path).toBe('/imports/7/map')
})
