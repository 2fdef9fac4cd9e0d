import { writeFile } from 'node:fs/promises'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { freshFolder, repository, tolmach } from '../support/program.js'

interface Prepared {
  readonly status: number
  readonly type: string
  readonly body: string
  /** It announces more than it brings, and breaks off. */
  readonly breaksOff?: true
}

const json = 'application/json'
const fault12 = `<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:q="urn:quay"><s:Body><s:Fault>
  <s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>q:Full</s:Value><s:Subcode><s:Value>q:NoBerth</s:Value></s:Subcode></s:Subcode></s:Code>
  <s:Reason><s:Text xml:lang="en">No berth is free</s:Text><s:Text xml:lang="nb">Ingen plass</s:Text></s:Reason>
  <s:Node>urn:desk:2</s:Node><s:Role>urn:desk:gate</s:Role>
  <s:Detail><first xmlns="urn:x">1</first><second xmlns="urn:x"/></s:Detail></s:Fault></s:Body></s:Envelope>`
const fault11 = `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><s:Fault>
  <faultcode>s:Client.Quota</faultcode><faultstring xml:lang="en">Used up</faultstring><faultactor>urn:gate</faultactor>
  <detail>so it is</detail></s:Fault></s:Body></s:Envelope>`

/** What a service answers, by the first step of its address. */
const prepared: Readonly<Record<string, Prepared>> = {
  fault12: { status: 500, type: 'application/soap+xml', body: fault12 },
  fault11: { status: 403, type: 'text/xml', body: fault11 },
  page: { status: 403, type: 'text/html', body: '<html><title>No entry</title></html>' },
  reason: { status: 403, type: json, body: '{"message":"The quota is used up"}' },
  declared: { status: 401, type: 'application/problem+json', body: '{"title":"Who are you?"}' },
  odata: {
    status: 403,
    type: json,
    body: '{"error":{"code":"Quota","message":"Used up","target":"Vessels","details":[{"code":"A","message":"b"}],"innererror":{"trace":"x7"}}}',
  },
  xml: {
    status: 400,
    type: 'application/xml',
    body: '<m:error xmlns:m="urn:m"><m:code>X1</m:code><m:message xml:lang="en">Bad &amp; worse</m:message></m:error>',
  },
  mistyped: { status: 200, type: json, body: '{"value":[{"Colour":"red","Name":5}]}' },
  list: { status: 200, type: json, body: '{"no":"list","of":12345678901234567890}' },
  envelope: {
    status: 200,
    type: 'application/soap+xml',
    body: '<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body><other xmlns="urn:x"><a>1</a></other></s:Body></s:Envelope>',
  },
  broken: { status: 200, type: json, body: '[{"code":', breaksOff: true },
}

const worlds = {
  berths: ['berths/desk.wsdl', 'listBerths'],
  ferries: ['ferries/openapi.yaml', 'bookings.list'],
  registry: ['registry/registry.xml', 'Vessels.list'],
  cargo: ['cargo/cargo.xml', 'Crates.list'],
} as const
type World = keyof typeof worlds

