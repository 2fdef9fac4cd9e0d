import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { Contract, Origin } from '../../src/contract/contract.js'
import { fieldsFromPlain } from '../../src/contract/plain.js'
import { neededOf, operationsOf, pathOf } from '../../src/contract/queries.js'
import { soap } from '../../src/dialects/soap/index.js'
import { withReadableNames } from '../../src/dialects/soap/readable-names.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { methodName } from '../../src/naming/methods.js'
import { checkInput } from '../../src/runtime/soap/soap.js'
import { readAnswer } from '../support/soap-answers.js'
import { soap11, writeRequest } from '../../src/runtime/soap/envelope.js'
import { liveOperation, operationNamed, readFixture } from '../support/contracts.js'
import { freshFolder, repository } from '../support/program.js'
import { schemaCases } from './wsdl-shapes.cases.js'

interface Shape {
  readonly schema?: string
  readonly messages: string
  readonly portTypes: string
  readonly bindings: string
  readonly services: string
}

/** Reads a small WSDL made of these parts; the prefixes are t, xs, soap and soap12. */
async function read({
  schema = '',
  messages,
  portTypes,
  bindings,
  services,
}: Shape): Promise<Contract> {
  const folder = await freshFolder()
  const types =
    schema === ''
      ? ''
      : `<types><xs:schema targetNamespace="urn:t" elementFormDefault="qualified">${schema}</xs:schema></types>`
  await writeFile(
    join(folder, 'w.wsdl'),
    `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:soap12="http://schemas.xmlsoap.org/wsdl/soap12/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:t" targetNamespace="urn:t">${types}${messages}${portTypes}${bindings}${services}</definitions>`,
  )
  return (await readSource(folder, 'w')).contract
}

const bound = (name: string, type: string, operations: string, style = 'document'): string =>
  `<binding name="${name}" type="t:${type}"><soap:binding style="${style}" transport="http://schemas.xmlsoap.org/soap/http"/>${operations}</binding>`
const literal = (name: string, namespace = ''): string =>
  `<operation name="${name}"><soap:operation soapAction="urn:${name}"/><input><soap:body use="literal"${namespace}/></input><output><soap:body use="literal"${namespace}/></output></operation>`
const port = (name: string, binding = name): string =>
  `<port name="${name}" binding="t:${binding}"><soap:address location="http://h/${name}"/></port>`

/** A contract of one port with one document/literal operation on these global elements. */
const simple = (schema: string, partName = 'parameters'): Promise<Contract> =>
  read({
    schema,
    messages: `<message name="I"><part name="${partName}" element="t:ask"/></message><message name="O"><part name="${partName}" element="t:answer"/></message>`,
    portTypes:
      '<portType name="P"><operation name="ask"><input message="t:I"/><output message="t:O"/></operation></portType>',
    bindings: bound('B', 'P', literal('ask')),
    services: `<service name="S">${port('B')}</service>`,
  })
const wrapped = (inside: string, types = ''): string =>
  `${types}<xs:element name="ask"><xs:complexType><xs:sequence>${inside}</xs:sequence></xs:complexType></xs:element><xs:element name="answer"><xs:complexType><xs:sequence>${inside}</xs:sequence></xs:complexType></xs:element>`
const nowhere: Origin = 0
const notesOf = (contract: Contract): string[] =>
  contract.notes.map(({ code, effect }) => `${code} ${effect}`)
const bodyOf = (xml: string): string => /<soap:Body>([\s\S]*)<\/soap:Body>/.exec(xml)?.[1] ?? ''

