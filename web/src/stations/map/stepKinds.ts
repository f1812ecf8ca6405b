import type { Step } from '@/stations/map/useMapping'

interface Input {
  name: string
  label: string
  options?: { value: string; text: string }[]
  /** The value is a list, written with commas. */
  list?: boolean
  hint?: string
}

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
    make: () => ({ kind: 'replace', find: '', by: '' }),
    inputs: [
      { name: 'find', label: 'replace' },
      { name: 'by', label: 'by' },
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
      { name: 'pattern', label: 'written as', hint: 'D day, M month, YYYY year, H hour, MM minute, S second' },
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
}
