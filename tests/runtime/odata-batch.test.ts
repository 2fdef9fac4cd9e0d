import { spawnSync } from 'node:child_process'
import { access } from 'node:fs/promises'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { readBatch } from '../../src/dialects/odata/play/batch.js'
import type { Connection } from '../../src/runtime/connection.js'
import {
  ContractBreach,
  InputRejected,
  ServiceFault,
  TransportFailure,
  type Deviation,
} from '../../src/runtime/failures.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import { aggregate } from '../../src/runtime/odata/aggregation.js'
import { openBatch, type Batch, type BatchOptions } from '../../src/runtime/odata/batch.js'
import { changes } from '../../src/runtime/odata/changes.js'
import * as edm2 from '../../src/runtime/odata/edm2.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import type { EntityOperation } from '../../src/runtime/odata/input-checks.js'
import { invoke } from '../../src/runtime/odata/invocations.js'
import { link, unlink, type LinkOperation } from '../../src/runtime/odata/links.js'
import { clear, createMedia, download, upload } from '../../src/runtime/odata/media.js'
import type { AnyStructure } from '../../src/runtime/odata/model.js'
import { create, get, list, remove, update } from '../../src/runtime/odata/odata.js'
import type { Protocol } from '../../src/runtime/odata/protocol.js'
import { v2, v3 } from '../../src/runtime/odata/v2.js'
import { v4, v401 } from '../../src/runtime/odata/v4.js'

/**
 * Requests and answers written by hand from Protocol 4.01, section 11.7, JSON Format 4.01, sections
 * 15 and 19, and OData 2, Batch Processing.
 */

const owner: AnyStructure = {
  type: 'Ns.Owner',
  keys: ['Id'],
  members: { Id: { is: edm4.int32 }, Name: { is: edm4.string } },
}
const ship: AnyStructure = {
  type: 'Ns.Ship',
  keys: ['Id'],
  members: {
    Id: { is: edm4.int32, computed: true },
    Name: { is: edm4.string },
    Owner: { is: () => owner, navigation: true, nullable: true, binds: 'Owners' },
  },
}
const operation = (of: AnyStructure, path: string, protocol: Protocol = v4): EntityOperation => ({
  name: path,
  path,
  of,
  protocol,
  parse: exactJson,
})

interface Seen {
  readonly method: string
  readonly url: string
  readonly headers: Readonly<Record<string, string>>
  readonly body: string
}

/** A service that gives one answer after the other, made from the request. */
function service(...answers: ((request: Seen) => Response)[]): {
  connection: Connection
  seen: Seen[]
  deviations: Deviation[]
} {
  const seen: Seen[] = []
  const deviations: Deviation[] = []
  const fetching: typeof fetch = (url, init) => {
    const body = init?.body as string | Uint8Array | undefined
    const request = {
      method: init?.method ?? '',
      url: String(url as string),
      headers: init?.headers as Record<string, string>,
      body: body instanceof Uint8Array ? new TextDecoder().decode(body) : (body ?? ''),
    }
    seen.push(request)
    return Promise.resolve(
      answers[seen.length - 1]?.(request) ?? new Response(null, { status: 204 }),
    )
  }
  return {
    connection: {
      settings: {
        url: 'https://gate.example/ships/',
        fetch: fetching,
        onDeviation: (each) => deviations.push(each),
      },
      endpoints: {},
      closed: new AbortController(),
    },
    seen,
    deviations,
  }
}

const answer =
  (body: string, contentType = 'application/json', status = 200) =>
  (): Response =>
    new Response(body, { status, headers: { 'content-type': contentType } })
const batchOn = (connection: Connection, protocol: Protocol = v4): Batch<Connection> =>
  openBatch(connection, { name: 'batch', protocol, parse: exactJson }, (later) => later)
const crlf = (text: string): string => text.replaceAll('\n', '\r\n')
const settled = async (outcomes: readonly Promise<unknown>[]): Promise<unknown[]> =>
  (await Promise.allSettled(outcomes)).map((each) =>
    each.status === 'fulfilled'
      ? each.value
      : `${(each.reason as Error).name} ${String((each.reason as { status?: number }).status)}`,
  )