describe('messages in their styles', () => {
  test('rpc/literal: parts without a namespace inside an element named after the operation', async () => {
    const contract = await read({
      messages:
        '<message name="I"><part name="left" type="xs:int"/><part name="right" type="xs:int"/></message><message name="O"><part name="sum" type="xs:int"/><part name="carry" type="xs:boolean"/></message>',
      portTypes:
        '<portType name="P"><operation name="add"><input message="t:I"/><output message="t:O"/></operation></portType>',
      bindings: bound('B', 'P', literal('add', ' namespace="urn:calc"'), 'rpc'),
      services: `<service name="S">${port('B')}</service>`,
    })
    const add = liveOperation(contract, 'add')
    expect(bodyOf(writeRequest(add, { left: 1, right: 2 }, soap11))).toBe(
      '<n1:add><left>1</left><right>2</right></n1:add>',
    )
    const answer = `<e:Envelope xmlns:e="${soap11}"><e:Body><c:addResponse xmlns:c="urn:calc"><sum>3</sum><carry>0</carry></c:addResponse></e:Body></e:Envelope>`
    expect(
      readAnswer(
        add,
        { status: 200, headers: {}, body: new TextEncoder().encode(answer) },
        (deviation) => expect(deviation).toBeUndefined(),
      ),
    ).toEqual({ sum: 3, carry: false })
    expect(
      soap.describe(
        contract,
        operationNamed(contract, 'add'),
        contract.services[0]?.endpoints[0] as never,
      ),
    ).toContainEqual(['style', 'rpc/literal'])
  })

  test('document/literal bare: the parts are the children of the body', async () => {
    const contract = await simple(
      '<xs:element name="ask" type="xs:string"/><xs:element name="answer" type="t:A"/><xs:complexType name="A"><xs:sequence><xs:element name="n" type="xs:int"/></xs:sequence></xs:complexType>',
      'word',
    )
    const ask = liveOperation(contract, 'ask')
    expect(operationNamed(contract, 'ask').inputs.map(({ name }) => name)).toEqual(['word'])
    expect(bodyOf(writeRequest(ask, { word: 'a<b' }, soap11))).toBe('<n1:ask>a&lt;b</n1:ask>')
    const answer = `<e:Envelope xmlns:e="${soap11}"><e:Body><answer xmlns="urn:t"><n>3</n></answer></e:Body></e:Envelope>`
    expect(
      readAnswer(
        ask,
        { status: 200, headers: {}, body: new TextEncoder().encode(answer) },
        (deviation) => expect(deviation).toBeUndefined(),
      ),
    ).toEqual({ n: 3 })
  })

  test('several ports of several types: operations are grouped only where their names clash; an overload that no binding offers is left out', async () => {
    const portType = (name: string, extra = ''): string =>
      `<portType name="${name}"><operation name="ping"><input message="t:I"/></operation>${extra}</portType>`
    const oneWay = (name: string): string =>
      `<operation name="${name}"><soap:operation soapAction=""/><input><soap:body use="literal"/></input></operation>`
    const contract = await read({
      schema: '<xs:element name="ping"><xs:complexType/></xs:element>',
      messages: '<message name="I"><part name="parameters" element="t:ping"/></message>',
      portTypes:
        portType('One') +
        portType('Two', '<operation name="ping"><input name="again" message="t:I"/></operation>') +
        '<portType name="Three"><operation name="pong"><input message="t:I"/></operation></portType>',
      bindings:
        bound('B1', 'One', oneWay('ping')) +
        bound('B2', 'Two', oneWay('ping')) +
        bound('B3', 'Three', oneWay('pong')),
      services: `<service name="First">${port('B1')}${port('B3')}</service><service name="Second">${port('B2')}</service>`,
    })
    expect(
      operationsOf(contract).map(
        (operation) => `${pathOf(operation)} at ${Object.keys(operation.wire).join()}`,
      ),
    ).toEqual(['One.ping at B1', 'pong at B3', 'Second.ping at B2'])
    expect(notesOf(contract)).toEqual(expect.arrayContaining(['TM-2111 ignored']))
  })

  test("only ports that can't be called: refused, with the reasons", async () => {
    const shape: Shape = {
      messages: '',
      portTypes: '<portType name="P"/>',
      bindings: '<binding name="B" type="t:P"/>',
      services: '<service name="S"><port name="B" binding="t:B"/></service>',
    }
    await expect(read(shape)).rejects.toMatchObject({
      code: 'TM-2103',
      message: expect.stringContaining('is neither one of SOAP nor of HTTP'),
    })
    await expect(
      read({
        ...shape,
        bindings: '<binding name="B" type="t:P"><soap:binding transport="urn:queue"/></binding>',
      }),
    ).rejects.toMatchObject({ message: expect.stringContaining('its transport is not HTTP') })
  })
})

