import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language'
import { tags } from '@lezer/highlight'
import type { Schemas } from '@/api/client'

export type FormulaFunction = Schemas['FunctionView']

/** OpenFormula's parts, as far as they are told apart by colour: texts, columns, numbers, names. */
const parts = StreamLanguage.define({
  token(stream) {
    if (stream.match(/^"(?:[^"]|"")*"?/)) return 'string'
    if (stream.match(/^\[(?:[^\]]|\]\])*\]?/)) return 'propertyName'
    if (stream.match(/^\d+(\.\d+)?([eE][+-]?\d+)?/)) return 'number'
    if (stream.match(/^[A-Za-z][A-Za-z0-9.]*(?=\s*\()/)) return 'keyword'
    stream.next()
    return null
  },
})

const colours = HighlightStyle.define([
  { tag: tags.string, color: 'var(--moss)' },
  { tag: tags.propertyName, color: 'var(--petrol)' },
  { tag: tags.number, color: 'var(--marigold-text)' },
  { tag: tags.keyword, fontWeight: '700' },
])

export const highlighting = [parts, syntaxHighlighting(colours)]

/** Columns behind an opening bracket, functions elsewhere. */
export function completion(columns: () => string[], functions: () => FormulaFunction[]) {
  function complete(context: CompletionContext): CompletionResult | null {
    const column = context.matchBefore(/\[[^\]]*/)
    if (column)
      return {
        from: column.from,
        options: columns().map((name) => ({ label: `[${name.replaceAll(']', ']]')}]`, type: 'property' })),
      }
    const word = context.matchBefore(/[A-Za-z][A-Za-z0-9.]*/)
    if (!word && !context.explicit) return null
    return {
      from: word?.from ?? context.pos,
      options: functions().map((one) => ({
        label: one.name,
        apply: `${one.name}(`,
        detail: one.signature.slice(one.name.length),
        info: one.summary,
        type: 'function',
      })),
    }
  }
  return autocompletion({ override: [complete], icons: false })
}

export interface Call {
  name: string
  /** Which argument the cursor stands in, counted from 0. */
  argument: number
}

/** The innermost call that a place in a formula stands in. */
export function callAt(text: string, place: number): Call | null {
  const open: Call[] = []
  const pieces = /"(?:[^"]|"")*"?|\[(?:[^\]]|\]\])*\]?|([A-Za-z][A-Za-z0-9.]*)\s*\(|[();,]/g
  for (const found of text.slice(0, place).matchAll(pieces)) {
    const piece = found[0]
    if (found[1]) open.push({ name: found[1].toUpperCase(), argument: 0 })
    else if (piece === '(') open.push({ name: '', argument: 0 })
    else if (piece === ')') open.pop()
    else if (piece === ';' || piece === ',') {
      const call = open.at(-1)
      if (call) call.argument += 1
    }
  }
  return open.findLast((call) => call.name) ?? null
}
