import { placeOf } from '../../src/documents/places.js'
import { execFile } from 'node:child_process'
import { access, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import type { RecordType, Type } from '../../src/contract/contract.js'
import { fieldsOf, operationsOf, pathOf, resolve } from '../../src/contract/queries.js'
import { soap } from '../../src/dialects/soap/index.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { readParts, writeParts } from '../../src/runtime/soap/attachments.js'
import { Outgoing } from '../../src/runtime/soap/parts.js'
import { ServiceFault } from '../../src/runtime/failures.js'
import { checkInput } from '../../src/runtime/soap/soap.js'
import { readAnswer } from '../support/soap-answers.js'
import { soap11, soap12, writeRequest } from '../../src/runtime/soap/envelope.js'
import { complaints } from '../support/compilers.js'
import { liveOperation, operationNamed, readFixture } from '../support/contracts.js'
import { judgeFor } from '../support/judge.js'
import { freshFolder, repository, startServer, tolmach, type Ran } from '../support/program.js'

const folder = join(repository, 'tests/fixtures/soap-messages')
const names = [
  'headers',
  'attachments',
  'addressed',
  'data-sets',
  'get-by-path',
  'newer',
  'differing-endpoints',
  'encoded',
]
const fixture = (name: string): ReturnType<typeof readFixture> =>
  readFixture(`tests/fixtures/soap-messages/${name}.wsdl`)
const envelope = (body: string, header = '', version = soap11): string =>
  `<e:Envelope xmlns:e="${version}">${header === '' ? '' : `<e:Header>${header}</e:Header>`}<e:Body>${body}</e:Body></e:Envelope>`
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text)

/** Reads an answer written by hand. */
async function answered(
  name: string,
  operation: string,
  xml: string | Uint8Array,
  contentType = 'text/xml',
  status = 200,
): Promise<{ value: unknown; deviations: string[] }> {
  const deviations: string[] = []
  const { contract } = await fixture(name)
  const value = readAnswer(
    liveOperation(contract, operation),
    {
      status,
      headers: { 'content-type': contentType },
      body: typeof xml === 'string' ? bytes(xml) : xml,
    },
    ({ path, message }) => deviations.push(`${path} ${message}`),
  )
  return { value, deviations }
}