test('overloads are told apart by their messages, and named after them; the order of the document does not matter', async () => {
  const operations = [
    '<operation name="find"><input name="byNumber" message="t:N"/><output message="t:O"/></operation>',
    '<operation name="find"><input name="byName" message="t:M"/><output message="t:O"/></operation>',
  ]
  const bindings = [
    '<operation name="find"><soap:operation soapAction="urn:n"/><input name="byNumber"><soap:body use="literal" namespace="urn:f"/></input><output><soap:body use="literal"/></output></operation>',
    '<operation name="find"><soap:operation soapAction="urn:m"/><input name="byName"><soap:body use="literal" namespace="urn:f"/></input><output><soap:body use="literal"/></output></operation>',
  ]
  for (const [types, bound2] of [
    [operations, bindings],
    [[...operations].reverse(), bindings],
    [
      operations.map((each) => each.replace(/ name="by\w+"/, '')),
      bindings.map((each) => each.replace(/ name="by\w+"/, '')),
    ],
  ] as const) {
    const contract = await read({
      messages:
        '<message name="N"><part name="number" type="xs:int"/></message><message name="M"><part name="name" type="xs:string"/></message><message name="O"><part name="found" type="xs:boolean"/></message>',
      portTypes: `<portType name="P">${types.join('')}</portType>`,
      bindings: bound('B', 'P', bound2.join(''), 'rpc'),
      services: `<service name="S">${port('B')}</service>`,
    })
    expect(notesOf(contract)).toEqual(['TM-2117 approximated'])
    const found = Object.fromEntries(
      operationsOf(contract).map((operation) => [
        pathOf(operation),
        `${operation.inputs.map(({ name }) => name).join()} ${(operation.wire['B'] as { action: string }).action}`,
      ]),
    )
    expect(found).toEqual(
      types[0]?.includes('byN') === true
        ? { find: 'name urn:m', byNumber: 'number urn:n' }
        : { find: 'name urn:m', N: 'number urn:n' },
    )
    expect(bodyOf(writeRequest(liveOperation(contract, 'find'), { name: 'x' }, soap11))).toBe(
      '<n1:find><name>x</name></n1:find>',
    )
    // A stand-in tells them apart by their actions.
    const player = soap.play(contract)
    for (const each of operationsOf(contract)) {
      const [name = ''] = each.inputs.map((input) => input.name)
      const body = new TextEncoder().encode(
        writeRequest(
          liveOperation(contract, pathOf(each)),
          name === 'name' ? { name: 'x' } : { number: 1 },
          soap11,
        ),
      )
      const understood = player.understand({
        method: 'POST',
        target: '/',
        headers: { soapaction: `"${(each.wire['B'] as { action: string }).action}"` },
        body,
      })
      expect('operation' in understood ? pathOf(understood.operation) : understood).toBe(
        pathOf(each),
      )
    }
  }
})

test.each(['minOccurs="two"', 'maxOccurs="-1"', 'maxOccurs="many"'])(
  '%s is refused, with its place',
  async (bounds) => {
    await expect(
      simple(wrapped(`<xs:element name="a" type="xs:int" ${bounds}/>`)),
    ).rejects.toMatchObject({ code: 'TM-2220', message: expect.stringContaining(bounds) })
  },
)

