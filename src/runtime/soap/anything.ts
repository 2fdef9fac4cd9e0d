import { special } from '../special-members.js'
import { expected, join, show } from '../violations.js'
import type { StartTag } from './start-tag.js'
import type { Violation } from '../failures.js'
import { checkFragment, checkMembers, isObject } from './check.js'
import {
  kindOf,
  shapeOf,
  type AnyRecordCodec,
  type AnythingHandler,
  type OpenElement,
  type QName,
  type SimpleCodec,
  type TypedText,
} from './codec.js'
import { soapEncoding, soapEncoding12, xsiNamespace } from './namespaces.js'
import {
  base64Binary,
  boolean,
  byte,
  collapse,
  date,
  dateTime,
  decimal,
  double,
  duration,
  float,
  gregorianDay,
  gregorianMonth,
  gregorianYear,
  hexBinary,
  int,
  integer,
  long,
  monthDay,
  normalizedText,
  qualifiedName,
  short,
  splitName,
  text,
  time,
  token,
  unsignedByte,
  unsignedInt,
  unsignedLong,
  unsignedShort,
  uri,
  yearMonth,
} from './simple.js'
import {
  FragmentFrame,
  ItemsFrame,
  MembersFrame,
  TextFrame,
  type Frame,
  type Reading,
} from './xml-reader.js'
import { nameText } from './xml-name.js'
import {
  writeContent,
  writeElement,
  writeOpenElement,
  xsdNamespace,
  type XmlWriter,
} from './xml-writer.js'

const soapEncodings: readonly string[] = [soapEncoding, soapEncoding12]

/** The simple types of XML Schema by their names, for values whose type only the message says. */
const simpleTypes: Readonly<Record<string, SimpleCodec<unknown>>> = {
  string: text,
  normalizedString: normalizedText,
  token,
  language: token,
  Name: token,
  NCName: token,
  NMTOKEN: token,
  ID: token,
  IDREF: token,
  ENTITY: token,
  anyURI: uri,
  anySimpleType: text,
  boolean,
  decimal,
  integer,
  nonPositiveInteger: integer,
  negativeInteger: integer,
  nonNegativeInteger: integer,
  positiveInteger: integer,
  long,
  int,
  short,
  byte,
  unsignedLong,
  unsignedInt,
  unsignedShort,
  unsignedByte,
  float,
  double,
  duration,
  dateTime,
  time,
  date,
  gYearMonth: yearMonth,
  gYear: gregorianYear,
  gMonthDay: monthDay,
  gMonth: gregorianMonth,
  gDay: gregorianDay,
  hexBinary,
  base64Binary,
  QName: qualifiedName,
}

/**
 * A frame for a value of any type: what the element says it is (XML Schema part 1, section 2.6.1).
 */
function frame(
  records: readonly AnyRecordCodec[],
  tag: StartTag,
  reading: Reading,
  deliver: (value: unknown) => void,
): Frame {
  const [namespace, local] = saidType(tag, reading) ?? ['', '']
  const plain: readonly string[] = ['string', 'boolean', 'int', 'double', 'long', 'base64Binary']
  const isSimple = namespace === xsdNamespace || soapEncodings.includes(namespace)
  const simple = isSimple && Object.hasOwn(simpleTypes, local) ? simpleTypes[local] : undefined
  if (simple !== undefined)
    return new TextFrame(simple, tag, reading, (value) =>
      deliver(
        plain.includes(local)
          ? value
          : { $is: `xs:${local}`, $text: simple.write(value, { prefix: (each) => `{${each}}` }) },
      ),
    )
  if (soapEncodings.includes(namespace) && local === 'Array')
    return new ItemsFrame(
      {
        items: ['', 'item'],
        encoded: [namespace, local],
        of: { anything: anyValue, records: () => records },
        nillable: true,
      },
      reading,
      deliver,
    )
  const record = records.find(({ type }) => type?.[1] === local && type[0] === namespace)
  if (record !== undefined)
    return new MembersFrame(shapeOf(record), { $is: kindOf(record) }, tag, reading, deliver)
  return new FragmentFrame(tag, (element) => {
    // A text alone is a text.
    const isText =
      element.attributes === undefined &&
      (element.content ?? []).every((piece) => typeof piece === 'string')
    deliver(isText ? (element.content ?? []).join('') : element)
  })
}

/** The type that an element says it is of, resolved where it stands. */
function saidType(tag: StartTag, reading: Reading): QName | undefined {
  const written = Object.values(tag.attributes).find(
    (attribute) => attribute.local === 'type' && attribute.uri === xsiNamespace,
  )?.value
  if (written === undefined) return undefined
  const [prefix, local] = splitName(collapse(written))
  return [reading.resolve(prefix) ?? '', local]
}