describe('batches in parts', () => {
  test('what is sent: queries by themselves, changes in one change set, with ids to refer to', async () => {
    const { connection, seen } = service(answer('', 'text/plain', 500))
    const batch = batchOn(connection)
    batch.add((later) => get(later, operation(ship, 'Ships'), { key: 7 }))
    const made = batch.add((later) =>
      create(later, operation(owner, 'Owners'), { body: { Name: "O'Å" } }),
    )
    batch.add((later) =>
      create(later, operation(ship, 'Ships'), {
        body: { Name: 'a', Owner: { $bind: made.reference } },
      }),
    )
    batch.add((later) => remove(later, operation(ship, 'Ships'), { key: 8, ifMatch: 'W/"1"' }))
    await expect(batch.send({ together: true, goOn: true })).rejects.toThrow(ServiceFault)
    expect(seen[0]).toMatchObject({
      method: 'POST',
      url: 'https://gate.example/ships/$batch',
      headers: { accept: 'multipart/mixed', prefer: 'odata.continue-on-error' },
    })
    const [, outer = ''] = /boundary=(\S+)/.exec(seen[0]?.headers['content-type'] ?? '') ?? []
    const [, inner = ''] = /boundary=(changes\S+)/.exec(seen[0]?.body ?? '') ?? []
    const json = 'application/json;odata.metadata=minimal;IEEE754Compatible=true'
    const part = (id: number, line: string, headers: string, body: string): string =>
      `Content-Type: application/http\nContent-Transfer-Encoding: binary\nContent-ID: ${id}\n\n${line} HTTP/1.1\naccept: ${json}\nodata-maxversion: 4.0\n${headers}\n${body}\n`
    const writing = `content-type: ${json}\nodata-version: 4.0\n`
    expect(seen[0]?.body).toBe(
      crlf(
        `--${outer}\n${part(1, 'GET Ships(7)', '', '')}--${outer}\nContent-Type: multipart/mixed; boundary=${inner}\n\n--${inner}\n${part(2, 'POST Owners', writing, '{"Name":"O\'Å"}')}--${inner}\n${part(3, 'POST Ships', writing, '{"Name":"a","Owner@odata.bind":"$2"}')}--${inner}\n${part(4, 'DELETE Ships(8)', 'if-match: W/"1"\n', '')}--${inner}--\n--${outer}--\n`,
      ),
    )
  })

  test("what comes back: with or without ids, lines ended either way, a preamble, another order of headers; one call fails, the others don't", async () => {
    const text = `A preamble.\n--b_1\nContent-Transfer-Encoding: binary\ncontent-type: application/http\n\nHTTP/1.1 200 OK\nContent-Type: application/json\nContent-Length: 21\n\n{"Id":7,"Name":"--b"}\n--b_1\nContent-Type: multipart/mixed; boundary="c 2"\n\n--c 2\nContent-Type: application/http\nContent-ID: 2\n\nHTTP/1.1 201 Created\nContent-Type: application/json\nLocation: https://inside.example/ships/Owners(1)\n\n{"Id":1,"Name":"Å"}\n--c 2--\n--b_1 \nContent-Type: application/http\n\nHTTP/1.1 404 Not Found\nContent-Type: application/json\n\n{"error":{"code":"gone","message":"No such ship"}}\n--b_1--\nAn epilogue.`
    for (const body of [text, crlf(text)]) {
      const { connection } = service(answer(body, 'multipart/mixed;boundary=b_1'))
      const batch = batchOn(connection)
      const calls = [
        batch.add((later) => get(later, operation(ship, 'Ships'), { key: 7 })),
        batch.add((later) => create(later, operation(owner, 'Owners'), { body: { Name: 'Å' } })),
        batch.add((later) => get(later, operation(ship, 'Ships'), { key: 9 })),
      ]
      await batch.send()
      expect(await settled(calls.map(({ outcome }) => outcome))).toEqual([
        { Id: 7, Name: '--b' },
        { Id: 1, Name: 'Å' },
        'ServiceFault 404',
      ])
    }
  })

  test('a change set that failed has one answer for all; after a failure the service may stop', async () => {
    const failed =
      '--b\r\nContent-Type: application/http\r\n\r\nHTTP/1.1 400 Bad\r\nContent-Type: application/json\r\n\r\n{"error":{"code":"x","message":"No"}}\r\n--b--'
    const { connection } = service(answer(failed, 'multipart/mixed; boundary=b'))
    const batch = batchOn(connection, v2)
    const old: AnyStructure = { type: 'Ns.Old', keys: ['Id'], members: { Id: { is: edm2.int32 } } }
    const calls = [1, 2].map((key) =>
      batch.add((later) => remove(later, operation(old, 'Olds', v2), { key })),
    )
    const query = batch.add((later) => get(later, operation(old, 'Olds', v2), { key: 3 }))
    await batch.send({ together: true })
    expect(await settled([...calls, query].map(({ outcome }) => outcome))).toEqual([
      'ServiceFault 400',
      'ServiceFault 400',
      'ServiceFault 424',
    ])
  })

  test('inputs are refused one by one before anything is sent; what is no answer to a batch fails all calls', async () => {
    const { connection, seen } = service(answer('<html><title>Login</title></html>', 'text/html'))
    const batch = batchOn(connection)
    const wrong = batch.add((later) => get(later, operation(ship, 'Ships'), { key: 'x' }))
    expect(() => wrong.reference).toThrow('the call sends nothing')
    const right = batch.add((later) => get(later, operation(ship, 'Ships'), { key: 1 }))
    await expect(wrong.outcome).rejects.toThrow(InputRejected)
    expect(seen).toEqual([])
    await expect(batch.send()).rejects.toThrow(ContractBreach)
    await expect(right.outcome).rejects.toThrow('an HTML page titled "Login"')
    await expect(batch.send()).rejects.toThrow('sent already')
    const linked = batchOn(connection)
    void linked.add((later) => remove(later, operation(ship, 'Ships'), { key: 1 })).reference
    await expect(linked.send()).rejects.toThrow('sent together')
  })
})

