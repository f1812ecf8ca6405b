import type { Schemas } from '@/api/client'

type Dialect = Schemas['Dialect']
interface Option {
  value: string
  text: string
}

const usualDelimiters: Option[] = [
  { value: ',', text: 'comma  ,' },
  { value: ';', text: 'semicolon  ;' },
  { value: '\t', text: 'tab' },
  { value: '|', text: 'pipe  |' },
  { value: ':', text: 'colon  :' },
  { value: ' ', text: 'space' },
]
const usualEncodings = [
  'utf-8',
  'utf-8-sig',
  'utf-16',
  'utf-16-le',
  'utf-16-be',
  'windows-1250',
  'windows-1251',
  'windows-1252',
  'iso-8859-1',
  'iso-8859-2',
  'iso-8859-15',
  'cp437',
  'cp850',
  'mac-roman',
  'koi8-r',
  'shift-jis',
  'euc-jp',
  'gb18030',
  'big5',
]
const ESCAPED = '\\'

/** The usual delimiters, and the one that is set. */
export const delimiterOptions = (own: string): Option[] =>
  usualDelimiters.some((one) => one.value === own) ? usualDelimiters : [...usualDelimiters, { value: own, text: own }]

/** The usual encodings, and the one that is set, the first of them all. */
export const encodingOptions = (own: string): string[] => [...new Set([own, ...usualEncodings])]

/** Quotes with what stands for one inside quotes: two of them, or one behind a backslash. */
export const quoteOptions: Option[] = [
  { value: '"', text: 'double  "' },
  { value: `"${ESCAPED}`, text: 'double, \\" inside' },
  { value: "'", text: "single  '" },
  { value: `'${ESCAPED}`, text: "single, \\' inside" },
  { value: '', text: 'none' },
]
export const quoteOf = (dialect: Dialect): string => dialect.quote + (dialect.quote ? dialect.escape : '')
export const readQuote = (value: string): Pick<Dialect, 'quote' | 'escape'> => ({
  quote: value.slice(0, 1),
  escape: value.slice(1),
})
