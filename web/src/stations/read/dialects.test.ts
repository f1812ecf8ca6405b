import { expect, it } from 'vitest'
import { delimiterOptions, encodingOptions, quoteOf, quoteOptions, readQuote } from '@/stations/read/dialects'

const dialect = {
  format: 'delimited', sheet: '', encoding: 'utf-8', delimiter: ',', quote: '"', escape: '', header_line: 1, footer_lines: 0,
} // prettier-ignore

it('offers the delimiter that is set, however rare', () => {
  expect(delimiterOptions('^').at(-1)).toEqual({ value: '^', text: '^' })
  expect(delimiterOptions(';')).toHaveLength(delimiterOptions(',').length)
})

it('offers the encoding that is set first, and each once', () => {
  const options = encodingOptions('iso-8859-15')
  expect(options[0]).toBe('iso-8859-15')
  expect(new Set(options).size).toBe(options.length)
  expect(encodingOptions('hp-roman8')[0]).toBe('hp-roman8')
})

it('tells doubled quotes from escaped ones, both ways', () => {
  for (const { value } of quoteOptions) expect(quoteOf({ ...dialect, ...readQuote(value) })).toBe(value)
  expect(readQuote('"\\')).toEqual({ quote: '"', escape: '\\' })
  expect(readQuote('')).toEqual({ quote: '', escape: '' })
})
