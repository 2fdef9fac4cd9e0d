import { ContractBreach, type Deviation } from '../../runtime/failures.js'
import { plainMessages } from '../../runtime/soap/answer.js'
import type { readParts } from '../../runtime/soap/attachments.js'
import { soap11, soap12 } from '../../runtime/soap/envelope.js'
import { shapeOfMembers } from '../../runtime/soap/message-shapes.js'
import { looksReferring } from '../../runtime/soap/message.js'
import type { References } from '../../runtime/soap/operation.js'
import { atOnce } from '../../runtime/soap/pieces.js'
import { encodedMessages, literalMessages } from '../../runtime/soap/references.js'
import { IgnoringFrame, MembersFrame, NotXml, type Frame } from '../../runtime/soap/xml-reader.js'
import type { KnownMessages, LiveOperation } from './play-messages.js'

type Tag = Parameters<Frame['child']>[0]
type Reading = ConstructorParameters<typeof MembersFrame>[3]
type Values = Record<string, unknown>

/** The envelope of a request, as far as it was read. */
export class RequestMessage {
  version: string
  found: LiveOperation | undefined
  /** The element that the body begins with; empty where it has none. */
  elementName = ''
  input: Values | undefined
  headers: Values | undefined
  readonly deviations: Deviation[] = []
  private readonly messages: KnownMessages
  private readonly action: string

  constructor(messages: KnownMessages, contentType: string, action: string) {
    this.messages = messages
    this.action = action
    this.version = /application\/soap\+xml/i.test(contentType) ? soap12 : soap11
  }

  /** @returns why it can't be read, where it can't */
  read(text: string, parts: ReturnType<typeof readParts>['parts']): string | undefined {
    try {
      atOnce(
        readerFor(text).parse(
          text,
          (deviation) => this.deviations.push(deviation),
          (tag, reading) => this.envelope(tag, reading),
          parts,
        ),
      )
      return undefined
    } catch (error) {
      if (error instanceof NotXml) return `The request is not a SOAP envelope: ${error.message}`
      if (error instanceof ContractBreach)
        return `The request does not satisfy the contract: ${error.message}`
      throw error
    }
  }

  private envelope(tag: Tag, reading: Reading): Frame {
    if (tag.local !== 'Envelope' || (tag.uri !== soap11 && tag.uri !== soap12))
      throw new NotXml(`the root is <${tag.name}> and not a SOAP envelope`)
    this.version = tag.uri
    return childrenBy((inner) => {
      if (inner.uri !== this.version) return new IgnoringFrame()
      if (inner.local === 'Body') return childrenBy((child) => this.bodyChild(child, reading))
      if (inner.local === 'Header') return childrenBy((child) => this.headerChild(child, reading))
      return new IgnoringFrame()
    })
  }

  private bodyChild(tag: Tag, reading: Reading): Frame {
    this.elementName = `{${tag.uri}}${tag.local}`
    this.found = this.messages.operationOf([tag.uri, tag.local], this.action)
    if (this.found === undefined) return new IgnoringFrame()
    reading.startPathsHere()
    const { input, namespace, request } = this.found
    const hear = (value: Values): void => {
      this.input = value
    }
    return request === undefined
      ? soleChild(input, namespace, tag, reading, hear)
      : new MembersFrame(shapeOfMembers(input, namespace), {}, tag, reading, hear)
  }

  /**
   * Headers are looked up among those of every operation: the body, which tells which one it is,
   * comes later.
   */
  private headerChild(tag: Tag, reading: Reading): Frame {
    const owner = this.messages.ownerOfHeader([tag.uri, tag.local])
    if (owner === undefined) return new IgnoringFrame()
    return soleChild(owner.headers, owner.namespace, tag, reading, (value) => {
      this.headers = { ...this.headers, ...value }
    })
  }
}

/** What reads a request; encoded ones say that they are. */
function readerFor(text: string): References {
  if (/encodingStyle\s*=/.test(text)) return encodedMessages
  return looksReferring(text) ? literalMessages : plainMessages
}

/** An element of which only the children matter. */
function childrenBy(child: Frame['child']): Frame {
  return { child, text: () => undefined, end: () => undefined }
}

/** A frame for one child of members that have no element of their own: they end with it. */
function soleChild(
  of: Readonly<Record<string, unknown>>,
  namespace: string,
  tag: Tag,
  reading: Reading,
  hear: (values: Values) => void,
): Frame {
  const bare = { ...tag, attributes: {} }
  const members = new MembersFrame(shapeOfMembers(of, namespace), {}, bare, reading, hear)
  const child = members.child(tag)
  return {
    child: (inner) => child.child(inner),
    text: (piece) => child.text(piece),
    end() {
      child.end()
      members.end()
    },
  }
}