describe('messages that are more than a body', () => {
  let project: string
  beforeAll(async () => {
    project = await freshFolder()
    for (const name of names)
      expect(
        (await tolmach(project, ['import', join(folder, `${name}.wsdl`), '--as', name, '--quiet']))
          .code,
      ).toBe(0)
    expect((await tolmach(project, ['generate', '--quiet'])).code).toBe(0)
  })

  test('the clients compile, and say what is what', async () => {
    await writeFile(
      join(project, 'src/use.ts'),
      `import { Attachments } from './clients/attachments/index.js'
import { HeadersClient as Desk } from './clients/headers/index.js'
import { Tables } from './clients/data-sets/index.js'
export async function use(): Promise<unknown[]> {
  const { Number: number, receipt } = await new Attachments().file({ Vessel: 'x', photo: new Uint8Array(), papers: { content: new Uint8Array(), type: 'text/plain' } })
  const { Answer: answer, headers } = await new Desk().ask({ Word: 'x', headers: { Session: 's' } })
  const rows = (await new Tables().listMoorings({ Most: 1 }))?.['Moorings'] ?? []
  return [number + 1n, receipt.length, answer.length, headers?.Quota?.Left, rows.map((row) => row['Code'])]
}
`,
    )
    expect(await complaints(project, { skipLibCheck: true })).toBe('')
  })

  describe('headers', () => {
    const quota =
      '<h:Quota xmlns:h="urn:brackmouth:headers" e:mustUnderstand="0"><h:Left>3</h:Left></h:Quota>'
    const answer = '<askResponse xmlns="urn:brackmouth:headers"><Answer>yes</Answer></askResponse>'
    test('of an answer stand under headers, beside the outputs', async () => {
      expect(
        await answered(
          'headers',
          'ask',
          envelope(answer, `${quota}<x:Trace xmlns:x="urn:x">1</x:Trace>`),
        ),
      ).toEqual({ value: { Answer: 'yes', headers: { Quota: { Left: 3 } } }, deviations: [] })
      expect(await answered('headers', 'ask', envelope(answer))).toEqual({
        value: { Answer: 'yes' },
        deviations: [],
      })
    })

    test('that must be understood and are unknown are told', async () => {
      expect(
        (
          await answered(
            'headers',
            'ask',
            envelope(answer, '<x:Sealed xmlns:x="urn:x" e:mustUnderstand="1"/>'),
          )
        ).deviations,
      ).toEqual([expect.stringContaining('Sealed is a header that must be understood')])
    })

    test('a fault about a header has its detail there; several declared faults are told apart', async () => {
      const fault = (detail: string): string =>
        `<e:Fault><faultcode>e:Client</faultcode><faultstring>no</faultstring>${detail}</e:Fault>`
      const caught = async (xml: string): Promise<unknown> =>
        answered('headers', 'ask', xml, 'text/xml', 500).catch((error: unknown) =>
          error instanceof ServiceFault ? [error.fault, error.detail] : error,
        )
      expect(
        await caught(
          envelope(
            fault(''),
            '<BadSession xmlns="urn:brackmouth:headers"><Since>2026-11-23</Since></BadSession>',
          ),
        ),
      ).toEqual(['BadSession', { Since: '2026-11-23' }])
      expect(
        await caught(
          envelope(
            fault(
              '<detail><Busy xmlns="urn:brackmouth:headers"><Seconds>5</Seconds></Busy></detail>',
            ),
          ),
        ),
      ).toEqual(['Busy', { Seconds: 5 }])
      expect(
        await caught(
          envelope(
            fault(
              '<detail><b:Closed xmlns:b="urn:brackmouth:headers">till morning</b:Closed></detail>',
            ),
          ),
        ),
      ).toEqual(['Closed', 'till morning'])
    })

    test('of a request: both, body and header, are valid by libxml2', async () => {
      const { contract } = await fixture('headers')
      const judge = await judgeFor(join(folder, 'headers.wsdl'))
      expect(
        await judge([
          writeRequest(
            liveOperation(contract, 'ask'),
            { Word: 'x', headers: { Session: 's' } },
            soap11,
          ),
        ]),
      ).toEqual([[]])
    })
  })

  describe('against a server that keeps what it gets', () => {
    let seen: { headers: Record<string, unknown>; body: Buffer }
    let reply: { status?: number; type?: string; body: string | Uint8Array }
    let server: Awaited<ReturnType<typeof startServer>>
    beforeAll(async () => {
      server = await startServer((request, response, _text, body) => {
        seen = { headers: { ...request.headers, method: request.method, url: request.url }, body }
        response.writeHead(reply.status ?? 200, { 'content-type': reply.type ?? 'text/xml' })
        response.end(reply.body)
      })
    })
    afterAll(() => server.stop())
    const call = async (
      contract: string,
      operation: string,
      input: object,
      ...more: string[]
    ): Promise<Record<string, unknown>> => {
      await writeFile(join(project, 'input.json'), JSON.stringify(input))
      return JSON.parse(
        (
          await tolmach(project, [
            'call',
            contract,
            operation,
            '--url',
            server.url,
            '--input',
            'input.json',
            '--json',
            ...more,
          ])
        ).stdout,
      ) as Record<string, unknown>
    }

    test("SOAP with attachments: Python's mail package reads the same parts that were meant", async () => {
      const boundary = 'b=_1'
      const part = (id: string, type: string, content: string, more = ''): string =>
        `--${boundary}\r\nContent-Type: ${type}\r\nContent-ID: <${id}>\r\n${more}\r\n${content}\r\n`
      reply = {
        type: `Multipart/Related; boundary="${boundary}"; type="text/xml"; start="<root@x>"`,
        // The root is not the first part, and the receipt is told by nothing but its place.
        body: `preamble\r\n${part('other@x', 'application/pdf', 'cGRm', 'content-transfer-encoding: base64\r\n')}${part('root@x', 'text/xml; charset=iso-8859-1', envelope('<fileResponse xmlns="urn:brackmouth:attachments"><Number>7</Number></fileResponse>'))}--${boundary}--\r\n`,
      }
      const photo = Buffer.from([0, 255, 13, 10, 45, 45, 10])
      const told = await call('attachments', 'file', {
        Vessel: 'Åse',
        Plan: btoa('plan'),
        photo: photo.toString('base64'),
        papers: { content: btoa('papers'), type: 'text/plain' },
      })
      expect(told).toMatchObject({
        ok: true,
        value: { Number: '7', receipt: btoa('pdf') },
        deviations: [],
      })
      const parts = await pythonParts(String(seen.headers['content-type']), seen.body)
      if (parts === undefined) return
      expect(parts.map(({ type }) => type)).toEqual([
        'text/xml',
        'application/octet-stream',
        'image/png',
        'text/plain',
      ])
      const [root, plan, image, papers] = parts.map(({ content }) => Buffer.from(content, 'base64'))
      expect(root?.toString()).toContain('<n1:Vessel>Åse</n1:Vessel>')
      expect(root?.toString()).toContain(
        `<n1:Plan>cid:${(parts[1]?.id ?? '').replace(/[<>]/g, '')}</n1:Plan>`,
      )
      expect([plan?.toString(), image?.equals(photo), papers?.toString()]).toEqual([
        'plan',
        true,
        'papers',
      ])
      expect(parts[2]?.id).toMatch(/^<photo=[\w-]+@/)
    })

    test('inputs that travel beside the message are checked like others', async () => {
      expect(
        (
          await call('attachments', 'file', {
            Vessel: 'x',
            photo: 5,
            papers: { content: '', type: 'nonsense' },
          })
        )['failure'],
      ).toMatchObject({
        details: ['photo: expected bytes', 'papers.type: expected a media type like "image/png"'],
      })
      expect((await call('attachments', 'file', { Vessel: 'x' }))['failure']).toMatchObject({
        details: ['photo: is missing', 'papers.content: is missing'],
      })
    })

    test('MTOM: many bytes travel beside the message, few in it; an answer may do the same', async () => {
      const many = Buffer.alloc(2000, 7)
      const cid = 'a%b@x'
      reply = {
        type: 'multipart/related; type="application/xop+xml"; boundary=m; start-info="text/xml"',
        body: Buffer.concat([
          bytes(
            `--m\r\nContent-Type: application/xop+xml; type="text/xml"\r\n\r\n${envelope(`<keepResponse xmlns="urn:brackmouth:addressed"><Content><x:Include xmlns:x="http://www.w3.org/2004/08/xop/include" href="cid:${encodeURIComponent(cid)}"/></Content></keepResponse>`)}\r\n--m\r\nContent-ID: <${cid}>\r\n\r\n`,
          ),
          many,
          bytes('\r\n--m--'),
        ]),
      }
      const told = await call('addressed', 'keep', {
        Name: 'x',
        Content: many.toString('base64'),
        More: [btoa('few')],
      })
      expect(told).toMatchObject({ ok: true, value: many.toString('base64'), deviations: [] })
      const text = seen.body.toString('latin1')
      expect(seen.headers['content-type']).toMatch(
        /^multipart\/related; type="application\/xop\+xml"; start="<envelope@message>"; start-info="text\/xml"/,
      )
      expect(text).toMatch(
        /<n2:Content><n3:Include href="cid:part=[\w-]+@message"\/><\/n2:Content><n2:More>ZmV3<\/n2:More>/,
      )
      const parts = await pythonParts(String(seen.headers['content-type']), seen.body)
      if (parts !== undefined)
        expect(parts.map(({ type, content }) => [type, content.length])).toEqual([
          ['application/xop+xml', expect.any(Number)],
          ['application/octet-stream', many.toString('base64').length],
        ])
    })

    test('where MTOM is wanted, a message without bytes travels in parts too; at the prompt and in the project one can say otherwise', async () => {
      const own = await freshFolder()
      const path = join(folder, 'addressed.wsdl')
      await tolmach(own, ['import', path, '--as', 'addressed', '--quiet'])
      const typeOf = async (...more: string[]): Promise<string> => {
        const words = ['call', 'addressed', 'keep', '--with', 'Name=x', '--with', 'Content=']
        const { stdout } = await tolmach(own, [...words, '--preview', '--json', ...more])
        const { request } = JSON.parse(stdout) as { request: { headers: Record<string, string> } }
        return request.headers['content-type'] ?? ''
      }
      const inParts = /^multipart\/related; type="application\/xop\+xml"/
      expect(await typeOf()).toMatch(inParts)
      expect(await typeOf('--no-mtom')).toBe('text/xml; charset=utf-8')
      const file = join(own, 'tolmach.yaml')
      const text = await readFile(file, 'utf8')
      await writeFile(file, text.replace(/^( +)from:/m, '$1mtom: false\n$1from:'))
      expect(await typeOf()).toBe('text/xml; charset=utf-8')
      expect(await typeOf('--mtom')).toMatch(inParts)
    })

    test('an answer whose bytes are not there is a breach', async () => {
      reply = {
        body: envelope(
          '<keepResponse xmlns="urn:brackmouth:addressed"><Content><x:Include xmlns:x="http://www.w3.org/2004/08/xop/include" href="cid:gone"/></Content></keepResponse>',
        ),
      }
      expect(await call('addressed', 'keep', { Name: 'x', Content: '' })).toMatchObject({
        ok: false,
        failure: {
          kind: 'breach',
          message: expect.stringContaining('no part with the address "cid:gone"'),
        },
      })
    })

    test('messages are addressed where the policy asks for it; one-way calls take any answer', async () => {
      reply = { status: 200, type: 'text/html', body: '<html><body>Thank you</body></html>' }
      expect(await call('addressed', 'ping', {})).toMatchObject({ ok: true, deviations: [] })
      const text = seen.body.toString()
      expect(text).toContain('<n1:Action>urn:brackmouth:addressed:Desk:pingRequest</n1:Action>')
      expect(text).toContain(`<n1:To>${server.url}</n1:To>`)
      expect(text).toMatch(
        /<n1:MessageID>urn:uuid:[\w-]{36}<\/n1:MessageID><n1:ReplyTo><n1:Address>http:\/\/www.w3.org\/2005\/08\/addressing\/anonymous<\/n1:Address><\/n1:ReplyTo>/,
      )
      reply = { status: 202, body: '' }
      expect(await call('newer', 'release', { release: 'x' })).toMatchObject({ ok: true })
      expect(seen.body.toString()).toContain('<n1:release>x</n1:release>')
    })

    test('plain HTTP: by query, by path, as a form; answers as an element and as a text', async () => {
      reply = { body: '<int xmlns="urn:brackmouth:tables/">4</int>' }
      expect(
        await call('data-sets', 'TablesHttpGet.Count', { Basin: ['a', 'b&c'], Unit: 'm' }),
      ).toMatchObject({ ok: true, value: 4, deviations: [] })
      expect([seen.headers['method'], seen.headers['url']]).toEqual([
        'GET',
        '/Count?Basin=a&Basin=b%26c&Unit=m',
      ])
      expect(
        await call('data-sets', 'TablesHttpPost.Count', { Basin: ['ä b'], Unit: 'm' }),
      ).toMatchObject({ ok: true, value: 4 })
      expect([seen.headers['content-type'], seen.body.toString()]).toEqual([
        'application/x-www-form-urlencoded',
        'Basin=%C3%A4+b&Unit=m',
      ])
      reply = { body: '<t:Tide xmlns:t="urn:brackmouth:path"><Height>1.20</Height></t:Tide>' }
      expect(await call('get-by-path', 'tide', { port: 'a/b', day: '2026-11-23' })).toMatchObject({
        ok: true,
        value: { Height: '1.20' },
      })
      expect(seen.headers['url']).toBe('/tides/a%2Fb/of2026-11-23')
      reply = { type: 'text/plain', body: 'calm' }
      expect(await call('get-by-path', 'report', { port: 'a', day: '2026-11-23' })).toMatchObject({
        ok: true,
        value: 'calm',
      })
      reply = { status: 500, type: 'text/html', body: '<html><title>Oops</title></html>' }
      expect(await call('get-by-path', 'tide', { port: 'a', day: '2026-11-23' })).toMatchObject({
        ok: false,
        failure: { kind: 'fault', status: 500 },
      })
      reply = { type: 'text/html', body: '<html><title>Oops</title></html>' }
      expect(await call('get-by-path', 'tide', { port: 'a', day: '2026-11-23' })).toMatchObject({
        ok: false,
        failure: { kind: 'breach' },
      })
      expect(
        (await call('get-by-path', 'tide', { port: 'a', day: 'today' }))['failure'],
      ).toMatchObject({ kind: 'input' })
    })
  })
})