describe('names that servers work out', () => {
  test('become readable ones; wrappers of messages are no types, lists of lists have none in between', async () => {
    const { contract } = await readFixture('tests/fixtures/soap/generated-names.wsdl')
    expect(contract.title).toBe('generated-names')
    const needed = Object.values(neededOf(contract).types)
    expect(needed.map(({ name, kind }) => `${kind} ${name}`).sort()).toEqual([
      'list ArrayOfArrayOfShip',
      'list ArrayOfKeyValueOfStringInt',
      'list ArrayOfShip',
      'record KeyValueOfStringInt',
      'record Knots',
      'record PageOfShip',
      'record Ship',
    ])
  })

  test.each([
    ['PageOfShipSchedule', ['Ship'], 'PageOfShipSchedule'],
    ['PageOfShipq4z7XyzP', ['Ship'], 'PageOfShip'],
    ['PageOfShipq4z7Xy_P_S', ['Ship'], 'PageOfShip'],
    ['KeyValueOfstringArrayOfShipq4z7XyzP', ['Ship', 'ArrayOfShip'], 'KeyValueOfStringArrayOfShip'],
    ['OfficeOfRecords', ['Records'], 'OfficeOfRecords'],
    ['PageOfPlaneq4z7XyzP', ['Ship'], 'PageOfPlaneq4z7XyzP'],
    ['Net_x0020_Weight', [], 'NetWeight'],
    ['ArrayOfKeyValueOfstringint', [], 'ArrayOfKeyValueOfStringInt'],
    ['Of'.repeat(90), [], 'Of'.repeat(90)],
    ['aOf'.repeat(60), ['b'], 'aOf'.repeat(60)],
  ])('%s beside %j is %s', (name, others, readable) => {
    const types = Object.fromEntries(
      [name, ...others].map((each) => [
        each,
        { kind: 'record' as const, id: each, name: each, fields: [], origin: nowhere },
      ]),
    )
    expect(withReadableNames(types)[name]?.name).toBe(readable)
  })

  test('two that would be one keep their own', () => {
    const names = ['PageOfShipq4z7XyzP', 'PageOfShipq4z7XyzQ', 'Ship']
    const types = Object.fromEntries(
      names.map((each) => [
        each,
        { kind: 'record' as const, id: each, name: each, fields: [], origin: nowhere },
      ]),
    )
    expect(Object.values(withReadableNames(types)).map(({ name }) => name)).toEqual(names)
  })

  test('overloads do not move other operations of their service into groups', async () => {
    const operation = (name: string, message: string): string =>
      `<operation name="${name}"><input message="t:${message}"/></operation>`
    const bare = (name: string): string =>
      `<operation name="${name}"><input><soap:body use="literal"/></input></operation>`
    const contract = await read({
      messages:
        '<message name="M"/><message name="N"><part name="number" type="xs:int"/></message>',
      portTypes: `<portType name="P">${operation('find', 'M')}${operation('find', 'N')}${operation('keep', 'M')}</portType><portType name="Q">${operation('drop', 'M')}</portType>`,
      bindings:
        bound('B', 'P', bare('find') + bare('find') + bare('keep'), 'rpc') +
        bound('C', 'Q', bare('drop'), 'rpc'),
      services: `<service name="S">${port('B')}${port('C')}</service>`,
    })
    expect(operationsOf(contract).map(pathOf)).toEqual(['find', 'N', 'keep', 'drop'])
  })
})

test('operations whose names are one in the client are numbered, whatever their length, and in whatever order they stand', async () => {
  const long = `Berth${'s'.repeat(90)}`
  const names = ['getDock', 'GetDock', `${long}A`, `${long}B`]
  for (const order of [names, [...names].reverse()]) {
    const contract = await read({
      messages: '<message name="M"/>',
      portTypes: `<portType name="P">${order.map((name) => `<operation name="${name}"><input message="t:M"/><output message="t:M"/></operation>`).join('')}</portType>`,
      bindings: bound('B', 'P', order.map((name) => literal(name)).join(''), 'rpc'),
      services: `<service name="S">${port('B')}</service>`,
    })
    const paths = operationsOf(contract).map(pathOf).sort()
    expect(paths).toEqual(['GetDock', `${long}A`, `b${long.slice(1, 70)}2`, 'getDock2'].sort())
    expect(new Set(operationsOf(contract).map(methodName)).size).toBe(4)
    expect(notesOf(contract)).toEqual(['TM-2120 approximated', 'TM-2120 approximated'])
  }
})

