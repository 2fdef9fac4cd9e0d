import type { Response } from '../exchange.js'

/** What may travel beside a message. Reading and writing such messages is a file of its own. */

export const xopNamespace = 'http://www.w3.org/2004/08/xop/include'

/** A part beside the envelope. */
export interface Attachment {
  /** Its Content-ID, without brackets. */
  readonly id: string
  readonly type: string
  readonly content: Uint8Array
}

/** What travels beside an envelope that is being written. */
export class Outgoing {
  readonly parts: Attachment[] = []
  /** Bytes in the envelope travel beside it, unless they are few (MTOM). */
  readonly takesBytesOut: boolean

  constructor(takesBytesOut = false) {
    this.takesBytesOut = takesBytesOut
  }

  /**
   * Adds a part.
   *
   * @param name the name of the message part that it is, where it is one; it becomes a part of
   *   the Content-ID (Attachments Profile 1.0, section 3.8)
   * @returns its address, to be written into the envelope
   */
  add(content: Uint8Array, type: string, name = 'part'): string {
    const id = `${encodeURIComponent(name)}=${crypto.randomUUID()}@message`
    this.parts.push({ id, type, content })
    return `cid:${id}`
  }

  /** Adds the values that a contract wants beside a message. */
  addAll(
    attachments: Readonly<Record<string, string>> | undefined,
    values: Readonly<Record<string, unknown>>,
  ): void {
    for (const [name, type] of Object.entries(attachments ?? {})) {
      const { content, type: own } =
        type === ''
          ? (values[name] as { content: Uint8Array; type: string })
          : { content: values[name] as Uint8Array, type }
      this.add(content, own, name)
    }
  }
}

/** A message that came: its envelope, and what came beside it. */
export interface Message {
  readonly envelope: Response
  /** The envelope's text. */
  readonly text: string
  readonly parts: Parts
}

/** What came beside an envelope. */
export interface Parts {
  /** What an address in the envelope means. */
  at(address: string): Attachment | undefined
  /** The values that a contract names, of these media types; one of any type is ''. */
  values(attachments: Readonly<Record<string, string>>): Readonly<Record<string, unknown>>
}

/** Nothing came beside it. */
export const noParts: Parts = { at: () => undefined, values: () => ({}) }

/** Is an answer a message of several parts? */
export function isOfParts({ headers }: Response): boolean {
  return /^\s*multipart\/related\b/i.test(headers['content-type'] ?? '')
}
