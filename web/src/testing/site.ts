/** A site as the API tells it, for tests. */

export const quillmoss = {
  id: 4,
  name: 'Quillmoss',
  title: 'Quillmoss new site',
  address: 'https://quillmoss.example/openapi.json',
  described_at: '2026-11-26T09:00:00Z',
  record_types: [{ name: 'customers', title: 'Customers', fields: 18 }],
}
export const recordType = (name: string, more: object = {}) => ({
  name,
  title: name[0]!.toUpperCase() + name.slice(1),
  id_field: 'id',
  fields: [
    {
      path: 'email',
      title: 'E-mail',
      type: 'text',
      description: '',
      required: true,
      read_only: false,
      key: true,
      values: [],
    },
    {
      path: 'grower',
      title: 'Grower',
      type: 'text',
      description: '',
      required: false,
      read_only: false,
      key: false,
      values: [],
    },
  ],
  links: [] as object[],
  relations: [] as object[],
  open_fields: [] as object[],
  keys_together: [] as string[][],
  under: null,
  ways: [{ what: 'list', how: `GET /${name}` }],
  out_of_reach: '',
  corrected: {} as object,
  correctable: { title: name, id_field: 'id', size_most: null },
  ...more,
})
export const guess = { field: 'grower', to: 'growers', by: 'id', many: false, confidence: 0.7, why: 'its name' }
export const whole = {
  site: quillmoss,
  asks_for: ['a token'],
  types: [
    recordType('customers', { links: [guess] }),
    recordType('growers', { out_of_reach: 'they are taken as XML only' }),
  ],
  not_understood: [{ where: '/beds', why: 'it is out of order' }],
  versions: [
    {
      version: 2,
      by: 'bo',
      at: '2026-11-26T09:00:00Z',
      differences: [{ record_type: 'customers', field: 'name', what: 'is new' }],
    },
    { version: 1, by: 'ada', at: '2026-11-25T09:00:00Z', differences: [] },
  ],
  imports: 3,
  behind: ['Spring'],
  corrections: 1,
  limits: {
    concurrency: null,
    per_minute: null,
    quiet: [] as object[],
    zone: 'UTC',
    room: {} as Record<string, number>,
  },
}
const read = { record_type: 'customers', state: 'ready', error: '', records: 200, on_site: 200, seconds_left: null }
export const kept = { ...read, kept: 200, as_of: '2026-11-26T09:00:00Z' }
export const sampled = {
  record_type: 'customers',
  records: 200,
  keys: [{ fields: ['email'], records: 200, shared: 2, stated: true, example: 'a@example.org' }],
  links: [{ field: 'grower', to: 'growers', by: 'id', values: 40, found: 38, stated: true }],
  names: { more: [{ name: 'colour', records: 12 }] },
}