describe('entities that the same batch makes', () => {
  const fill = async (batch: Batch<Connection>, options: BatchOptions): Promise<unknown[]> => {
    const made = batch.add((later) =>
      create(later, operation(owner, 'Owners'), { body: { Name: 'A' } }),
    )
    const all = [
      made.outcome,
      batch.add((later) =>
        update(later, operation(owner, 'Owners'), { key: made.key, body: { Name: 'B' } }),
      ).outcome,
      batch.add((later) => remove(later, operation(owner, 'Owners'), { key: made.key })).outcome,
      batch.add((later) =>
        invoke(
          later,
          {
            name: 'greet',
            call: 'Ns.greet',
            method: 'POST',
            passing: 'body',
            protocol: v401,
            on: { path: 'Owners', of: owner },
          },
          { key: made.key },
        ),
      ).outcome,
      batch.add((later) =>
        create(later, operation(ship, 'Ships'), {
          body: { Name: 'S', Owner: { $bind: made.reference } },
        }),
      ).outcome,
    ]
    await batch.send(options).catch(() => undefined)
    return settled(all)
  }

  test('are changed, deleted and called by what stands for them', async () => {
    const { connection, seen } = service(answer('', 'text/plain', 500))
    await fill(batchOn(connection), { together: true })
    expect(seen[0]?.body.match(/^(?:POST|PATCH|DELETE) .*$/gm)?.map((line) => line.trim())).toEqual(
      [
        'POST Owners HTTP/1.1',
        'PATCH $1 HTTP/1.1',
        'DELETE $1 HTTP/1.1',
        'POST $1/Ns.greet HTTP/1.1',
        'POST Ships HTTP/1.1',
      ],
    )
  })

  test('in JSON, what refers to another call says so, together or not', async () => {
    for (const together of [true, false]) {
      const { connection, seen } = service(answer('', 'text/plain', 500))
      await fill(batchOn(connection, v401), { asJson: true, together })
      const { requests } = JSON.parse(seen[0]?.body ?? '') as {
        requests: { url: string; dependsOn?: string[] }[]
      }
      expect(requests.map(({ url, dependsOn }) => [url, dependsOn])).toEqual([
        ['Owners', undefined],
        ['$1', ['1']],
        ['$1', ['1']],
        ['$1/Ns.greet', ['1']],
        ['Ships', ['1']],
      ])
    }
  })

  test('when one of several changes that were to happen together failed, none is done, whatever the service says of the others', async () => {
    const one = (id: string, status: number): object => ({
      id,
      status,
      headers: { 'content-type': 'application/json' },
      ...(status < 400
        ? { body: { Id: 1, Name: 'A' } }
        : { body: { error: { code: 'X', message: 'no' } } }),
    })
    const responses = [one('1', 201), one('2', 204), one('3', 409), one('4', 204), one('5', 201)]
    const { connection } = service(answer(JSON.stringify({ responses })))
    expect(await fill(batchOn(connection, v401), { asJson: true, together: true })).toEqual([
      'ServiceFault 424',
      'ServiceFault 424',
      'ServiceFault 409',
      'ServiceFault 424',
      'ServiceFault 424',
    ])
  })
})

