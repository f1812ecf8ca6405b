import { counted, number, span } from '@/parts/format'
import type { State } from '@/parts/marks'
import type { Overview } from '@/workbench/useImport'

/** One line that sums something up. It must be true of every state that an import can be in. */
export interface Point {
  state: State
  text: string
}

const FRESH = 3600

/** What is to be looked at before a run. */
export function preflight(overview: Overview, now = Date.now()): Point[] {
  const plan = overview.rehearse
  if (!plan) return []
  return [mail(overview), planPoint(overview), snapshot(plan, now), columns(overview)]
}

function mail({ policy, site_can_be_silenced, rehearse }: Overview): Point {
  const sent = rehearse?.to_send ?? 0
  if (policy.send_mail)
    return { state: 'warned', text: `The site sends its mail: for up to ${counted(sent, 'record')}` }
  return site_can_be_silenced
    ? { state: 'good', text: 'The site is asked to send no mail' }
    : { state: 'warned', text: 'The site does not say how to silence its mail' }
}

/** What is asked before a run where mail may go out: "" where the site is told to send none. */
export function mailWarning({ policy, site_can_be_silenced, rehearse }: Overview): string {
  const sent = counted(rehearse?.to_send ?? 0, 'record')
  if (policy.send_mail) return `The site sends mail as it always does: up to ${sent} may each bring somebody a message.`
  return site_can_be_silenced
    ? ''
    : `The site does not say how its mail is silenced: up to ${sent} may each bring somebody a message.`
}

function planPoint({ rehearse: plan, run }: Overview): Point {
  if (!plan || plan.state === 'failed') return { state: 'held', text: 'There is no plan: the rehearsal failed' }
  if (run?.state === 'done')
    return run.failed
      ? { state: 'warned', text: `Plan carried out; the site refused ${counted(run.failed, 'record')}` }
      : { state: 'good', text: 'Plan carried out' }
  if (run) return { state: 'same', text: `A run of this plan is ${run.state}` }
  if (plan.stale) return { state: 'held', text: `Plan stale: ${plan.stale}` }
  return { state: 'good', text: 'Plan is what the sheet and mapping say' }
}

function snapshot(plan: NonNullable<Overview['rehearse']>, now: number): Point {
  if (plan.state === 'failed' || !plan.snapshot_at)
    return { state: 'held', text: `The site was not read to its end: ${counted(plan.records_read, 'record')} came` }
  const age = Math.max((now - Date.parse(plan.snapshot_at)) / 1000, 0)
  const text = `The site was read ${span(age)} ago: ${counted(plan.records_read, 'record')}`
  return { state: age < FRESH ? 'good' : 'warned', text }
}

function columns({ map }: Overview): Point {
  const open = map.unplaced.length
  return open
    ? { state: 'warned', text: `${counted(open, 'column')} neither used nor left out` }
    : { state: 'good', text: 'Every column used or left out' }
}

/** What the site would look like after the plan, for those whose records no update changes. */
export function nothingChanges(counts: Record<string, number>): string {
  const { create = 0, update = 0 } = counts
  if (update) return ''
  return create
    ? `No record that is on the site now changes; ${counted(create, 'record')} would be added.`
    : 'The site would stay as it is.'
}

/** What becomes of the rows that a plan does not send, and whether it can still run. */
export function planFoot({ rehearse: plan, run }: Overview): Point {
  if (!plan || plan.state === 'failed')
    return { state: 'held', text: 'The site could not be read, so there is no plan.' }
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
