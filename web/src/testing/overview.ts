import type { Overview } from '@/workbench/useImport'

type Part<Name extends keyof Overview> = Partial<NonNullable<Overview[Name]>>

const sent = ({ create = 0, update = 0 }: Record<string, number>) => create + update

/** A policy that nobody has changed. */
export const usual: Overview['policy'] = {
  on_match: 'update',
  on_no_match: 'create',
  keys: [],
  fields: {},
  unnamed: 'leave',
  clear_first: false,
  send_mail: false,
  mails: {},
}

/** An import that was read and mapped, and has come no further than is said. */
export function overview(more: {
  check?: Part<'check'>
  checking?: Part<'checking'>
  rehearse?: Part<'rehearse'>
  run?: Part<'run'>
  verify?: Part<'verify'>
  map?: Part<'map'>
  policy?: Part<'policy'>
  site_can_be_silenced?: boolean
}): Overview {
  const policy: Overview['policy'] = { ...usual, ...more.policy }
  const by_hand = { corrected: 0, left_out: 0, accepted: 0 }
  return {
    id: 7,
    name: 'Customers',
    archived_at: null,
    site: 'Quillmoss',
    site_id: 1,
    site_address: 'https://quillmoss.example/openapi.json',
    site_title: 'Quillmoss',
    record_type: 'customers',
    mails: [],
    site_can_be_silenced: more.site_can_be_silenced ?? true,
    policy,
    beside: [],
    sheet: {
      role: '',
      source_id: 1,
      filename: 'customers.csv',
      rows: 2412,
      columns: 21,
      headers: [],
      notes: [],
      offered: [],
      by_hand,
    },
    map: {
      version: 3,
      fed: 17,
      fields: 18,
      unplaced: [],
      missing: [],
      required_unfed: [],
      take_files: [],
      unread: [],
      ...more.map,
    },
    check: more.check ? { rows: 2412, ready: 2381, held: 31, left_out: 0, warned: 0, stale: '', ...more.check } : null,
    checking: more.checking ? { state: 'going', error: '', done: 0, total: 2412, ...more.checking } : null,
    rehearse: more.rehearse
      ? {
          id: 4,
          state: 'ready',
          error: '',
          stale: '',
          counts: { create: 1812, update: 46, unchanged: 523, held: 31 },
          records_read: 569,
          records_on_site: 569,
          created_at: '2026-11-26T09:00:00Z',
          snapshot_at: '2026-11-26T09:00:00Z',
          made: {},
          put_right: 0,
          handed_in: 0,
          to_send: sent(more.rehearse.counts ?? { create: 1812, update: 46 }),
          in_tree: false,
          policy,
          ...more.rehearse,
        }
      : null,
    run: more.run
      ? {
          id: 5,
          kind: 'main',
          state: 'running',
          error: '',
          total: 1858,
          done: 0,
          failed: 0,
          in_doubt: 0,
          left: 0,
          workers: 1,
          rate: 0,
          response_ms: 0,
          concurrency: 8,
          seconds_left: null,
          started_at: '2026-11-26T09:10:00Z',
          ended_at: null,
          started_by: 'ada',
          ...more.run,
        }
      : null,
    verify: more.verify
      ? {
          id: 6,
          state: 'done',
          error: '',
          records_read: 2381,
          records_on_site: 2381,
          compared: 1858,
          fields_compared: 30000,
          mismatches: 0,
          tolerated: 0,
          ...more.verify,
        }
      : null,
  } as unknown as Overview
}