test('batches in JSON: ids, groups, bodies that are JSON, text and bytes; answers in any order', async () => {
  const { connection, seen } = service(
    answer(
      '{"responses":[{"id":"3","status":200,"headers":{"Content-Type":"image/png"},"body":"-_8="},{"id":"1","status":200,"body":{"Id":1,"Name":"a"}},{"id":"2","status":204}]}',
    ),
  )
  const batch = batchOn(connection, v401)
  const calls = [
    batch.add((later) => get<unknown>(later, operation(ship, 'Ships', v401), { key: 1 })),
    batch.add((later): Promise<unknown> =>
      remove(later, operation(ship, 'Ships', v401), { key: 2 }),
    ),
    batch.add((later) =>
      download<unknown>(later, { ...operation(ship, 'Ships', v401), media: true }, { key: 3 }),
    ),
  ]
  await batch.send({ asJson: true, together: true })
  expect(await settled(calls.map(({ outcome }) => outcome))).toEqual([
    { Id: 1, Name: 'a' },
    undefined,
    new Uint8Array([251, 255]),
  ])
  expect(JSON.parse(seen[0]?.body ?? '')).toMatchObject({
    requests: [
      { id: '1', method: 'GET', url: 'Ships(1)' },
      { id: '2', method: 'DELETE', url: 'Ships(2)', atomicityGroup: 'changes' },
      { id: '3', method: 'GET', url: 'Ships(3)/$value' },
    ],
  })
})

