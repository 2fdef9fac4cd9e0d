import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { Contract, Field, Origin, RecordType } from '../../src/contract/contract.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import { translatePattern } from '../../src/dialects/soap/pattern.js'
import { parseXml, type XmlElement } from '../../src/documents/xml-tree.js'
import { operationNamed, readFixture } from '../support/contracts.js'
import { freshFolder } from '../support/program.js'

const { contract, documents } = await readFixture('tests/fixtures/everything/everything.wsdl')
const record = (name: string): RecordType =>
  Object.values(contract.types).find((type) => type.name === name) as RecordType
const field = (type: string, name: string): Field | undefined =>
  record(type).fields.find((each) => each.name === name)

describe('nothing is dropped in silence', () => {
  /** Every origin that stands anywhere in a value. */
  function originsIn(value: unknown, found: Set<Origin>): void {
    if (typeof value !== 'object' || value === null) return
    const { origin } = value as { origin?: Origin }
    if (typeof origin === 'number') found.add(origin)
    for (const member of Object.values(value)) originsIn(member, found)
  }

  // What only holds or shapes other components, and is modelled by them.
  const structure = new Set(
    (
      'definitions import types schema include sequence choice any anyAttribute all complexContent simpleContent extension restriction annotation documentation complexType simpleType body header operation ' +
      'binding address input output fault message part portType attributeGroup list union enumeration minLength maxLength minExclusive minInclusive pattern maxInclusive totalDigits fractionDigits service Policy All'
    ).split(' '),
  )

  test.each(['tests/fixtures/everything/everything.wsdl', 'demo/berths/desk.wsdl'])(
    'every component of %s is modelled or noted',
    async (path) => {
      const read = await readFixture(path)
      const known = new Set<Origin>()
      originsIn(read.contract, known)
      const silent: string[] = []
      let counted = 0
      const visit = (element: XmlElement, covered: boolean): void => {
        const { document, line, column } = element.place
        // What is meant for other programs says nothing of the contract.
        if (element.local === 'appinfo') return
        const isNoted = read.contract.notes.some(
          ({ origin }) =>
            origin.document === document && origin.line === line && origin.column === column,
        )
        // Of an array the one element is what its items are called.
        const isItem =
          element.parent?.children.length === 1 &&
          element.attributes.some(({ local, value }) => local === 'maxOccurs' && value !== '1')
        const here = covered || isNoted || isItem || known.has(element.origin)
        const isComponent = !structure.has(element.local)
        if (isComponent) counted += 1
        if (isComponent && !here) silent.push(`${element.name} ${document}:${line}:${column}`)
        // A note about an element speaks for all that is inside.
        const noted = covered || isNoted
        for (const child of element.children) visit(child, noted)
      }
      for (const [at, document] of read.documents.all().entries())
        visit(parseXml(document.text, document.label, at), false)
      expect(silent).toEqual([])
      expect(counted).toBeGreaterThan(50)
    },
  )

  test('each thing that is not read has its note, with the place', () => {
    const notes = contract.notes.map(
      ({ code, origin, message }) => `${code} ${origin.document}:${origin.line} ${message}`,
    )
    const expected = [
      /^TM-2113 everything\.wsdl:5 .*t:MustSmile/,
      /^TM-2111 everything\.wsdl:56 The operation "encoded" is left out at EverythingSoap: its messages are encoded/,
      /^TM-2111 messages\.wsdl:11 The operation "unbound"/,
      /^TM-2112 messages\.wsdl:6 The message "Unused" is ignored: no service uses it/,
      /^TM-2214 plain\.xsd:5 /,
      /^TM-2112 plain\.xsd:7 The group "Spare"/,
      /^TM-2203 plain\.xsd:8 <xs:notation>/,
    ]
    for (const each of expected) expect(notes.filter((note) => each.test(note))).toHaveLength(1)
    expect(notes).toHaveLength(expected.length)
  })
})

