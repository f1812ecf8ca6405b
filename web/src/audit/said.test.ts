import { expect, it } from 'vitest'
import { said } from '@/audit/said'

it('says how something was done in words', () => {
  expect(said({ row: 2, column: 'First Name' })).toBe('row 2; column First Name')
  expect(said({ record_types: ['customers', 'orders'], note: '', file: null, rows: [] })).toBe(
    'record types: customers, orders',
  )
  expect(said({ run: 1, agreed: ['no pilot went first'], counts: { held: 31, left_out: 0 }, records: 2301 })).toBe(
    'run 1; agreed: no pilot went first; counts: held 31, left out 0; records 2301',
  )
  expect(said({ before: { send_mail: false, fields: {}, keys: [{ path: 'sku' }] }, after: { send_mail: true } })).toBe(
    'before: send mail no, keys: path sku; after: send mail yes',
  )
  expect(said({})).toBe('')
})