describe('any batch', () => {
  const texts = fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 30 }),
    fc.constantFrom('--batch', '\r\n--c--\r\n', 'HTTP/1.1 200 OK\r\n\r\n', '', 'Å😀'),
  )
  const plans = fc.array(fc.record({ changes: fc.boolean(), name: texts }), {
    minLength: 1,
    maxLength: 6,
  })
  /** The body of a batch with these calls, and its type. */
  const written = async (
    plan: readonly { changes: boolean; name: string }[],
    together: boolean,
    json: boolean,
  ): Promise<Seen> => {
    const { connection, seen } = service(answer('', 'text/plain', 500))
    const batch = batchOn(connection, v401)
    for (const { changes: isChange, name } of plan)
      batch.add((later): Promise<unknown> =>
        isChange
          ? create(later, operation(owner, 'Owners', v401), { body: { Name: name } })
          : get(later, operation(ship, 'Ships', v401), { key: 7 }),
      )
    await batch.send({ together, asJson: json }).catch(() => undefined)
    return seen[0] as Seen
  }

  test('is read by the stand-in as the calls that it was made of, in parts and in JSON', async () => {
    await fc.assert(
      fc.asyncProperty(plans, fc.boolean(), fc.boolean(), async (plan, together, json) => {
        const { headers, body } = await written(plan, together, json)
        const read = readBatch({
          method: 'POST',
          target: '/it/$batch',
          headers,
          body: new TextEncoder().encode(body),
        })
        if (!('units' in read)) throw new Error('not read')
        const names = (calls: typeof plan): string[] =>
          calls.map(({ changes: isChange, name }) => (isChange ? name : 'GET'))
        const found = read.units.map((unit) =>
          unit.map(({ request }) =>
            request.method === 'POST'
              ? (JSON.parse(new TextDecoder().decode(request.body)) as { Name: string }).Name
              : request.method,
          ),
        )
        const changing = plan.filter((each) => each.changes)
        expect(found.flat().sort()).toEqual(names(plan).sort())
        if (together && changing.length > 0) expect(found).toContainEqual(names(changing))
      }),
      { numRuns: 150 },
    )
  })

  test("in parts is a MIME message by the judgement of Python's mail package", async () => {
    if (
      !(await access('/usr/bin/python3').then(
        () => true,
        () => false,
      ))
    ) {
      if (process.env['TOLMACH_WANTS_PYTHON'] !== undefined) throw new Error('Python is missing')
      return
    }
    const plan = [
      { changes: false, name: '' },
      { changes: true, name: 'a\r\n--x' },
      { changes: true, name: 'Å😀' },
    ]
    const { headers, body } = await written(plan, true, false)
    const script =
      'import email, email.policy, json, sys\nmessage = email.message_from_bytes(sys.stdin.buffer.read(), policy=email.policy.HTTP)\ndef shape(part):\n  return [shape(each) for each in part.iter_parts()] if part.is_multipart() else [part.get_content_type(), part["content-id"], part.get_payload(decode=True).decode().split("\\r\\n")[0], part.get_payload(decode=True).decode().split("\\r\\n\\r\\n", 1)[1]]\nprint(json.dumps([shape(message), [str(each) for each in message.defects]]))'
    const { stdout } = spawnSync('/usr/bin/python3', ['-c', script], {
      input: `MIME-Version: 1.0\r\nContent-Type: ${headers['content-type'] ?? ''}\r\n\r\n${body}`,
      encoding: 'utf8',
    })
    expect(JSON.parse(stdout)).toEqual([
      [
        ['application/http', '1', 'GET Ships(7) HTTP/1.1', ''],
        [
          ['application/http', '2', 'POST Owners HTTP/1.1', '{"Name":"a\\r\\n--x"}'],
          ['application/http', '3', 'POST Owners HTTP/1.1', '{"Name":"Å😀"}'],
        ],
      ],
      [],
    ])
  })
})

describe('changes (Protocol, section 11.3)', () => {
  const gauges = operation(ship, 'Ships')
  test.each([
    [
      '4.0',
      '{"@odata.context":"x/$metadata#Ships/$delta","value":[{"Id":1,"Name":"new"},{"@odata.context":"x/$metadata#Ships/$deletedEntity","id":"Ships(2)","reason":"deleted"},{"@odata.context":"x/$metadata#Ships/$link","source":"Ships(1)","relationship":"Owner","target":"Owners(1)"}],"@odata.deltaLink":"Ships?$deltatoken=9"}',
    ],
    [
      '4.01',
      '{"@context":"x/$metadata#Ships/$delta","value":[{"Id":1,"Name":"new"},{"@removed":{"reason":"deleted"},"@id":"Ships(2)"}],"@deltaLink":"https://inside.example/ships/Ships?$deltatoken=9"}',
    ],
  ])('as version %s writes them', async (_, body) => {
    const { connection, seen } = service(
      answer(
        '{"value":[{"Id":1,"Name":"a"}],"@odata.deltaLink":"https://inside.example/ships/Ships?$deltatoken=8"}',
      ),
      answer(body),
    )
    const { changes: since = '' } = await list(connection, gauges, {
      trackChanges: true,
      pageSize: 50,
    } as object).page()
    expect(seen[0]?.headers['prefer']).toBe('odata.track-changes,odata.maxpagesize=50')
    const page = await changes<{ Name: string }>(connection, gauges, { since }).page()
    expect(page.rows).toEqual([
      { Id: 1, Name: 'new' },
      { $removed: 'Ships(2)', reason: 'deleted' },
    ])
    expect(page.changes).toMatch(/\$deltatoken=9$/)
    // The links name an inner host; they are followed on ours.
    expect(seen[1]?.url).toBe('https://gate.example/ships/Ships?$deltatoken=8')
  })
})