describe('table data sets', () => {
  const schema = `<xs:schema id="Moorings" xmlns="" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:msdata="urn:schemas-microsoft-com:xml-msdata"><xs:element name="Set" msdata:IsDataSet="true"><xs:complexType><xs:choice minOccurs="0" maxOccurs="unbounded">
    <xs:element name="Moorings"><xs:complexType><xs:sequence><xs:element name="Code" type="xs:string" minOccurs="0"/><xs:element name="Most_x0020_Length" type="xs:int" minOccurs="0"/><xs:element name="Free" type="xs:boolean" minOccurs="0"/><xs:element name="Price" type="xs:decimal" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
    <xs:element name="Cranes"><xs:complexType><xs:sequence><xs:element name="Id" type="xs:long"/></xs:sequence></xs:complexType></xs:element></xs:choice></xs:complexType></xs:element></xs:schema>`
  const diffgram = `<d:diffgram xmlns:d="urn:schemas-microsoft-com:xml-diffgram-v1" xmlns:msdata="urn:schemas-microsoft-com:xml-msdata"><Set xmlns=""><Moorings d:id="Moorings1" msdata:rowOrder="0"><Code>M 1</Code><Most_x0020_Length>40</Most_x0020_Length><Free>true</Free></Moorings><Moorings d:id="Moorings2"><Code/><Price>12.50</Price></Moorings></Set><d:before><Moorings/></d:before></d:diffgram>`
  const rows = {
    Moorings: [
      { Code: 'M 1', 'Most Length': 40, Free: true, Price: null },
      { Code: '', 'Most Length': null, Free: null, Price: '12.50' },
    ],
    Cranes: [],
  }
  test('are delivered as rows by table, typed by the schema that came with them', async () => {
    const xml = envelope(
      `<ListMooringsResponse xmlns="urn:brackmouth:tables/"><ListMooringsResult>${schema}${diffgram}</ListMooringsResult></ListMooringsResponse>`,
    )
    expect(await answered('data-sets', 'ListMoorings', xml)).toEqual({
      value: rows,
      deviations: [],
    })
    expect(
      await answered(
        'data-sets',
        'ListMoorings',
        envelope('<ListMooringsResponse xmlns="urn:brackmouth:tables/"/>'),
      ),
    ).toEqual({ value: undefined, deviations: [] })
  })

  test('a stand-in plays them from seed data, and the prompt shows a table', async () => {
    const project = await freshFolder()
    await writeFile(
      join(project, 'seed.yaml'),
      'operations:\n  ListMoorings:\n    - value: { Moorings: [ { Code: M1, "Most Length": 40 }, { Code: M2 } ] }\n',
    )
    expect(
      (await tolmach(project, ['import', join(folder, 'data-sets.wsdl'), '--as', 'tables'])).code,
    ).toBe(0)
    const { contract } = await fixture('data-sets')
    const player = soap.play(contract)
    const request = writeRequest(liveOperation(contract, 'ListMoorings'), { Most: 1 }, soap11)
    const understood = player.understand({
      method: 'POST',
      target: '/',
      headers: { 'content-type': 'text/xml' },
      body: bytes(request),
    })
    if (!('operation' in understood)) throw new Error('not understood')
    const moorings = [{ Code: 'M1', 'Most Length': 40 }, { Code: 'M2' }]
    const { body } = understood.answer({ Moorings: moorings }, () => undefined)
    expect((await answered('data-sets', 'ListMoorings', String(body))).value).toEqual({
      Moorings: [
        { Code: 'M1', 'Most Length': 40 },
        { Code: 'M2', 'Most Length': null },
      ],
    })
  })
})