describe('what a service refuses with, and what it answers amiss', () => {
  let folder: string
  let address: string
  const server = createServer((request, response) => {
    const { status, type, body, breaksOff } = prepared[request.url?.split('/')[1] ?? ''] as Prepared
    request.resume()
    response.writeHead(status, {
      'content-type': type,
      ...(breaksOff === true ? { 'content-length': '1000' } : {}),
    })
    if (breaksOff !== true) return void response.end(body)
    response.write(body)
    setTimeout(() => response.destroy(), 20)
  })

  beforeAll(async () => {
    folder = await freshFolder()
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  })
  afterAll(() => void server.close())

  const call = async (world: World, answer: keyof typeof prepared, ...more: string[]) => {
    const [document, operation] = worlds[world]
    const path = join(repository, 'demo', document)
    const words = ['call', path, operation, '--url', `${address}/${answer}`, ...more]
    return tolmach(folder, words)
  }
  const failure = async (world: World, answer: keyof typeof prepared) => {
    const { code, stdout } = await call(world, answer, '--json')
    const { failure: told } = JSON.parse(stdout) as { failure: Record<string, unknown> }
    return { exit: code, ...told } as Record<string, unknown>
  }

  test('a SOAP 1.2 fault is kept whole: every subcode with its namespace, every language, role, node, and all of the detail', async () => {
    const { soap, faultCode } = await failure('berths', 'fault12')
    expect(faultCode).toBe('NoBerth')
    expect(soap).toMatchObject({
      codes: [
        { namespace: 'http://www.w3.org/2003/05/soap-envelope', name: 'Sender' },
        { namespace: 'urn:quay', name: 'Full' },
        { namespace: 'urn:quay', name: 'NoBerth' },
      ],
      reasons: [
        { language: 'en', text: 'No berth is free' },
        { language: 'nb', text: 'Ingen plass' },
      ],
      node: 'urn:desk:2',
      role: 'urn:desk:gate',
      details: [
        { element: { namespace: 'urn:x', name: 'first' } },
        { element: { namespace: 'urn:x', name: 'second' } },
      ],
    })
    const { stderr } = await call('berths', 'fault12')
    for (const told of ['Sender > Full > NoBerth', 'Ingen plass', 'urn:desk:gate', 'second'])
      expect(stderr).toContain(told)
  })

  test('a SOAP 1.1 fault with a status 403 is a fault, with its actor and the text of its detail', async () => {
    expect(await failure('berths', 'fault11')).toMatchObject({
      code: 'TM-4001',
      kind: 'fault',
      faultCode: 'Client.Quota',
      detail: 'so it is',
      soap: { role: 'urn:gate', reasons: [{ language: 'en', text: 'Used up' }] },
    })
  })

  test.each([
    ['berths', 'reason', 'TM-4004', { answer: { text: '{"message":"The quota is used up"}' } }],
    ['ferries', 'reason', 'TM-4004', { answer: { text: '{"message":"The quota is used up"}' } }],
    ['registry', 'page', 'TM-4004', { answer: { text: '<html><title>No entry</title></html>' } }],
    ['registry', 'odata', 'TM-4001', { faultCode: 'Quota' }],
    [
      'registry',
      'odata',
      'TM-4001',
      { detail: { target: 'Vessels', innererror: { trace: 'x7' } } },
    ],
    ['cargo', 'xml', 'TM-4001', { faultCode: 'X1' }],
  ] as const)(
    '%s, refused with %s: %s, and its body is kept',
    async (world, answer, code, kept) => {
      const { message, ...told } = await failure(world, answer)
      expect(told).toMatchObject({ code, ...kept })
      expect(message).toMatch(
        { reason: /^"The quota is used up"/, page: /403/, odata: /Used up/, xml: /Bad & worse/ }[
          answer
        ],
      )
    },
  )

  test('a 401 that the metadata declares is the typed fault, with the advice about logins', async () => {
    const answers = {
      '200': { description: 'well' },
      '401': {
        description: 'who calls?',
        content: {
          'application/problem+json': {
            schema: { type: 'object', properties: { title: { type: 'string' } } },
          },
        },
      },
    }
    const document = join(folder, 'guarded.json')
    await writeFile(
      document,
      JSON.stringify({
        openapi: '3.1.0',
        info: { title: 'Guarded', version: '1' },
        servers: [{ url: `${address}/declared` }],
        paths: { '/ships': { get: { operationId: 'list', responses: answers } } },
      }),
    )
    const { stdout, code } = await tolmach(folder, ['call', document, 'list', '--json'])
    expect(code).toBe(1)
    expect(JSON.parse(stdout)).toMatchObject({
      failure: {
        code: 'TM-4001',
        message: 'The service refused the call: Who are you?',
        fault: '401',
        detail: { title: 'Who are you?' },
        side: 'caller',
      },
    })
  })

  test('the reason for a 403 comes first, and the advice about logins after it', async () => {
    const { stderr, code } = await call('ferries', 'reason')
    expect(code).toBe(4)
    expect(stderr.indexOf('The quota is used up')).toBeLessThan(stderr.indexOf('credential'))
  })

  test('a breach names every misfit that was found, and shows how the answer begins', async () => {
    expect(await failure('registry', 'mistyped')).toMatchObject({
      code: 'TM-4005',
      misfits: [
        { path: '[0].Colour', message: 'is not in the contract' },
        { path: '[0].Name', message: 'promised was text, but there came 5' },
      ],
      answer: { status: 200, headers: { 'content-type': json }, isWhole: true },
    })
    const { stderr } = await call('registry', 'mistyped')
    expect(stderr).toContain('[0].Colour is not in the contract')
    expect(stderr).toContain('It came: {"value":[{"Colour":"red","Name":5}]}')
  })

  test.each([
    ['registry', 'mistyped', [{ Colour: 'red', Name: 5 }]],
    ['registry', 'list', [{ no: 'list', of: '12345678901234567890' }]],
    ['ferries', 'list', { no: 'list', of: '12345678901234567890' }],
    [
      'berths',
      'envelope',
      { name: '{urn:x}other', content: [{ name: '{urn:x}a', content: ['1'] }] },
    ],
  ] as const)(
    '%s: %s as it came, unchecked, and the call says so',
    async (world, answer, value) => {
      const { code, stdout } = await call(world, answer, '--unchecked-answer', '--json')
      const told = JSON.parse(stdout) as { value: unknown; deviations: { message: string }[] }
      expect(told.value).toEqual(value)
      expect(told.deviations[0]?.message).toContain('was not checked')
      expect(code).toBe(0)
    },
  )

  test.each([
    ['berths', 'quoteDues', 'Nights', '>many</'],
    ['ferries', 'bookings.create', 'body.passengers', '"passengers": "many"'],
    ['registry', 'Vessels.create', 'body.Draught', '"Draught": "many"'],
  ] as const)(
    '%s: an input that the contract forbids is sent unchecked, and the call says so',
    async (world, operation, place, sent) => {
      const path = join(repository, 'demo', worlds[world][0])
      const words = ['call', path, operation, '--with', `${place}=many`, '--preview']
      const more = ['--url', address]
      expect((await tolmach(folder, [...words, ...more])).code).toBe(2)
      const { stdout, stderr } = await tolmach(folder, [...words, ...more, '--unchecked-input'])
      expect(stdout).toContain(sent)
      expect(stderr).toContain('not checked')
    },
  )

  test('of an answer that breaks off, the status and what came are kept', async () => {
    expect(await failure('ferries', 'broken')).toMatchObject({
      kind: 'unreachable',
      message: expect.stringMatching(/began \(HTTP 200\), and broke off after 9 bytes/),
      answer: { status: 200, text: '[{"code":', isWhole: false },
    })
  })
})