test('sums over several pages: the links of the service are followed on our host, and nobody else is told who calls', async () => {
  const { connection, seen } = service(
    answer(
      '{"value":[{"Name":"a","N":1}],"@odata.nextLink":"https://inside.example/ships/Ships?$skiptoken=1"}',
    ),
    answer('{"value":[{"Name":"b","N":"2"}]}'),
  )
  expect(
    await aggregate(connection, operation(ship, 'Ships'), {
      groupBy: ['Name'],
      measures: { N: 'count' },
    }),
  ).toEqual([
    { Name: 'a', N: 1 },
    { Name: 'b', N: 2 },
  ])
  expect(seen.map(({ url }) => url)).toEqual([
    'https://gate.example/ships/Ships?$apply=groupby((Name),aggregate($count%20as%20N))',
    'https://gate.example/ships/Ships?$skiptoken=1',
  ])
})

test('streams: bytes down and up, whole and as they come; none is null (Protocol, sections 11.2.4 and 11.4.7)', async () => {
  const photos = { ...operation(ship, 'Photos'), media: true, streams: ['Thumbnail'] }
  const { connection, seen } = service(
    answer('abc', 'image/png'),
    () => new Response(null, { status: 204 }),
    answer('stream', 'image/png'),
    () => new Response(null, { status: 204 }),
    answer('{"Id":5,"Name":"x"}', 'application/json', 201),
    answer('{"error":{"code":"1","message":"no photo"}}', 'application/json', 404),
  )
  expect(await download(connection, photos, { key: 1 })).toEqual(new TextEncoder().encode('abc'))
  expect(await download(connection, photos, { key: 1, stream: 'Thumbnail' })).toBeNull()
  expect(
    await new Response(
      await download<ReadableStream>(connection, photos, { key: 1 }, { asStream: true }),
    ).text(),
  ).toBe('stream')
  await upload(connection, photos, {
    key: 1,
    content: new Uint8Array([1]),
    contentType: 'image/png',
    ifMatch: '*',
  })
  expect(
    await createMedia(connection, photos, { content: new Uint8Array([1]), slug: 'quay Å 100 %' }),
  ).toEqual({ Id: 5, Name: 'x' })
  await expect(download(connection, photos, { key: 9 })).rejects.toThrow('no photo')
  await clear(connection, photos, { key: 1, stream: 'Thumbnail', ifMatch: '*' })
  expect(
    seen.map(({ method, url, headers }) => [
      method,
      url.replace('https://gate.example/ships/', ''),
      headers['content-type'] ?? '',
      headers['slug'] ?? headers['if-match'] ?? '',
    ]),
  ).toEqual([
    ['GET', 'Photos(1)/$value', '', ''],
    ['GET', 'Photos(1)/Thumbnail', '', ''],
    ['GET', 'Photos(1)/$value', '', ''],
    ['PUT', 'Photos(1)/$value', 'image/png', '*'],
    ['POST', 'Photos', 'application/octet-stream', 'quay %C3%85 100 %25'],
    ['GET', 'Photos(9)/$value', '', ''],
    ['DELETE', 'Photos(1)/Thumbnail', '', '*'],
  ])
})

