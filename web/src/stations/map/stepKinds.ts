import type { Step } from '@/stations/map/useMapping'

export interface Input {
  name: string
  label: string
  options?: { value: string; text: string }[]
  /** The value is a list, written with commas. */
  list?: boolean
  number?: boolean
  /** Yes or no. */
  truth?: boolean
  /** The value is a formula, and is written in an editor of its own. */
  formula?: boolean
  /** The value is one of the sheet's columns. */
  column?: boolean
  hint?: string
  /** What is often written here, offered while one types. */
  usual?: readonly string[]
}

const usualDates = [
  'YYYY-MM-DD',
  'D.M.YYYY',
  'D/M/YYYY',
  'M/D/YYYY',
  'D MMMM YYYY',
  'D/M/YYYY H:MM',
  'YYYY-MM-DD H:MM:SS',
  'seconds since 1970',
  'milliseconds since 1970',
  'microseconds since 1970',
  'days since 1899-12-30',
  'days and time since 1899-12-30',
  'days since 1904-01-01',
  'days and time since 1904-01-01',
]
const dateHint = 'D day, M month, YYYY year, H hour, MM minute, S second; or a unit such as seconds since 1970'

interface StepKind {
  label: string
  make: () => Step
  inputs: Input[]
}

/** What the steps are called, how each begins, and what can be set about it. Adding a step is one entry. */
export const stepKinds: Record<Step['kind'], StepKind> = {
  trim: { label: 'Trim spaces', make: () => ({ kind: 'trim' }), inputs: [] },
  case: {
    label: 'Change case',
    make: () => ({ kind: 'case', to: 'proper' }),
    inputs: [
      {
        name: 'to',
        label: 'to',
        options: [
          { value: 'lower', text: 'lower case' },
          { value: 'upper', text: 'UPPER CASE' },
          { value: 'proper', text: 'Proper Case' },
          { value: 'sentence', text: 'Sentence case' },
        ],
      },
    ],
  },
  replace: {
    label: 'Replace text',
    make: () => ({ kind: 'replace', find: '', by: '', pattern: false }),
    inputs: [
      { name: 'find', label: 'replace' },
      { name: 'by', label: 'by' },
      {
        name: 'pattern',
        label: 'as a pattern',
        truth: true,
        hint: 'a regular expression; $1 in “by” is its first group',
      },
    ],
  },
  join: {
    label: 'Join columns',
    make: () => ({ kind: 'join', separator: ' ' }),
    inputs: [{ name: 'separator', label: 'with between them' }],
  },
  blank_when: {
    label: 'Take words as blank',
    make: () => ({ kind: 'blank_when', words: ['n/a', '-'] }),
    inputs: [{ name: 'words', label: 'words', list: true }],
  },
  read_date: {
    label: 'Read as a date',
    make: () => ({ kind: 'read_date', pattern: 'D/M/YYYY', zone: 'UTC' }),
    inputs: [
      { name: 'pattern', label: 'written as', hint: dateHint, usual: usualDates },
      { name: 'zone', label: 'time zone', hint: 'such as Europe/Oslo; matters where there is a time' },
    ],
  },
  read_number: {
    label: 'Read as a number',
    make: () => ({ kind: 'read_number', decimal: '.' }),
    inputs: [
      {
        name: 'decimal',
        label: 'decimal mark',
        options: [
          { value: '.', text: 'point  1,204.50' },
          { value: ',', text: 'comma  1.204,50' },
        ],
      },
    ],
  },
  read_yes_no: {
    label: 'Read as yes or no',
    make: () => ({
      kind: 'read_yes_no',
      yes: ['yes', 'y', 'true', 't', '1', 'on', 'x', 'ja', 'j'],
      no: ['no', 'n', 'false', 'f', '0', 'off', 'nei', 'nein'],
    }),
    inputs: [
      { name: 'yes', label: 'yes is', list: true },
      { name: 'no', label: 'no is', list: true },
    ],
  },
  take_part: {
    label: 'Take a part',
    make: () => ({ kind: 'take_part', separator: ' ', part: 'first' }),
    inputs: [
      { name: 'separator', label: 'divided by' },
      {
        name: 'part',
        label: 'take',
        options: [
          { value: 'first', text: 'the first part' },
          { value: 'last', text: 'the last part' },
          { value: 'all but first', text: 'all but the first' },
          { value: 'all but last', text: 'all but the last' },
        ],
      },
    ],
  },
  split_list: {
    label: 'Split into a list',
    make: () => ({ kind: 'split_list', separator: ',' }),
    inputs: [{ name: 'separator', label: 'at each' }],
  },
  affix: {
    label: 'Add text before or after',
    make: () => ({ kind: 'affix', before: '', behind: '' }),
    inputs: [
      { name: 'before', label: 'before' },
      { name: 'behind', label: 'after' },
    ],
  },
  arithmetic: {
    label: 'Calculate',
    make: () => ({ kind: 'arithmetic', operation: 'multiply', number: 1 }),
    inputs: [
      {
        name: 'operation',
        label: 'do',
        options: [
          { value: 'add', text: 'add' },
          { value: 'subtract', text: 'subtract' },
          { value: 'multiply', text: 'multiply by' },
          { value: 'divide', text: 'divide by' },
          { value: 'round', text: 'round to decimals' },
        ],
      },
      { name: 'number', label: 'number', number: true },
    ],
  },
  default: {
    label: 'Fill blanks',
    make: () => ({ kind: 'default', value: '' }),
    inputs: [{ name: 'value', label: 'take' }],
  },
  write_date: {
    label: 'Write a date',
    make: () => ({ kind: 'write_date', pattern: 'D.M.YYYY', zone: '' }),
    inputs: [
      { name: 'pattern', label: 'write as', hint: dateHint, usual: usualDates },
      { name: 'zone', label: 'time zone', hint: 'such as Europe/Oslo; empty leaves the time as it is' },
    ],
  },
  to_code: {
    label: 'Name to code',
    make: () => ({ kind: 'to_code', of: 'country' }),
    inputs: [
      {
        name: 'of',
        label: 'of a',
        options: [
          { value: 'country', text: 'country' },
          { value: 'language', text: 'language' },
          { value: 'currency', text: 'currency' },
        ],
      },
    ],
  },
  phone: {
    label: 'Telephone number',
    make: () => ({ kind: 'phone', country: '' }),
    inputs: [{ name: 'country', label: 'country', hint: 'of numbers without a prefix: two letters, such as NO' }],
  },
  phone_by_country: {
    label: 'Telephone number, by country',
    make: () => ({ kind: 'phone_by_country', column: '' }),
    inputs: [{ name: 'column', label: 'country in', column: true, hint: 'the column that names the country' }],
  },
  swap_parts: {
    label: 'Surname, First → First Surname',
    make: () => ({ kind: 'swap_parts', separator: ',' }),
    inputs: [{ name: 'separator', label: 'divided by' }],
  },
  take_digits: { label: 'Take the digits of a code', make: () => ({ kind: 'take_digits' }), inputs: [] },
  slug: {
    label: 'Part of a web address',
    make: () => ({ kind: 'slug', language: '' }),
    inputs: [{ name: 'language', label: 'language', hint: 'de writes ä as ae' }],
  },
  html: {
    label: 'Clean HTML',
    make: () => ({ kind: 'html', to: 'clean', tags: '' }),
    inputs: [
      {
        name: 'to',
        label: 'make it',
        options: [
          { value: 'clean', text: 'clean HTML' },
          { value: 'text', text: 'plain text' },
        ],
      },
      { name: 'tags', label: 'keep tags', hint: 'such as p, a, ul, li; empty keeps the usual ones' },
    ],
  },
  lookup: {
    label: 'Look up in a value table',
    make: () => ({ kind: 'lookup', table: '', otherwise: 'hold' }),
    inputs: [
      { name: 'table', label: 'table', hint: 'the name of a value table of this mapping' },
      {
        name: 'otherwise',
        label: 'anything else',
        options: [
          { value: 'hold', text: 'hold its rows' },
          { value: 'keep', text: 'keep it as it is' },
          { value: 'blank', text: 'leave it blank' },
        ],
      },
    ],
  },
  absolute_url: {
    label: 'Whole web address',
    make: () => ({ kind: 'absolute_url', base: 'https://' }),
    inputs: [{ name: 'base', label: 'starting from' }],
  },
  unusable: { label: 'Cannot be used', make: () => ({ kind: 'unusable', was: '', why: '' }), inputs: [] },
  when: {
    label: 'When … then …',
    make: () => ({ kind: 'when', condition: '=THIS()=""', then: '=""' }),
    inputs: [
      { name: 'condition', label: 'when', formula: true, hint: 'a formula, such as =[Country]="NO"' },
      { name: 'then', label: 'then', formula: true, hint: 'a formula, such as =UPPER(THIS())' },
    ],
  },
  formula: {
    label: 'Formula',
    make: () => ({ kind: 'formula', text: '=THIS()' }),
    inputs: [
      {
        name: 'text',
        label: 'formula',
        formula: true,
        hint: 'columns in brackets: =PROPER([Surname]); THIS() is the value so far',
      },
    ],
  },
}
