import type { Response } from '../exchange.js'
import { textOfResponse } from './message-text.js'
import type { References } from './operation.js'
import { isOfParts, noParts, type Message } from './parts.js'

/** What it takes to read messages of a rarer kind is loaded when one comes. */

/** An answer as a message. */
export async function messageIn(response: Response): Promise<Message> {
  if (!isOfParts(response))
    return { envelope: response, text: textOfResponse(response), parts: noParts }
  return (await import('./attachments.js')).readParts(response)
}

/** What reads a literal message, where its elements look as if they referred to each other. */
export async function referencesIn({ text }: Message): Promise<References | undefined> {
  return looksReferring(text) ? (await import('./references.js')).literalMessages : undefined
}

/** Does a literal message look as if its elements referred to each other? */
export function looksReferring(text: string): boolean {
  return text.includes('href') && /\shref\s*=\s*["']#[^"']*["']\s*\/>/.test(text)
}