/** Writes a value of any type, which the element says (XML Schema part 1, section 2.6.1). */
function write(
  records: readonly AnyRecordCodec[],
  writer: XmlWriter,
  value: unknown,
  element: QName,
): void {
  const say = (namespace: string, local: string): void =>
    writer.attribute([xsiNamespace, 'type'], `${writer.prefix(namespace)}:${local}`)
  const simple = (local: string, content: unknown): void => {
    say(xsdNamespace, local)
    writer.text(simpleTypes[local]?.write(content, writer) ?? '')
  }
  if (typeof value === 'string') simple('string', value)
  else if (typeof value === 'boolean') simple('boolean', value)
  else if (typeof value === 'number')
    simple(
      Number.isInteger(value) && Math.abs(value) < 2 ** 31 && !Object.is(value, -0)
        ? 'int'
        : 'double',
      value,
    )
  else if (typeof value === 'bigint')
    simple(BigInt.asIntN(64, value) === value ? 'long' : 'integer', value)
  else if (value instanceof Uint8Array) simple('base64Binary', value)
  else if (Array.isArray(value)) {
    say(writer.encoding ?? soapEncoding, 'Array')
    writer.attribute(
      [writer.encoding ?? soapEncoding, 'arrayType'],
      `${writer.prefix(xsdNamespace)}:anyType[${String(value.length)}]`,
    )
    for (const item of value)
      writeElement(writer, ['', 'item'], { anything: anyValue, records: () => records }, item)
  } else {
    const { $is: which, $text: text } = value as Partial<TypedText>
    const record = which === undefined ? undefined : records.find((each) => kindOf(each) === which)
    if (record !== undefined) {
      if (record.type !== undefined) say(...record.type)
      writeContent(writer, record, value as Readonly<Record<string, unknown>>)
    } else if (which === undefined) writeGiven(writer, value as OpenElement, element)
    else {
      say(xsdNamespace, which.slice(3))
      writer.text(text ?? '')
    }
  }
}

/**
 * Writes an element that was given: as the member's own where it is called so, else inside of it.
 */
function writeGiven(writer: XmlWriter, given: OpenElement, [namespace, local]: QName): void {
  const isOwn = given.name === nameText(namespace, local) || given.name === local
  writeOpenElement(writer, isOwn ? given : { name: '', content: [given] })
}

/** Checks a value of any type: what it says it is, it must be. */
function check(
  records: readonly AnyRecordCodec[],
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  if (Array.isArray(value)) {
    value.forEach((item: unknown, at) => {
      if (item !== null) check(records, item, `${path}[${String(at)}]`, violations)
    })
    return
  }
  if (!isObject(value)) {
    const isPlain =
      ['boolean', 'number', 'bigint'].includes(typeof value) || value instanceof Uint8Array
    const strange = isPlain ? undefined : expected('a value', value)
    const message = typeof value === 'string' ? text.check(value) : strange
    if (message !== undefined) violations.push({ path, message })
    return
  }
  const which = value[special.is]
  const record =
    typeof which === 'string' ? records.find((each) => kindOf(each) === which) : undefined
  if (record !== undefined) checkMembers(shapeOf(record), value, path, violations, [special.is])
  else if (typeof which === 'string') {
    const simple = simpleTypeNamed(which)
    const message = troubleWithText(simple, value[special.text])
    if (message !== undefined)
      violations.push({ path: simple === undefined ? join(path, special.is) : path, message })
  } else checkFragment(value, path, violations)
}

/** The simple type that `xs:name` names. */
function simpleTypeNamed(written: string): SimpleCodec<unknown> | undefined {
  const name = written.startsWith('xs:') ? written.slice(3) : ''
  return Object.hasOwn(simpleTypes, name) ? simpleTypes[name] : undefined
}

function canRead(simple: SimpleCodec<unknown>, written: string): boolean {
  try {
    simple.read(written, { resolve: () => '' })
    return true
  } catch {
    return false
  }
}

/** Values of any type, which the message names. */
export const anyValue: AnythingHandler = { frame, write, check }

function troubleWithText(
  simple: SimpleCodec<unknown> | undefined,
  text: unknown,
): string | undefined {
  if (simple === undefined) return 'is no type that the contract knows'
  return typeof text === 'string' && canRead(simple, text)
    ? undefined
    : `expected ${simple.simple} as $text, got ${show(text)}`
}
