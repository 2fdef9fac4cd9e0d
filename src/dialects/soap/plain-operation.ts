import type { Field, InputField, Type } from '../../contract/contract.js'
import { present } from '../../contract/present.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { BoundShape } from './bound-shapes.js'
import { type OperationSpecifics, type PlainSpecifics, fieldSpecifics } from './specifics.js'
import { elementField, NotYet, type MessageParts } from './message-parts.js'
import { httpBinding, mimeBinding, wsdl } from './namespaces.js'
import type { Port } from './ports.js'

/**
 * An operation as a binding to plain HTTP has it (WSDL 1.1, section 4).
 *
 * @throws NotYet where it can't be had in this way
 */
export function readPlainOperation(
  element: XmlElement,
  name: string,
  binding: XmlElement,
  port: Port,
  parts: MessageParts,
): BoundShape {
  const location = binding.takeOne(httpBinding, 'operation')?.attribute('location') ?? ''
  const input = element.takeOne(wsdl, 'input')
  const output = element.takeOne(wsdl, 'output')
  if (input === undefined)
    throw new NotYet("it has no input message: notifications from the service can't be called")
  const verb = port.endpoint.protocol === 'HTTP GET' ? 'GET' : 'POST'
  const parameters = readParameterPlace(binding.takeOne(wsdl, 'input'), verb)
  const inputs = parts.of(input, name).map((part): InputField => {
    if (part.typeName === undefined) throw new NotYet(`its part "${part.name}" names no type`)
    return { ...parts.field(part, ['', part.name]), place: 'body' }
  })
  const answered = readAnswer(output, binding.takeOne(wsdl, 'output'), name, element, parts)
  const plain: PlainSpecifics = {
    verb,
    location,
    parameters,
    ...present({ answer: answered?.written }),
  }
  return {
    inputs,
    outputs: answered === undefined ? [] : [answered.value],
    faults: [],
    specifics: { style: 'plain', plain } satisfies OperationSpecifics,
  }
}

/** Where the parameters of a request stand. */
function readParameterPlace(
  bound: XmlElement | undefined,
  verb: PlainSpecifics['verb'],
): PlainSpecifics['parameters'] {
  const isInPath = bound?.takeOne(httpBinding, 'urlReplacement') !== undefined
  bound?.takeOne(httpBinding, 'urlEncoded')
  const content = bound?.takeOne(mimeBinding, 'content')?.attribute('type')
  if (content !== undefined && content !== 'application/x-www-form-urlencoded')
    throw new NotYet(`its input is bound to ${content}`)
  if (isInPath) return 'path'
  return verb === 'GET' ? 'query' : 'form'
}

/** What comes back, and how: an element of XML, a text, or bytes. */
function readAnswer(
  output: XmlElement | undefined,
  bound: XmlElement | undefined,
  name: string,
  operation: XmlElement,
  parts: MessageParts,
): { value: Field; written: NonNullable<PlainSpecifics['answer']> } | undefined {
  const answers = output === undefined ? [] : parts.of(output, name)
  const mimeXml = bound?.takeOne(mimeBinding, 'mimeXml')
  const media = (bound?.take(mimeBinding, 'content') ?? []).map((each) => {
    each.attribute('part')
    return each.attribute('type') ?? ''
  })
  const named = answers.find((part) => part.name === mimeXml?.attribute('part'))
  const part = mimeXml === undefined ? undefined : (named ?? answers[0])
  if (part !== undefined) {
    const value = parts.field(part, ['', part.name])
    return { value, written: fieldSpecifics(value).name }
  }
  if (media.length === 0) return undefined
  const isText = media.some((each) => /^text\//.test(each))
  const type: Type = isText
    ? { kind: 'scalar', base: 'text', format: 'xs:string' }
    : { kind: 'scalar', base: 'bytes', format: 'xs:base64Binary' }
  const { origin } = output ?? operation
  return { value: elementField('value', type, origin), written: isText ? 'text' : 'bytes' }
}