describe('endpoints that put one operation on the wire in different ways', () => {
  const path = join(folder, 'differing-endpoints.wsdl')
  test.each([
    ['OldLine', 'urn:old', soap11, 'urn:old:heightOf'],
    ['NewLine', 'urn:new', soap11, 'urn:new:heightOf'],
    ['MixedLine', 'urn:mixed', soap12, 'urn:mixed:heightOf'],
  ])('%s: messages in %s', async (endpoint, namespace, version, action) => {
    const { stdout } = await tolmach(await freshFolder(), [
      ...['call', path, 'heightOf', '--endpoint', endpoint, '--with', 'Basin=North', '--preview'],
    ])
    expect(stdout).toContain(`xmlns:soap="${version}"`)
    expect(stdout).toContain(`="${namespace}">`)
    expect(stdout).toContain(action)
  })

  test('a header that only other endpoints take is refused', async () => {
    const call = ['call', path, 'heightOf', '--with', 'Basin=North', '--with', 'headers.Pass=7']
    const at = (endpoint: string): Promise<Ran> =>
      freshFolder().then((cwd) => tolmach(cwd, [...call, '--preview', '--endpoint', endpoint]))
    expect((await at('NewLine')).stdout).toContain('Pass>***</')
    expect(await at('OldLine')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('headers.Pass') as unknown,
    })
  })

  test('a stand-in answers each of them in its own way; headers of any are inputs; one note tells of the mixed versions', async () => {
    const { contract } = await fixture('differing-endpoints')
    expect(contract.notes.map(({ code }) => code)).toEqual(['TM-2119'])
    expect(operationNamed(contract, 'heightOf').inputs.map(({ name }) => name)).toEqual([
      'Basin',
      'Desk',
      'Pass',
    ])
    for (const namespace of ['urn:old', 'urn:new', 'urn:mixed']) {
      const understood = soap.play(contract).understand({
        method: 'POST',
        target: '/',
        headers: {},
        body: bytes(envelope(`<n:heightOf xmlns:n="${namespace}"><Basin>x</Basin></n:heightOf>`)),
      })
      if (!('operation' in understood)) throw new Error(JSON.stringify(understood))
      const { body } = understood.answer({ Metres: '1.5', headers: {} }, () => undefined)
      expect(body).toContain(`"${namespace}"`)
    }
  })
})

