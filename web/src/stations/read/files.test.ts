import { describe, expect, it, vi } from 'vitest'
import FilesPanel from '@/stations/read/FilesPanel.vue'
import type { Files } from '@/stations/read/useFiles'
import { open } from '@/testing/page'
import { server } from '@/testing/server'

const view = (more: Partial<Files> = {}): Files => ({
  fields: ['Media ids'],
  named: 12,
  found: 7,
  to_fetch: 3,
  missing: [{ value: 'lost.jpg', why: 'is not among the files that are here' }],
  held: 9,
  size: 430_000,
  archives: [
    { name: 'pictures.zip', files: 8 },
    { name: '', files: 1 },
  ],
  of_migration: 0,
  fetching: null,
  ...more,
})

async function shown(more: Partial<Files> = {}, disabled = false) {
  server.answers['GET /api/imports/7/files'] = view(more)
  const page = await open(FilesPanel, { id: 7, disabled })
  await vi.waitUntil(() => page.text().includes('Named in cells'))
  return page
}

describe('the files that cells name', () => {
  it('are told by how many are here, can be fetched, and are missing, and why', async () => {
    const page = await shown()
    const bar = document.querySelector('[role=img]')
    expect(bar?.getAttribute('aria-label')).toBe('7 here, 3 to be fetched, 2 missing')
    expect(page.text()).toMatch(/lost\.jpg\s*is not among the files that are here/)
    expect(page.text()).toMatch(/Came in\s*430 kB/)
    expect(page.text()).toMatch(/fetched\s*1\s*pictures\.zip|pictures\.zip\s*8\s*fetched\s*1/)
  })

  it('are fetched, which is told and can be stopped', async () => {
    const page = await shown()
    server.answers['POST /api/imports/7/files/fetch'] = view({
      fetching: { state: 'going', error: '', done: 1, total: 3 },
    })
    await page.press('Fetch 3 files')
    await vi.waitUntil(() => page.text().includes('Fetching, 1 so far'))
    server.answers['DELETE /api/imports/7/files/fetch'] = view({
      fetching: { state: 'stopped', error: '', done: 1, total: 3 },
    })
    await page.press('Stop')
    await vi.waitUntil(() => page.text().includes('what came is kept'))
  })

  it('have nothing to press for who may not edit', async () => {
    await shown({}, true)
    expect([...document.querySelectorAll('button')].map((one) => one.textContent?.trim())).toEqual(['×'])
  })

  it('say why they could not be fetched', async () => {
    const page = await shown({
      fetching: { state: 'failed', error: 'There is no room on the disk.', done: 0, total: 3 },
    })
    expect(page.text()).toContain('no room on the disk')
  })
})
