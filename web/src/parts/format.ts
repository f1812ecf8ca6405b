const whole = new Intl.NumberFormat('en')
const share = new Intl.NumberFormat('en', { style: 'percent', maximumFractionDigits: 1 })
const moment = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

/** A count with its noun: "1 row held", "2,412 rows held". */
export function counted(count: number, noun: string, rest = ''): string {
  const named = `${whole.format(count)} ${count === 1 ? noun : plural(noun)}`
  return rest ? `${named} ${rest}` : named
}

function plural(noun: string): string {
  return /[^aeiou]y$/.test(noun) ? `${noun.slice(0, -1)}ies` : noun.endsWith('s') ? noun : `${noun}s`
}

export const number = (value: number) => whole.format(value)
export const percent = (part: number, total: number) => share.format(total ? part / total : 0)
export const time = (value: string) => moment.format(new Date(value))

/** A text whose spaces at either end can be seen. */
export const spaced = (text: string) =>
  text.replace(/^[ \u00a0]+|[ \u00a0]+$/g, (spaces) => '␣'.repeat(spaces.length)).replaceAll(/\r?\n/g, '⏎')

/** A size in bytes as a person reads it, in powers of a thousand. */
export function bytes(size: number): string {
  const units = ['byte', 'kilobyte', 'megabyte', 'gigabyte', 'terabyte']
  const at = Math.min(Math.floor(Math.log10(Math.max(size, 1)) / 3), units.length - 1)
  const style = { style: 'unit', unit: units[at], maximumSignificantDigits: 3 } as const
  return new Intl.NumberFormat('en', style).format(size / 1000 ** at)
}

/** A span of seconds in words. */
export function span(seconds: number): string {
  if (seconds < 1) return 'under a second'
  if (seconds < 90) return counted(Math.round(seconds), 'second')
  if (seconds < 5400) return counted(Math.round(seconds / 60), 'minute')
  return counted(Math.round(seconds / 360) / 10, 'hour')
}

/** Where a record of a plan comes from: its row, or that others need it and have it made. */
export function origin(one: { row: number | null; record_type: string }): string {
  if (one.record_type) return `Made first, ${one.record_type.replaceAll(/[_-]/g, ' ')}`
  return one.row === null ? 'On the site' : `Row ${number(one.row)}`
}

/** Some names as one phrase: “a, b and c”. */
export const listed = (names: string[]) => new Intl.ListFormat('en-GB').format(names)

/** A value of a record in a line: what is blank says so, and of a list of objects how many there are. */
export function shown(value: unknown): string {
  if (value == null || value === '') return 'blank'
  if (Array.isArray(value) && value.some((one) => typeof one === 'object')) return counted(value.length, 'item')
  if (Array.isArray(value)) return value.join(', ')
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}