test('what is understood, or says nothing of the contract, is no finding; the schema of xml:lang is not fetched', async () => {
  const { contract } = await fixture('understood')
  expect(contract.notes).toEqual([])
  expect(contract.services[0]?.endpoints[0]?.specifics).toMatchObject({ addressing: true })
  const [words] = operationNamed(contract, 'ask').inputs
  expect(
    fieldsOf(contract, resolve(contract, words?.type as Type) as RecordType).map(
      ({ name }) => name,
    ),
  ).toEqual(['$text', 'lang', 'space', 'id', 'base'])
})

test('samples of plain HTTP are in the shape of what the operation by SOAP knows', async () => {
  const { contract } = await fixture('data-sets')
  expect(
    sampleInput(contract, operationNamed(contract, 'TablesHttpGet.Count'), { full: false }),
  ).toMatchObject({
    Unit: '1',
  })
})

test('WSDL 2.0: interfaces, what they extend, faults, versions of SOAP; what can be any element is left out', async () => {
  const { contract, documents } = await fixture('newer')
  expect(
    soap
      .play(contract)
      .metadata(documents.all(), 'http://127.0.0.1:9/newer')[0]
      ?.text.match(/address="[^"]*"/g),
  ).toEqual([
    'address="http://127.0.0.1:9/newer"',
    'address="http://127.0.0.1:9/newer"',
    'address="http://127.0.0.1:1/web"',
  ])
  expect(contract).toMatchObject({
    title: 'TugDesk',
    documentation: 'Tugs of the port, described in WSDL 2.0.',
  })
  expect(
    operationsOf(contract).map(
      (operation) => `${pathOf(operation)} at ${Object.keys(operation.wire).join()}`,
    ),
  ).toEqual(['release at Line,Line11', 'orderTug at Line,Line11'])
  expect(operationNamed(contract, 'orderTug')).toMatchObject({
    documentation: 'Orders a tug for a vessel.',
    inputs: [{ name: 'Vessel' }, { name: 'At' }, { name: 'Key', place: 'messageHeader' }],
    faults: [{ name: 'NoTug' }],
  })
  expect(placeOf(documents.all(), operationNamed(contract, 'orderTug').origin)).toMatchObject({
    document: 'newer.wsdl',
    line: 17,
  })
  expect(contract.notes.map(({ code, message }) => `${code} ${message}`)).toEqual([
    expect.stringMatching(/^TM-2203 <infault>/),
    expect.stringMatching(/^TM-2111 .*"anything".*may be any element/),
    expect.stringMatching(/^TM-2110 .*"Web"/),
  ])
  const judge = await judgeFor(join(folder, 'newer.wsdl'))
  const orderTug = liveOperation(contract, 'orderTug')
  expect(
    await judge([
      writeRequest(
        orderTug,
        { Vessel: 'x', At: '2026-11-23T12:00:00Z', headers: { Key: 'k' } },
        soap12,
      ),
    ]),
  ).toEqual([[]])
  expect(
    (
      await answered(
        'newer',
        'orderTug',
        envelope(
          '<o:orderTugResponse xmlns:o="urn:brackmouth:newer"><o:Tug>Bjørn</o:Tug></o:orderTugResponse>',
          '',
          soap12,
        ),
      )
    ).value,
  ).toBe('Bjørn')
  expect(checkInput(orderTug, {})).toHaveLength(2)
})