describe('XML Schema in the contract', () => {
  test('a chameleon include takes the namespace; inline schemas without a location are found', () => {
    expect(contract.types['{urn:brackmouth:everything}Basics']).toMatchObject({
      kind: 'record',
      documentation: 'Every built-in simple type.',
    })
    expect(field('Odd', 'Local')?.specifics).toEqual({ place: 'element', name: ['', 'Local'] })
    expect(field('Odd', 'Known')?.specifics).toEqual({
      place: 'element',
      name: ['urn:brackmouth:unqualified', 'Known'],
    })
  })

  test('anonymous types are named after where they stand; an attribute yields its name to an element', () => {
    expect(record('EverythingCrate').fields.map((each) => each.name)).toEqual([
      'Kind',
      'Inside',
      'Kind_',
      'fragile',
      'mark',
    ])
    expect(
      Object.values(contract.types).find((type) => type.name === 'EverythingCrateKind'),
    ).toMatchObject({
      kind: 'enumeration',
      members: [{ value: 'box' }, { value: 'Box' }, { value: '' }, { value: '10 ft' }],
    })
  })

  test('lists: repeated elements, arrays in a wrapper, texts with spaces', () => {
    expect(field('Everything', 'Shape')?.type).toMatchObject({
      kind: 'list',
      maxItems: 3,
      specifics: { written: 'repeated' },
    })
    expect(contract.types['{urn:brackmouth:everything}ArrayOfName']).toMatchObject({
      kind: 'list',
      itemNullable: true,
      specifics: { written: 'items', item: ['urn:brackmouth:everything', 'Name'] },
    })
    expect(field('Everything', 'Codes')?.type).toMatchObject({
      kind: 'list',
      item: { base: 'int32' },
      specifics: { written: 'spaced' },
    })
  })

  test('facets become constraints, defaults and fixed values are kept', () => {
    expect(contract.types['{urn:brackmouth:everything}Weight']).toMatchObject({
      constraints: {
        exclusiveMinimum: '0',
        maximum: '99999.999',
        totalDigits: 8,
        fractionDigits: 3,
      },
    })
    expect(field('Shape', 'Colour')).toMatchObject({ default: 'grey' })
    expect(field('Stamp', 'trust')).toMatchObject({ fixed: '7', optional: true })
    expect(field('Stamp', 'by')).toMatchObject({ optional: false })
  })

  test('operations: wrapped, bare and one-way; faults; headers; the action of each endpoint', async () => {
    expect(operationsOf(contract).map(pathOf)).toEqual(['store', 'ping'])
    expect(operationNamed(contract, 'ping')).toMatchObject({
      inputs: [{ name: 'word', place: 'body' }],
      outcome: { kind: 'nothing' },
      specifics: { style: 'bare', oneWay: true },
    })
    const { contract: desk } = await readFixture('demo/berths/desk.wsdl')
    expect(operationNamed(desk, 'moveVessel')).toMatchObject({
      inputs: [
        { name: 'Number' },
        { name: 'Berth' },
        { name: 'DeskKey', place: 'messageHeader', optional: true },
      ],
      outcome: {
        kind: 'record',
        fields: [{ name: 'Berth' }, { name: 'Dues' }, { name: 'MovedAt' }],
      },
      faults: [{ name: 'BerthTaken' }, { name: 'NoSuchThing' }],
      wire: { DeskLine11: { action: 'urn:brackmouth:desk:moveVessel' }, DeskLine12: {} },
    })
    expect(desk.notes).toEqual([])
  })

  test('chains of types longer than a stack is deep', async () => {
    const folder = await freshFolder()
    const chain = Array.from(
      { length: 5000 },
      (_, at) =>
        `<xs:complexType name="T${at}"><xs:sequence><xs:element name="next" type="c:T${at + 1}" minOccurs="0"/></xs:sequence></xs:complexType>`,
    )
    const schema = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:c="urn:chain" targetNamespace="urn:chain">${chain.join('')}<xs:complexType name="T5000"/><xs:element name="walk" type="c:T0"/></xs:schema>`
    await writeFile(
      join(folder, 'chain.wsdl'),
      `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:c="urn:chain" targetNamespace="urn:chain"><types>${schema}</types><message name="M"><part name="p" element="c:walk"/></message><portType name="P"><operation name="walk"><input message="c:M"/></operation></portType><binding name="B" type="c:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="walk"><soap:operation soapAction=""/><input><soap:body use="literal"/></input></operation></binding><service name="S"><port name="B" binding="c:B"><soap:address location="http://h/"/></port></service></definitions>`,
    )
    const { contract: chained } = await readSource(folder, 'chain')
    expect(Object.keys(chained.types)).toHaveLength(5001)
  })

  test('the contract is plain JSON, and reading twice gives the same', async () => {
    const again: Contract = (await readFixture('tests/fixtures/everything/everything.wsdl'))
      .contract
    expect(JSON.parse(JSON.stringify(contract))).toEqual(contract)
    expect(JSON.stringify(again)).toBe(JSON.stringify(contract))
    expect(documents.all().map((document) => document.label)).toEqual([
      'everything.wsdl',
      'messages.wsdl',
      'plain.xsd',
      'chameleon.xsd',
    ])
  })
})

describe('patterns of XML Schema in ECMAScript', () => {
  test.each([
    ['[A-Z]{2}\\d+', ['AB1', 'AB\u0663'], ['ab1', 'AB']],
    ['a.c', ['abc', 'a c'], ['a\nc', 'xabc']],
    ['\\i\\c*', ['_x-1.y', 'é:b'], ['1x', '']],
    ['a|b', ['a', 'b'], ['ab', 'xa']],
    ['^a$', ['^a$'], ['a']],
    ['[\\w-]+', ['a-b'], ['a b']],
    ['[-+]?x', ['-x', '+x', 'x'], ['*x']],
    ['\\p{Lu}\\P{Lu}', ['Ab'], ['AB', 'ab']],
    ['(ab){2,3}', ['abab'], ['ab']],
    ['[^\\s,]+', ['ab'], ['a b', 'a,b']],
  ])('%s', (pattern, matching, others) => {
    const expression = new RegExp(`^(?:${translatePattern(pattern) ?? '(?!)'})$`, 'u')
    for (const text of matching) expect([text, expression.test(text)]).toEqual([text, true])
    for (const text of others) expect([text, expression.test(text)]).toEqual([text, false])
  })

  test.each(['[a-z-[aeiou]]', '\\p{IsBasicLatin}', '[a', 'a{x}', '\\q'])(
    "%s can't be said, and is left out with a note",
    (pattern) => {
      expect(translatePattern(pattern)).toBeUndefined()
    },
  )
})
