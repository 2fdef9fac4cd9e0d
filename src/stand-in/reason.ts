import { isPlainObject } from '../contract/plain.js'
import { printable } from '../contract/problem.js'
import type { PlayResponse } from '../dialects/dialect.js'

/**
 * Why an answer refuses, in its own words: the reason of a SOAP fault, the message of an error in
 * JSON, or its text.
 */
export function reasonIn({ body }: PlayResponse): string {
  const text = typeof body === 'string' ? body : new TextDecoder().decode(body)
  const inXml = /<(?:\w+:)?(?:faultstring|Text)[^>]*>([^<]*)</
    .exec(text)?.[1]
    ?.replaceAll('&lt;', '<')
    .replaceAll('&gt;', '>')
    .replaceAll('&quot;', '"')
    .replaceAll('&amp;', '&')
  return printable((inXml ?? inJson(text) ?? text).trim(), 500)
}

function inJson(text: string): string | undefined {
  try {
    const json = JSON.parse(text) as unknown
    if (!isPlainObject(json)) return undefined
    const error = isPlainObject(json['error']) ? json['error'] : json
    const message = isPlainObject(error['message'])
      ? error['message']['value']
      : (error['message'] ?? error['detail'])
    return typeof message === 'string' ? message : undefined
  } catch {
    return undefined
  }
}