test('a published address that is an internal host name is told; a result that is a document is shown with its lines', async () => {
  const project = await freshFolder()
  const wsdl = (await readFile(join(folder, 'newer.wsdl'), 'utf8')).replaceAll(
    'http://127.0.0.1:1/',
    'http://quayhost:8080/',
  )
  const xml = '<port><berth code="1"/><berth code="2">x</berth></port>'
  const server = await startServer((request, response) => {
    const isCall = request.method === 'POST'
    response.writeHead(200, { 'content-type': isCall ? 'application/soap+xml' : 'text/xml' })
    response.end(
      isCall
        ? envelope(
            `<orderTugResponse xmlns="urn:brackmouth:newer"><Tug><![CDATA[${xml}]]></Tug></orderTugResponse>`,
            '',
            soap12,
          )
        : wsdl,
    )
  })
  const { stdout, stderr } = await tolmach(project, [
    'import',
    `${server.url}/tugs?wsdl`,
    '--as',
    'tugs',
  ])
  expect(stdout + stderr).toMatch(
    /TM-2114[^]*http:\/\/quayhost:8080|quayhost:8080[^]*internal name/,
  )
  const shown = await tolmach(project, [
    'call',
    'tugs',
    'orderTug',
    '--url',
    server.url,
    '--with',
    'Vessel=x',
    '--with',
    'At=2026-11-23T12:00:00Z',
    '--format',
    'text',
  ])
  expect(shown.stdout).toBe('<port>\n  <berth code="1"/>\n  <berth code="2">x</berth>\n</port>\n')
  await server.stop()
})

