import type { Response } from '../exchange.js'
import { isTooDeep, notTooDeep, tooDeep } from '../failures.js'
import type { Hear } from '../hearing.js'
import { isJson, textOf } from '../response-text.js'
import { hasManyDigits, parseJson } from './parse-json.js'
import { readAnything } from './values.js'

/**
 * The body of an answer as its media type says: JSON as its value, with numbers as they are held
 * best, text and XML as text, everything else as bytes; undefined when it is empty.
 *
 * @throws ContractBreach when it is nested too deeply
 */
export function bodyAsItCame(response: Response, hear: Hear): unknown {
  const { headers, body } = response
  if (body.length === 0) return undefined
  const type = headers['content-type'] ?? ''
  if (!isJson(type)) return /^text\/|xml\b/i.test(type) ? textOf(response) : body
  const text = textOf(response)
  try {
    return jsonAsItCame(parseJson(text), hasManyDigits(text), hear)
  } catch (error) {
    if (isTooDeep(error)) throw tooDeep()
    return text
  }
}

/**
 * JSON that the contract says nothing of, as it was parsed.
 *
 * @param hasRaw it may have numbers in it that are still texts
 */
export function jsonAsItCame(json: unknown, hasRaw: boolean, hear: Hear): unknown {
  return hasRaw
    ? notTooDeep(() => readAnything(json, (message) => hear({ path: '', message })))
    : json
}
