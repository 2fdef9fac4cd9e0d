import { printable } from '../contract/problem.js'
import type { PlayResponse } from '../dialects/dialect.js'
import { reasonIn as saidIn } from '../runtime/refusals.js'

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
    return saidIn(JSON.parse(text))
  } catch {
    return undefined
  }
}
