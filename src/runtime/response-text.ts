import type { Response } from './exchange.js'

/** Is a media type one of JSON, or built on it? */
export function isJson(type: string): boolean {
  return /^[^;]*[/+]json(?![\w.+-])/i.test(type)
}

/** The text of an answer, in the encoding that it names. */
export function textOf(response: Response): string {
  const charset = /charset\s*=\s*"?([\w.-]+)/i.exec(response.headers['content-type'] ?? '')?.[1]
  try {
    return new TextDecoder(charset ?? 'utf-8').decode(response.body)
  } catch {
    return new TextDecoder().decode(response.body)
  }
}

/** What an answer is, in a few words: for messages when it is not what was promised. */
export function describeBody(response: Response, text: string): string {
  if (text.trim() === '') return 'an empty body'
  const title = /<title[^>]*>([^<]{1,120})/i.exec(text)?.[1]?.trim()
  if (/^\s*<(?:!doctype html|html)/i.test(text))
    return title === undefined ? 'an HTML page' : `an HTML page titled "${title}"`
  return `a body of type ${response.headers['content-type'] ?? 'unknown'}: ${text.trim().slice(0, 120)}`
}
