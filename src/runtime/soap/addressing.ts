import type { QName } from './codec.js'
import type { XmlWriter } from './xml-writer.js'

const namespace = 'http://www.w3.org/2005/08/addressing'

/** Where a message goes and what it asks for. */
export interface MessageAddress {
  readonly to: string
  readonly action: string
}

/**
 * Writes the headers that address a message (WS-Addressing 1.0, SOAP binding, section 2); the
 * answer comes back on the same connection.
 */
export function writeAddressing(writer: XmlWriter, { to, action }: MessageAddress): void {
  const element = (local: string, text: string): void => {
    const name: QName = [namespace, local]
    writer.start(name)
    writer.text(text)
    writer.end(name)
  }
  element('Action', action)
  element('To', to)
  element('MessageID', `urn:uuid:${crypto.randomUUID()}`)
  writer.start([namespace, 'ReplyTo'])
  element('Address', `${namespace}/anonymous`)
  writer.end([namespace, 'ReplyTo'])
}
