import { describe, expect, test } from '@jest/globals'
import type { Deviation } from '../../src/runtime/failures.js'
import { int, long, text } from '../../src/runtime/soap/simple.js'
import { readAnswer } from '../support/soap-answers.js'
import { encodedMessages } from '../../src/runtime/soap/references.js'
import { writeRequest } from '../../src/runtime/soap/envelope.js'
import { type SoapOperation } from '../../src/runtime/soap/soap.js'

/**
 * Messages in SOAP's own encoding, written by hand from SOAP 1.1, section 5, and SOAP 1.2 part 2,
 * section 3.
 */

const xsd = 'http://www.w3.org/2001/XMLSchema'
const person = {
  type: ['urn:t', 'Person'] as const,
  namespace: '',
  members: {
    Name: { element: text, type: [xsd, 'string'] as const },
    Age: { element: int, type: [xsd, 'int'] as const, optional: true as const },
    Friends: { element: () => people, optional: true as const },
  },
}
const people: {
  items: readonly ['', 'item']
  encoded: readonly ['urn:t', 'Person']
  of: () => typeof person
  nillable: true
} = { items: ['', 'item'], encoded: ['urn:t', 'Person'], of: () => person, nillable: true }
const operation = {
  name: 'meet',
  action: '',
  request: ['urn:t', 'meet'],
  encoded: encodedMessages,
  namespace: '',
  input: { people: { element: people }, number: { element: long, type: [xsd, 'long'] } },
  answer: {
    element: ['urn:t', 'meetResponse'],
    members: { result: { element: people } },
    value: 'result',
  },
} as unknown as SoapOperation<{ people: object[]; number: bigint }, unknown>

function answer(body: string, encoded = true): { value: unknown; deviations: string[] } {
  const deviations: Deviation[] = []
  const envelope = `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:e="http://schemas.xmlsoap.org/soap/encoding/" xmlns:x="${xsd}" xmlns:i="http://www.w3.org/2001/XMLSchema-instance" xmlns:t="urn:t"><s:Body>${body}</s:Body></s:Envelope>`
  const { encoded: _encoded, ...literal } = operation
  const value = readAnswer(
    (encoded ? operation : literal) as typeof operation,
    { status: 200, headers: {}, body: new TextEncoder().encode(envelope) },
    (deviation) => deviations.push(deviation),
  )
  return { value, deviations: deviations.map(({ path, message }) => `${path} ${message}`) }
}

test('every element says its type, arrays their items and how many (section 5.4.2)', () => {
  const written = writeRequest(
    operation,
    { people: [{ Name: 'A', Friends: [{ Name: 'B' }] }], number: 5n },
    'http://schemas.xmlsoap.org/soap/envelope/',
  )
  expect(written.replace(/^.*?<soap:Body>|<\/soap:Body>.*$/gs, '')).toBe(
    '<n1:meet soap:encodingStyle="http://schemas.xmlsoap.org/soap/encoding/"><people xsi:type="enc:Array" enc:arrayType="n1:Person[1]"><item xsi:type="n1:Person"><Name xsi:type="xsd:string">A</Name><Friends xsi:type="enc:Array" enc:arrayType="n1:Person[1]"><item xsi:type="n1:Person"><Name xsi:type="xsd:string">B</Name></item></Friends></item></people><number xsi:type="xsd:long">5</number></n1:meet>',
  )
  const newer = writeRequest(
    operation,
    { people: [], number: 5n },
    'http://www.w3.org/2003/05/soap-envelope',
  )
  expect(newer).toContain(
    'soap:encodingStyle="http://www.w3.org/2003/05/soap-encoding"><people enc:itemType="n1:Person" enc:arraySize="0"/>',
  )
})