describe('traps of real services', () => {
  const answerTo = async (contract: Contract, name: string, xml: string): Promise<unknown> =>
    readAnswer(
      liveOperation(contract, name),
      { status: 200, headers: {}, body: new TextEncoder().encode(xml) },
      (deviation) => expect(deviation).toBeUndefined(),
    )

  test('a wrapper named otherwise than the operation, an answer without the suffix Response, a byte-order mark before the envelope', async () => {
    const contract = await read({
      schema:
        '<xs:element name="Question"><xs:complexType><xs:sequence><xs:element name="Word" type="xs:string"/></xs:sequence></xs:complexType></xs:element><xs:element name="Reply"><xs:complexType><xs:sequence><xs:element name="At" type="xs:dateTime" maxOccurs="unbounded"/></xs:sequence></xs:complexType></xs:element>',
      messages:
        '<message name="I"><part name="parameters" element="t:Question"/></message><message name="O"><part name="parameters" element="t:Reply"/></message>',
      portTypes:
        '<portType name="P"><operation name="ask"><input message="t:I"/><output message="t:O"/></operation></portType>',
      bindings: bound('B', 'P', literal('ask')),
      services: `<service name="S">${port('B')}</service>`,
    })
    expect(operationNamed(contract, 'ask').inputs.map(({ name }) => name)).toEqual(['Word'])
    expect(bodyOf(writeRequest(liveOperation(contract, 'ask'), { Word: 'x' }, soap11))).toBe(
      '<n1:Question><n1:Word>x</n1:Word></n1:Question>',
    )
    const times = [
      '2026-11-23T14:30:00',
      '0001-01-01T00:00:00',
      '2026-11-23T24:00:00+14:00',
      '-0044-03-15T12:00:00Z',
    ]
    const xml = `\ufeff<?xml version="1.0"?><e:Envelope xmlns:e="${soap11}"><e:Body><Reply xmlns="urn:t">${times.map((each) => `<At>${each}</At>`).join('')}</Reply></e:Body></e:Envelope>`
    expect(await answerTo(contract, 'ask', xml)).toEqual(times)
  })

  test('a port of SOAP 1.2 that only its inner elements tell, inputs and outputs of one name', async () => {
    const contract = await read({
      schema: wrapped(
        '<xs:element name="Count" type="xs:int"/><xs:element name="Name" type="xs:string" minOccurs="0"/>',
      ),
      messages:
        '<message name="I"><part name="parameters" element="t:ask"/></message><message name="O"><part name="parameters" element="t:answer"/></message>',
      portTypes:
        '<portType name="P"><operation name="ask"><input message="t:I"/><output message="t:O"/></operation></portType>',
      bindings: bound('SoapBinding', 'P', literal('ask'))
        .replaceAll('soap:', 'soap12:')
        .replaceAll(
          'http://schemas.xmlsoap.org/wsdl/soap12:/',
          'http://schemas.xmlsoap.org/wsdl/soap/',
        ),
      services:
        '<service name="S"><port name="Line" binding="t:SoapBinding"><soap12:address location="http://h/x"/></port></service>',
    })
    expect(contract.services[0]?.endpoints).toMatchObject([{ name: 'Line', protocol: 'SOAP 1.2' }])
    expect(operationNamed(contract, 'ask')).toMatchObject({
      inputs: [{ name: 'Count' }, { name: 'Name' }],
      outcome: { kind: 'record', fields: [{ name: 'Count' }, { name: 'Name' }] },
    })
  })
})

describe('policies, as far as telling which credential is wanted', () => {
  const policy = (assertions: string): Promise<Contract> =>
    read({
      messages: '<message name="M"/>',
      portTypes:
        '<portType name="P"><operation name="ping"><input message="t:M"/></operation></portType>',
      bindings: bound(
        'B',
        'P',
        '<operation name="ping"><input><soap:body use="literal"/></input></operation>',
      ),
      services: `<p:Policy xmlns:p="http://www.w3.org/ns/ws-policy" xmlns:sp="http://docs.oasis-open.org/ws-sx/ws-securitypolicy/200702" xmlns:a="http://www.w3.org/2007/05/addressing/metadata"><p:ExactlyOne><p:All>${assertions}</p:All></p:ExactlyOne></p:Policy><service name="S">${port('B')}</service>`,
    })
  test.each([
    [
      'a user name token over https',
      '<sp:TransportBinding><p:Policy><sp:TransportToken><p:Policy><sp:HttpsToken/></p:Policy></sp:TransportToken></p:Policy></sp:TransportBinding><sp:SignedSupportingTokens><p:Policy><sp:UsernameToken/></p:Policy></sp:SignedSupportingTokens>',
      ['TM-2115 approximated'],
      ['usernameToken'],
    ],
    [
      'with a digest',
      '<sp:SupportingTokens><p:Policy><sp:UsernameToken><p:Policy><sp:HashPassword/></p:Policy></sp:UsernameToken></p:Policy></sp:SupportingTokens>',
      ['TM-2115 approximated'],
      ['usernameToken'],
    ],
    ['basic login', '<sp:HttpBasicAuthentication/>', ['TM-2115 approximated'], ['basic']],
    [
      'signatures',
      '<sp:AsymmetricBinding/><sp:SignedParts/>',
      ['TM-2116 refused', 'TM-2116 refused'],
      [],
    ],
    // Addressing is obeyed, where a binding refers to the policy.
    ['addressing', '<a:Addressing/>', [], []],
    ['something else', '<sp:IncludeTimestamp/>', ['TM-2113 ignored'], []],
  ])('%s', async (_what, assertions, notes, schemes) => {
    const contract = await policy(assertions)
    expect(notesOf(contract)).toEqual(notes)
    expect(contract.security.map(({ scheme }) => scheme)).toEqual(schemes)
  })
})

