import { describe, expect, it, vi } from 'vitest'
import NewFieldDialog from '@/stations/map/NewFieldDialog.vue'
import { open } from '@/testing/page'
import { server } from '@/testing/server'

const metadata = { path: 'metadata', title: 'Metadata', languages: false, made_by: 'Open fields' as string | null }

describe('a field that the site lacks', () => {
  async function dialog(parts: object[], mayAdd = true) {
    const onAdded = vi.fn()
    server.answers['GET /api/imports/7/new-field'] = { parts, name: 'sowing_time', title: 'Sowing time' }
    server.answers['POST /api/imports/7/new-field'] = {}
    const page = await open(NewFieldDialog, {
      id: 7,
      modelValue: true,
      column: 'Sowing time',
      recordType: 'course-entries',
      mayAdd,
      onAdded,
    })
    await vi.waitUntil(() => page.text().includes('course entries') || page.actions().includes('Add the field'))
    return { page, onAdded }
  }

  it('is added under the name that is proposed, and made by the run where the site has an operation for it', async () => {
    const { page, onAdded } = await dialog([metadata])
    expect(page.text()).toContain('the run makes it first')
    await page.press('Add the field')
    await vi.waitUntil(() => onAdded.mock.calls.length)
    expect(onAdded).toHaveBeenCalledWith('metadata.sowing_time')
    expect(server.asked.find((one) => one.what.startsWith('POST'))?.body).toEqual({
      part: 'metadata',
      name: 'sowing_time',
      title: 'Sowing time',
      column: 'Sowing time',
    })
  })

  it('is sent as it is where any name is taken', async () => {
    const { page } = await dialog([{ ...metadata, made_by: null }])
    expect(page.text()).toContain('a run sends it as it is')
  })

  it('is to be added on the site where its records take no more', async () => {
    const { page } = await dialog([])
    expect(page.text()).toContain('Add the field on the site itself')
    expect(page.actions()).not.toContain('Add the field')
  })

  it('is added by administrators alone', async () => {
    const { page } = await dialog([metadata], false)
    expect(page.text()).toContain('An administrator adds them')
  })
})