test('parts are read back as they were written, whatever is in them', () => {
  const outgoing = new Outgoing()
  const content = new Uint8Array([13, 10, 13, 10, 45, 45, 0, 10])
  const address = outgoing.add(content, 'image/png', 'a b')
  const { contentType, body } = writeParts('<x/>', 'text/xml; charset=utf-8', outgoing)
  const { envelope: root, parts } = readParts({
    status: 200,
    headers: { 'content-type': contentType },
    body,
  })
  expect(new TextDecoder().decode(root.body)).toBe('<x/>')
  expect(parts.at(address)).toEqual({ id: address.slice(4), type: 'image/png', content })
  expect(parts.values({ 'a b': '' })).toEqual({ 'a b': { type: 'image/png', content } })
  const unix = bytes(
    '--u\nContent-Type: text/xml\n\n<y/>\n--u\nContent-ID: <q>\nContent-Transfer-Encoding: quoted-printable\n\na=3Db=\nc\n--u--\n',
  )
  const read = readParts({
    status: 200,
    headers: { 'content-type': 'multipart/related; boundary=u' },
    body: unix,
  })
  expect(read.text).toBe('<y/>')
  expect(read.parts.at('cid:q')).toMatchObject({ id: 'q', content: bytes('a=bc') })
})

/**
 * What Python's mail package makes of a body; undefined where there is no Python, unless it has to
 * be there.
 */
async function pythonParts(
  contentType: string,
  body: Uint8Array,
): Promise<{ id: string; type: string; content: string }[] | undefined> {
  const isThere = await access('/usr/bin/python3').then(
    () => true,
    () => false,
  )
  if (!isThere && process.env['TOLMACH_WANTS_PYTHON'] === undefined) return undefined
  const file = join(await freshFolder(), 'message')
  await writeFile(
    file,
    Buffer.concat([bytes(`MIME-Version: 1.0\r\nContent-Type: ${contentType}\r\n\r\n`), body]),
  )
  const script =
    'import email,email.policy,json,base64,sys\nm=email.message_from_bytes(open(sys.argv[1],"rb").read(),policy=email.policy.HTTP)\nprint(json.dumps([{"id":p["content-id"],"type":p.get_content_type(),"content":base64.b64encode(p.get_payload(decode=True)).decode()} for p in m.iter_parts()]))'
  const { stdout } = await promisify(execFile)('/usr/bin/python3', ['-c', script, file])
  return JSON.parse(stdout) as { id: string; type: string; content: string }[]
}