describe('what XML Schema says, and what becomes of it', () => {
  test.each(schemaCases)('%s', async (_what, inside, types, notes, fields) => {
    const contract = await simple(wrapped(inside, types))
    expect([...new Set(notesOf(contract))]).toEqual(notes)
    expect(
      operationNamed(contract, 'ask').inputs.map(
        ({ name, optional }) => `${name}${optional ? '?' : ''}`,
      ),
    ).toEqual(fields)
    // Whatever was read, its samples satisfy it and can be written.
    const ask = liveOperation(contract, 'ask')
    const operation = operationNamed(contract, 'ask')
    for (const full of [false, true]) {
      const input = fieldsFromPlain(
        contract,
        operation.inputs,
        sampleInput(contract, operation, { full }),
      )
      expect(checkInput(ask, input)).toEqual([])
      expect(writeRequest(ask, input, soap11)).toContain('<n1:ask')
    }
  })

  test.each([
    [
      'extends itself',
      '<xs:complexType name="A"><xs:complexContent><xs:extension base="t:B"/></xs:complexContent></xs:complexType><xs:complexType name="B"><xs:complexContent><xs:extension base="t:A"/></xs:complexContent></xs:complexType>',
      'TM-2216',
    ],
    [
      'restricts itself',
      '<xs:simpleType name="A"><xs:restriction base="t:A"/></xs:simpleType>',
      'TM-2216',
    ],
    [
      'contains its own group',
      '<xs:group name="G"><xs:sequence><xs:group ref="t:G"/></xs:sequence></xs:group><xs:complexType name="A"><xs:group ref="t:G"/></xs:complexType>',
      'TM-2216',
    ],
    [
      'names an unknown type',
      '<xs:complexType name="A"><xs:sequence><xs:element name="x" type="t:Gone"/></xs:sequence></xs:complexType>',
      'TM-2201',
    ],
    [
      'names an unknown built-in type',
      '<xs:complexType name="A"><xs:sequence><xs:element name="x" type="xs:strin"/></xs:sequence></xs:complexType>',
      'TM-2201',
    ],
    ['has no name', '<xs:complexType/>', 'TM-2201'],
  ])(
    'a schema that %s is refused with its place where it is needed, else a note',
    async (_what, types, code) => {
      await expect(
        simple(wrapped('<xs:element name="a" type="t:A"/>', types)),
      ).rejects.toMatchObject({ code, kind: 'metadata', place: { document: 'w.wsdl', line: 1 } })
      const { notes } = await simple(wrapped('<xs:element name="a" type="xs:int"/>', types))
      expect(notes).toMatchObject([{ code: 'TM-2020', effect: 'refused' }])
    },
  )
})

test('names that lack their prefix mean the only one that is called so, with a note', async () => {
  const file = join(repository, 'tests/fixtures/names-without-prefix.wsdl')
  const { contract } = await readSource(file, 'quay')
  expect(Object.keys(neededOf(contract).types).sort()).toEqual(['{urn:quay}Boat', '{urn:quay}Tug'])
  expect(new Set(contract.notes.map(({ code }) => code))).toEqual(new Set(['TM-2122']))
  // Where two are called so, nobody knows which is meant.
  const folder = await freshFolder()
  const twice = (await readFile(file, 'utf8')).replace(
    '</types>',
    '<schema xmlns="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:other"><element name="Moor" type="string"/></schema></types>',
  )
  await writeFile(join(folder, 'twice.wsdl'), twice)
  await expect(readSource(join(folder, 'twice.wsdl'), 'quay')).rejects.toMatchObject({
    code: 'TM-2201',
  })
})