test('links: added to many, set to one, taken away, in both generations (Protocol, section 11.4.6; OData 2, Operations, 2.9)', async () => {
  const ships = (protocol: Protocol): LinkOperation => ({
    ...operation(ship, 'Ships', protocol),
    targets: {
      Owner: { set: 'Owners', of: owner },
      Crew: { set: 'Owners', of: owner, many: true },
    },
  })
  const { connection, seen } = service()
  for (const protocol of [v4, v2]) {
    await link(connection, ships(protocol), { key: 1, Owner: 2 })
    await link(connection, ships(protocol), { key: 1, Crew: 3 })
    await unlink(connection, ships(protocol), { key: 1, Owner: true })
    await unlink(connection, ships(protocol), { key: 1, Crew: 3 })
  }
  expect(
    seen.map(({ method, url, body }) =>
      `${method} ${url.replace('https://gate.example/ships/', '')} ${body}`.trim(),
    ),
  ).toEqual([
    'PUT Ships(1)/Owner/$ref {"@odata.id":"https://gate.example/ships/Owners(2)"}',
    'POST Ships(1)/Crew/$ref {"@odata.id":"https://gate.example/ships/Owners(3)"}',
    'DELETE Ships(1)/Owner/$ref',
    'DELETE Ships(1)/Crew/$ref?$id=https://gate.example/ships/Owners(3)',
    'PUT Ships(1)/$links/Owner {"uri":"https://gate.example/ships/Owners(2)"}',
    'POST Ships(1)/$links/Crew {"uri":"https://gate.example/ships/Owners(3)"}',
    'DELETE Ships(1)/$links/Owner',
    'DELETE Ships(1)/$links/Crew(3)',
  ])
})

test('the light JSON of version 3, which some services answer whatever they are asked for', async () => {
  const old: AnyStructure = {
    type: 'Ns.Old',
    keys: ['Id'],
    members: {
      Id: { is: edm2.int32 },
      At: { is: edm2.dateTime },
      Next: { is: () => old, navigation: true },
    },
  }
  const { connection, deviations } = service(
    answer(
      '{"odata.metadata":"x/$metadata#Olds","odata.count":"7","value":[{"odata.type":"Ns.Old","odata.etag":"W/\\"1\\"","Id":1,"At":"2026-11-23T08:00:00","Next@odata.navigationLinkUrl":"Olds(1)/Next"}],"odata.nextLink":"Olds?$skiptoken=1"}',
    ),
    answer(
      '{"odata.error":{"code":"x","message":{"lang":"en","value":"No"}}}',
      'application/json',
      400,
    ),
  )
  expect(await list(connection, operation(old, 'Olds', v3)).page()).toEqual({
    rows: [{ Id: 1, At: '2026-11-23T08:00:00', $etag: 'W/"1"' }],
    total: 7,
    next: 'https://gate.example/ships/Olds?$skiptoken=1',
  })
  await expect(get(connection, operation(old, 'Olds', v3), { key: 1 })).rejects.toThrow('No')
  expect(deviations).toEqual([])
})

test('a query too long for an address travels in a body in version 4.01, and only there', async () => {
  const filter = `Name eq '${'x'.repeat(2100)}'`
  const { connection, seen } = service(answer('{"value":[]}'), answer('{"value":[]}'))
  await list(connection, operation(ship, 'Ships', v401), { filter }).all()
  await list(connection, operation(ship, 'Ships'), { filter }).all()
  expect(seen[0]).toMatchObject({
    method: 'POST',
    url: 'https://gate.example/ships/Ships/$query',
    headers: { 'content-type': 'text/plain' },
    body: `$filter=Name%20eq%20'${'x'.repeat(2100)}'`,
  })
  expect(seen[1]).toMatchObject({ method: 'GET' })
})

test('a gateway that wants a token and never gives one, or refuses the one it gave, wants a login', async () => {
  const required = (): Response =>
    new Response('', { status: 403, headers: { 'x-csrf-token': 'Required' } })
  const first = service(required, () => new Response('{}', { status: 200 }))
  await expect(remove(first.connection, operation(ship, 'Ships'), { key: 1 })).rejects.toThrow(
    TransportFailure,
  )
  const second = service(
    required,
    () => new Response('{}', { status: 200, headers: { 'x-csrf-token': 'abc' } }),
    required,
  )
  await expect(remove(second.connection, operation(ship, 'Ships'), { key: 1 })).rejects.toThrow(
    'refuses the one that it gave',
  )
  expect(
    second.seen.map(({ method, url, headers }) => [method, url, headers['x-csrf-token']]),
  ).toEqual([
    ['DELETE', 'https://gate.example/ships/Ships(1)', undefined],
    ['GET', 'https://gate.example/ships/', 'Fetch'],
    ['DELETE', 'https://gate.example/ships/Ships(1)', 'abc'],
  ])
})
