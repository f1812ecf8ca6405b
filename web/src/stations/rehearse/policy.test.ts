import { expect, it, vi } from 'vitest'
import PolicyForm from '@/stations/rehearse/PolicyForm.vue'
import { usual } from '@/testing/overview'
import { open } from '@/testing/page'

const mails = [
  { name: 'send_welcome', says: 'Greets a new grower.' },
  { name: 'notify_staff', says: '' },
]

async function form(policy: object = {}, canBeSilenced = true) {
  const changed = vi.fn()
  const props = { id: 7, policy: { ...usual, ...policy }, mails, disabled: false, canBeSilenced, onChange: changed }
  await open(PolicyForm, props)
  const choose = (label: string, value: string) => {
    const found = [...document.querySelectorAll('label')].find((one) => one.textContent?.includes(label))
    const select = found!.querySelector('select')!
    select.value = value
    select.dispatchEvent(new Event('change'))
  }
  const shown = (label: string) =>
    [...document.querySelectorAll('label')].find((one) => one.textContent?.includes(label))!.querySelector('select')!
      .value
  return { changed, choose, shown }
}

it('mail of each kind is silenced or sent by itself', async () => {
  const { changed, choose, shown } = await form()
  expect([shown('send_welcome'), shown('notify_staff')]).toEqual(['false', 'false'])
  choose('notify_staff', 'true')
  await vi.waitUntil(() => changed.mock.calls.length)
  expect(changed.mock.calls[0]![0]).toMatchObject({ send_mail: false, mails: { notify_staff: true } })
})

it('mail is said to be silenced only where the site has a switch for all that is sent', async () => {
  await form()
  expect(document.body.textContent).not.toContain('silenced where it can')
  await form({}, false)
  expect(document.body.textContent).toContain('silenced where it can')
})

it('what is said of all mail holds for every kind of it', async () => {
  const { changed, choose, shown } = await form({ send_mail: true, mails: { notify_staff: false } })
  expect([shown('send_welcome'), shown('notify_staff')]).toEqual(['true', 'false'])
  choose('Mail from the site', 'false')
  await vi.waitUntil(() => changed.mock.calls.length)
  expect(changed.mock.calls[0]![0]).toMatchObject({ send_mail: false, mails: {} })
})
