const isLeft = (value: unknown) =>
  value === null || value === undefined || value === '' || (typeof value === 'object' && !Object.keys(value).length)

/** A value that the audit log keeps, in words. */
function worded(value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (Array.isArray(value)) return value.map(worded).join(', ')
  return typeof value === 'object' && value !== null ? pairs(value, ', ') : String(value)
}

function pairs(detail: object, between: string): string {
  return Object.entries(detail)
    .filter(([, value]) => !isLeft(value))
    .map(([name, value]) => `${name.replaceAll('_', ' ')}${typeof value === 'object' ? ':' : ''} ${worded(value)}`)
    .join(between)
}

/** How something was done, by what the audit log keeps of it; what says nothing is left out. */
export function said(detail: Record<string, unknown>): string {
  return pairs(detail, '; ')
}
