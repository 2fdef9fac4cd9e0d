import { jsonText } from '../json/values.js'
import type { Format } from './http.js'

/**
 * Bodies that are sequences of JSON texts: one a line, or each after a record separator (RFC 7464).
 */
export const lines: Format = {
  write: ({ type = '' }, _value, json) => ({
    content: (json as readonly unknown[])
      .map((each) => `${/json-seq/.test(type) ? '\u001e' : ''}${jsonText(each)}\n`)
      .join(''),
  }),
}
