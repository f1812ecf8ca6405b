import { counted, number } from '@/parts/format'
import type { State } from '@/parts/marks'
import type { Overview } from '@/workbench/useImport'

/** One line that sums something up. It must be true of every state that an import can be in. */
export interface Point {
  state: State
  text: string
}

/** What the site would look like after the plan, for those whose records no update changes. */
export function nothingChanges(counts: Record<string, number>): string {
  const { create = 0, update = 0, delete: gone = 0 } = counts
  if (update || gone) return ''
  return create
    ? `No record that is on the site now changes; ${counted(create, 'record')} would be added.`
    : 'The site would stay as it is.'
}

/** What becomes of the rows that a plan does not send, and whether it can still run. */
export function planFoot({ rehearse: plan, run }: Overview): Point {
  if (!plan || plan.state === 'failed')
    return { state: 'held', text: 'The site could not be read, so there is no plan.' }
  if (run?.kind === 'undo') return { state: 'same', text: 'What was sent of this plan was taken back. Rehearse again.' }
  if (run?.kind === 'pilot') return { state: 'same', text: `A pilot of this plan is ${run.state}. The rest is at Run.` }
  if (run?.state === 'done')
    return { state: 'good', text: 'This plan was carried out. Rehearse again for what is left.' }
  if (run) return { state: 'same', text: `A run of this plan is ${run.state}.` }
  if (plan.stale) return { state: 'warned', text: `Stale: ${plan.stale}.` }
  const held = plan.counts.held ?? 0
  if (!held) return { state: '', text: 'No record is held.' }
  const stay = held === 1 ? 'stays behind; it' : 'stay behind; they'
  return { state: '', text: `${counted(held, 'record')} held ${stay} can come in a later run.` }
}

/** What the reading back proves, in a line. */
export function proof({ run, verify }: Overview): Point {
  if (!verify) return { state: '', text: 'not yet' }
  const sent = run?.total ?? 0
  const refused = run?.failed ?? 0
  const unsent = Math.max(sent - (run?.done ?? 0) - refused, 0)
  const but = [refused && `${number(refused)} refused`, unsent && `${number(unsent)} not sent`]
    .filter(Boolean)
    .join(', ')
  if (verify.mismatches) {
    const text = `${counted(verify.mismatches, 'field')} differ${verify.mismatches === 1 ? 's' : ''}`
    return { state: 'held', text: but ? `${text}, ${but}` : text }
  }
  if (!verify.compared) return { state: but ? 'held' : 'same', text: but || 'Nothing was sent, so nothing is compared' }
  const text = `${counted(verify.compared, 'record')} on the site as sent`
  return but ? { state: 'warned', text: `${text}, ${but}` } : { state: 'good', text }
}

/** Whether a policy has the site send any of its mail. */
export const sendsMail = (policy: Overview['policy'] | undefined) =>
  !!policy && (policy.send_mail || Object.values(policy.mails).some(Boolean))
