import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import type { Point } from '@/workbench/summaries'

type Past = Schemas['PastRun']

/** What came of a run, in a line that is true of every state. */
export function outcome(run: Past): Point {
  const left = run.total - run.done - run.failed
  const said = [
    `${number(run.done)} of ${counted(run.total, 'record')} done`,
    run.failed && `${number(run.failed)} refused`,
    left && `${number(left)} ${{ ended: 'not sent', done: 'not settled' }[run.state] ?? 'to come'}`,
  ]
  const words: Record<string, string> = { ended: 'ended', paused: 'paused', failed: 'stopped by an error' }
  const text = [words[run.state], ...said].filter(Boolean).join(', ')
  const wrong = run.failed > 0 || run.state === 'failed'
  return { state: wrong ? 'held' : left ? 'warned' : 'good', text }
}

/** What reading the site back after a run proved. */
export function verified({ verification }: Past): Point {
  if (!verification) return { state: '', text: 'not yet' }
  if (verification.state === 'reading') return { state: '', text: 'being read' }
  if (verification.state === 'stopped') return { state: '', text: 'stopped' }
  if (verification.state === 'failed') return { state: 'held', text: 'could not be read' }
  const { compared, differ } = verification
  if (differ) return { state: 'held', text: `${counted(differ, 'field')} differ${differ === 1 ? 's' : ''}` }
  return { state: compared ? 'good' : 'same', text: `${counted(compared, 'record')} as sent` }
}

const KINDS: Record<string, string> = { pilot: 'pilot of', undo: 'undo of', 'follow-up': 'follow-up of' }

/** What a run was to do, in a few words. */
export function planned({ kind, counts, total }: Past): string {
  if (KINDS[kind]) return `${KINDS[kind]} ${number(total)}`
  return ['create', 'update', 'delete']
    .filter((action) => counts[action])
    .map((action) => `${number(counts[action] ?? 0)} ${action}`)
    .join(', ')
}
