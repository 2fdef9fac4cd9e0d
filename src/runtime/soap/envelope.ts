import { writeAddressing, type MessageAddress } from './addressing.js'
import { settled, type QName, type Shape } from './codec.js'
import { headerShape, inputShape } from './message-shapes.js'
import { soap11, soap12, soapEncoding, soapEncoding12 } from './namespaces.js'
import type { SoapOperation } from './operation.js'
import { Outgoing } from './parts.js'
import { XmlWriter, writeElement, writeMembers } from './xml-writer.js'

export { soap11, soap12 } from './namespaces.js'

/** Writes the header that proves who calls. @param soapNamespace that of the envelope */
export type WriteProof = (writer: XmlWriter, soapNamespace: string) => void

/** What an envelope holds beside the members of its body. */
export interface Extras {
  readonly headers?:
    | { readonly shape: Shape; readonly values: Readonly<Record<string, unknown>> | undefined }
    | undefined
  /** Writes the header that proves who calls. */
  readonly writeProof?: WriteProof | undefined
  readonly address?: MessageAddress | undefined
  /** Takes what travels beside the envelope. */
  readonly outgoing?: Outgoing
  readonly encoded?: boolean | undefined
}

/**
 * The envelope of a request (SOAP 1.1, section 4; SOAP 1.2 part 1, section 5). The input must
 * satisfy the operation.
 */
export function writeRequest<Input extends object, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  input: Input,
  version: string,
  extras: Extras = {},
): string {
  const { headers, ...members } = input as {
    readonly [name: string]: unknown
    readonly headers?: Readonly<Record<string, unknown>>
  }
  const { outgoing = new Outgoing() } = extras
  const envelope = writeEnvelope(version, operation.request, inputShape(operation), members, {
    ...extras,
    outgoing,
    headers: { shape: headerShape(operation), values: headers },
    encoded: operation.encoded !== undefined,
  })
  outgoing.addAll(operation.attachments, members)
  return envelope
}

/** An envelope with these members in its body, inside `wrapper` where there is one. */
export function writeEnvelope(
  version: string,
  wrapper: QName | undefined,
  shape: Shape,
  value: Readonly<Record<string, unknown>>,
  extras: Extras = {},
): string {
  const { headers, writeProof, address, encoded } = extras
  const rules = version === soap12 ? soapEncoding12 : soapEncoding
  const style = encoded === true ? rules : undefined
  const writer = new XmlWriter({ soap: version }, style, extras.outgoing)
  writer.start([version, 'Envelope'])
  const values = headers?.values ?? {}
  if (
    writeProof !== undefined ||
    address !== undefined ||
    Object.values(values).some((each) => each !== undefined)
  ) {
    writer.start([version, 'Header'])
    if (style !== undefined && version === soap11)
      writer.attribute([version, 'encodingStyle'], style)
    if (address !== undefined) writeAddressing(writer, address)
    writeProof?.(writer, version)
    if (headers !== undefined) writeMembers(writer, headers.shape, values)
    writer.end([version, 'Header'])
  }
  writer.start([version, 'Body'])
  if (wrapper !== undefined) writer.start(wrapper)
  if (wrapper !== undefined && style !== undefined)
    writer.attribute([version, 'encodingStyle'], style)
  writeMembers(writer, shape, value)
  if (wrapper !== undefined) writer.end(wrapper)
  writer.end([version, 'Body'])
  writer.end([version, 'Envelope'])
  return `<?xml version="1.0" encoding="utf-8"?>\n${writer.finish()}`
}

/** The envelope of a fault (SOAP 1.1, section 4.4; SOAP 1.2 part 1, section 5.4). */
export function writeFault(
  version: string,
  code: 'Client' | 'Server',
  reason: string,
  detail?: { readonly element: QName; readonly codec: unknown; readonly value: unknown },
): string {
  const isNewer = version === soap12
  const writer = new XmlWriter({ soap: version })
  const element = (name: QName, inside: () => void): void => {
    writer.start(name)
    inside()
    writer.end(name)
  }
  const at = (local: string): QName => [isNewer ? version : '', local]
  element([version, 'Envelope'], () => {
    element([version, 'Body'], () => {
      element([version, 'Fault'], () => {
        if (isNewer) {
          element(at('Code'), () =>
            element(at('Value'), () =>
              writer.text(code === 'Client' ? 'soap:Sender' : 'soap:Receiver'),
            ),
          )
          element(at('Reason'), () => {
            writer.start(at('Text'))
            writer.attribute(['http://www.w3.org/XML/1998/namespace', 'lang'], 'en')
            writer.text(reason)
            writer.end(at('Text'))
          })
        } else {
          element(at('faultcode'), () => writer.text(`soap:${code}`))
          element(at('faultstring'), () => writer.text(reason))
        }
        if (detail !== undefined)
          element(at(isNewer ? 'Detail' : 'detail'), () =>
            writeElement(writer, detail.element, settled(detail.codec), detail.value),
          )
      })
    })
  })
  return `<?xml version="1.0" encoding="utf-8"?>\n${writer.finish()}`
}