describe('answers whose elements refer to each other (section 5.2.1)', () => {
  const array = (items: string): string =>
    `<t:meetResponse s:encodingStyle="x"><result i:type="e:Array" e:arrayType="t:Person[2]">${items}</result></t:meetResponse>`
  test.each<[string, string, unknown]>([
    [
      'references that come later, beside the answer',
      `${array('<item href="#1"/><x href="#2"/>')}<multiRef id="1" e:root="0" i:type="t:Person"><Name>A</Name></multiRef><t:Person id="2"><Name>B</Name><Age href="#3"/></t:Person><multiRef id="3" i:type="x:int">7</multiRef>`,
      [{ Name: 'A' }, { Name: 'B', Age: 7 }],
    ],
    [
      'shared by two',
      array('<item id="1"><Name>A</Name></item><item href="#1"/>'),
      [{ Name: 'A' }, { Name: 'A' }],
    ],
    [
      'the array itself',
      `<t:meetResponse><result href="#9"/></t:meetResponse><e:Array id="9" e:arrayType="t:Person[1]"><e:Struct><Name>A</Name></e:Struct></e:Array>`,
      [{ Name: 'A' }],
    ],
    [
      'as version 1.2 writes it',
      `<t:meetResponse xmlns:n="http://www.w3.org/2003/05/soap-encoding" xmlns:r="http://www.w3.org/2003/05/soap-rpc"><r:result>result</r:result><result n:itemType="t:Person" n:arraySize="2"><a n:id="p"><Name>A</Name></a><b n:ref="p"/></result></t:meetResponse>`,
      [{ Name: 'A' }, { Name: 'A' }],
    ],
    ['nothing and null', array('<item i:nil="true"/>'), [null]],
  ])('%s', (_, body, value) => expect(answer(body)).toEqual({ value, deviations: [] }))

  test('who is a friend of himself does not go on for ever; nor does what unfolds without end', () => {
    const circle = answer(
      `${array('<item href="#1"/>')}<m id="1"><Name>A</Name><Friends><item href="#1"/></Friends></m>`,
    )
    expect(circle).toEqual({
      value: [{ Name: 'A', Friends: [] }],
      deviations: [
        'result.item.Friends.item refers back to what it is inside of; that is left out',
      ],
    })
    const levels = Array.from(
      { length: 30 },
      (_, at) =>
        `<m id="${at}"><Name>x</Name><Friends><item href="#${at + 1}"/><item href="#${at + 1}"/></Friends></m>`,
    ).join('')
    expect(() =>
      answer(`${array('<item href="#0"/>')}${levels}<m id="30"><Name>z</Name></m>`),
    ).toThrow('unfold without end')
  })

  test('a reference to what is not there is told', () =>
    expect(answer(array('<item href="#5"/>'))).toEqual({
      value: [],
      deviations: ['result.item refers to something that is not in the answer'],
    }))

  test('literal answers of services that refer all the same; an attribute that is no reference stays one', () => {
    expect(
      answer(
        array('<item id="1"><Name>A</Name></item><item href="#1"/>').replace(
          / e:arrayType="[^"]*"| s:encodingStyle="x"/g,
          '',
        ),
        false,
      ),
    ).toEqual({
      value: [{ Name: 'A' }, { Name: 'A' }],
      deviations: ['result.item refers to another element, as only encoded messages do'],
    })
    expect(
      answer('<t:meetResponse><result><item href="#5"/></result></t:meetResponse>', false),
    ).toMatchObject({ value: [{ $open: { attributes: { href: '#5' } } }] })
  })
})

describe('arrays of several dimensions, and parts of arrays (section 5.4.2)', () => {
  const cell = { items: ['', 'item'], encoded: [xsd, 'int'], of: int, nillable: true } as const
  const grid = { ...cell, dimensions: 2, of: { ...cell } } as const
  const chart = {
    name: 'chart',
    action: '',
    request: ['urn:t', 'chart'],
    encoded: encodedMessages,
    namespace: '',
    input: { grid: { element: grid } },
    answer: {
      element: ['urn:t', 'chartResponse'],
      members: { grid: { element: grid } },
      value: 'grid',
    },
  } as unknown as SoapOperation<{ grid: unknown }, unknown>
  const read = (array: string): unknown =>
    readAnswer(
      chart,
      {
        status: 200,
        headers: {},
        body: new TextEncoder().encode(
          `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:e="http://schemas.xmlsoap.org/soap/encoding/" xmlns:x="${xsd}"><s:Body><c:chartResponse xmlns:c="urn:t">${array}</c:chartResponse></s:Body></s:Envelope>`,
        ),
      },
      (deviation) => expect(deviation).toBeUndefined(),
    )
  const items = [1, 2, 3, 4, 5, 6].map((each) => `<i>${each}</i>`).join('')

  test.each([
    ['http://schemas.xmlsoap.org/soap/envelope/', 'enc:arrayType="xsd:int[2,3]"'],
    ['http://www.w3.org/2003/05/soap-envelope', 'enc:arraySize="2 3"'],
  ])('written in %s with the size of each dimension', (version, said) => {
    const grid = [
      [1, 2, 3],
      [4, 5, 6],
    ]
    const written = writeRequest(chart, { grid }, version)
    expect(written).toContain(said)
    expect(written.match(/<item/g)).toHaveLength(6)
  })

  test.each([
    ['by rows', 'e:arrayType="x:int[2,3]"', '[[1,2,3],[4,5,6]]'],
    ['by other rows', 'e:arrayType="x:int[3,2]"', '[[1,2],[3,4],[5,6]]'],
    [
      'with an offset',
      'e:arrayType="x:int[3,3]" e:offset="[1,0]"',
      '[[null,null,null],[1,2,3],[4,5,6]]',
    ],
  ])('read back in its shape, %s', (_how, attributes, shape) => {
    expect(JSON.stringify(read(`<grid ${attributes}>${items}</grid>`))).toBe(shape)
  })

  test('items that say their place', () => {
    const placed = '<i e:position="[0,1]">7</i><i e:position="[1,0]">8</i>'
    expect(read(`<grid e:arrayType="x:int[2,2]">${placed}</grid>`)).toEqual([
      [null, 7],
      [8, null],
    ])
  })

  test.each([
    ['e:arrayType="x:int[]"', items],
    ['e:arrayType="x:int[100000,100000]"', items],
    ['e:arrayType="x:int[2,2]"', '<i e:position="[1000000000,0]">1</i>'],
  ])('%s is a breach, and costs nothing', (attributes, content) => {
    expect(() => read(`<grid ${attributes}>${content}</grid>`)).toThrow(/promised was/)
  })
})
