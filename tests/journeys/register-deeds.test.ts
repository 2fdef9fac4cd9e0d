import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { complaints, runBundled } from '../support/compilers.js'
import { freshFolder, startServer, startStandIn, tolmach, tolmachJson } from '../support/program.js'

/**
 * What is done with entities beyond reading and changing them one by one: from the command line,
 * and in code that is compiled and run.
 */
describe('links, streams, logs inside vessels, batches, sums and changes', () => {
  let folder: string
  let registry: Awaited<ReturnType<typeof startStandIn>>
  let cargo: Awaited<ReturnType<typeof startStandIn>>
  const json = (...words: string[]): ReturnType<typeof tolmachJson> => tolmachJson(folder, words)
  const value = async (...words: string[]): Promise<unknown> =>
    (await json('call', 'registry', ...words))['value']
  const failure = async (...words: string[]): Promise<object> =>
    (
      JSON.parse((await tolmach(folder, ['call', ...words, '--json'])).stdout) as {
        failure: object
      }
    ).failure
  const pride = 'key=9007199254740993'

  beforeAll(async () => {
    folder = await freshFolder()
    ;[registry, cargo] = await Promise.all([
      startStandIn('registry/registry.xml'),
      startStandIn('cargo/cargo.xml'),
    ])
    await json('import', registry.service, '--as', 'registry')
    await json('import', cargo.service, '--as', 'cargo')
    expect((await tolmach(folder, ['generate'])).code).toBe(0)
  })
  afterAll(() => {
    registry.stop()
    cargo.stop()
  })

  test('a link is made and taken away; a new entity is bound to one that is there', async () => {
    const owner = async (): Promise<unknown> =>
      (
        (await value(
          'Vessels.get',
          '--with',
          'key=9007199254741045',
          '--with',
          'expand=Owner',
        )) as { Owner: { Name: string } | null }
      ).Owner?.Name ?? null
    expect(await owner()).toBeNull()
    expect(
      await value(
        'Vessels.link',
        '--with',
        'key=9007199254741045',
        '--with',
        'Owner=9007199254741015',
      ),
    ).toBeNull()
    expect(await owner()).toBe('Jutta Thorsen')
    await value('Vessels.unlink', '--with', 'key=9007199254741045', '--with', 'Owner=true')
    expect(await owner()).toBeNull()
    await value(
      'Owners.link',
      '--with',
      'key=9007199254741019',
      '--with',
      'Vessels=9007199254741045',
    )
    expect(await owner()).toBe('N. Bell')
    await value(
      'Owners.unlink',
      '--with',
      'key=9007199254741019',
      '--with',
      'Vessels=9007199254741045',
    )
    expect(await owner()).toBeNull()
    const body = {
      CallSign: 'BKM-900',
      Name: 'Bound',
      Kind: 'Yacht',
      Length: '5.00',
      Flag: 'GB',
      Owner: { $bind: '9007199254741019' },
      Log: [{ Page: 1, Text: 'Built in a shed' }],
    }
    const { Number: number } = (await value(
      'Vessels.create',
      '--with',
      `body=${JSON.stringify(body)}`,
    )) as { Number: string }
    expect(
      await value('Vessels.get', '--with', `key=${number}`, '--with', 'expand=Owner,Log'),
    ).toMatchObject({
      OwnerNumber: '9007199254741019',
      Owner: { Name: 'N. Bell' },
      Log: [{ Page: 1, Text: 'Built in a shed' }],
    })
    expect(
      await value(
        'Vessels.update',
        '--with',
        `key=${number}`,
        '--with',
        'body.Owner={"$bind": "9007199254741015"}',
      ),
    ).toMatchObject({ OwnerNumber: '9007199254741015' })
    expect(
      await failure(
        'registry',
        'Vessels.link',
        '--with',
        pride,
        '--with',
        'Owner=1',
        '--with',
        'Surveys=x',
      ),
    ).toMatchObject({
      details: [
        'the input: expected exactly one of Owner, Surveys, Calls besides the key, got Owner, Surveys',
        'Surveys: expected a GUID like 01234567-89ab-cdef-0123-456789abcdef, got "x"',
      ],
    })
    expect(
      await failure(
        'registry',
        'Vessels.update',
        '--with',
        pride,
        '--with',
        'body={"Owner": {"Name": "x"}}',
      ),
    ).toMatchObject({
      details: [
        'body.Owner: leads to other entities, which are changed by themselves; it can be bound to one that is there: { $bind: <its key> }',
      ],
    })
    expect(
      await failure(
        'registry',
        'Vessels.update',
        '--with',
        pride,
        '--with',
        'body={"Owner": {"$bind": "77"}}',
      ),
    ).toMatchObject({
      status: 400,
      message: expect.stringContaining('Owners has no entity with the key of what is bound.'),
    })
  })

  test('the log inside a vessel: list, create, change, delete below its key', async () => {
    expect(
      await value('VesselsLog.list', '--with', 'of=9007199254740993', '--with', 'filter=Page gt 1'),
    ).toMatchObject([{ Page: 2, Text: 'Bunkered 40 t; "no smoking" signs missing' }])
    expect(
      await value(
        'VesselsLog.create',
        '--with',
        'of=9007199254740993',
        '--with',
        'body={"Page": 3, "Text": "Left"}',
      ),
    ).toMatchObject({ Page: 3, Text: 'Left', Written: expect.stringMatching(/Z$/) })
    expect(
      await value(
        'VesselsLog.update',
        '--with',
        'of=9007199254740993',
        '--with',
        'key=3',
        '--with',
        'body.Text=Left late',
      ),
    ).toMatchObject({ Text: 'Left late' })
    expect(await value('VesselsLog.count', '--with', 'of=9007199254740993')).toBe(3)
    await value('VesselsLog.delete', '--with', 'of=9007199254740993', '--with', 'key=3')
    expect(
      await failure(
        'registry',
        'VesselsLog.get',
        '--with',
        'of=9007199254740993',
        '--with',
        'key=3',
      ),
    ).toMatchObject({ status: 404 })
    expect(await failure('registry', 'VesselsLog.list')).toMatchObject({
      details: ['of: is missing'],
    })
  })

  test('a photo comes down and goes up; a paper is created from its bytes', async () => {
    expect(
      Buffer.from(
        (await value('Vessels.download', '--with', pride)) as string,
        'base64',
      ).toString(),
    ).toMatch(/^<svg /)
    await writeFile(join(folder, 'photo.png'), Buffer.from([137, 80, 78, 71, 0, 255]))
    await writeFile(
      join(folder, 'up.json'),
      JSON.stringify({
        key: '9007199254740995',
        stream: 'Photo',
        content: { $file: 'photo.png' },
        contentType: 'image/png',
      }),
    )
    expect(await value('Vessels.download', '--with', 'key=9007199254740995')).toBeNull()
    await value('Vessels.upload', '--input', 'up.json')
    expect(await value('Vessels.download', '--with', 'key=9007199254740995')).toBe('iVBORwD/')
    await value('Vessels.clear', '--with', 'key=9007199254740995')
    expect(await value('Vessels.download', '--with', 'key=9007199254740995')).toBeNull()
    const made = (await value(
      'Papers.create',
      '--with',
      'content=aGVsbG8=',
      '--with',
      'contentType=text/plain',
    )) as { Id: string }
    expect(await value('Papers.download', '--with', `key=${made.Id}`)).toBe('aGVsbG8=')
    expect(
      await failure('registry', 'Vessels.download', '--with', pride, '--with', 'stream=Phot'),
    ).toMatchObject({ details: ['stream: expected one of "Photo", got "Phot"'] })
  })

  test("sums by group; changes since a list; an upsert; what the service can't do is refused before it is asked", async () => {
    expect(
      await value(
        'Vessels.aggregate',
        '--with',
        "filter=Flag ne 'GB'",
        '--with',
        'groupBy=Flag',
        '--with',
        'measures.Count=count',
        '--with',
        'measures.Longest={"of": "Length", "by": "max"}',
        '--with',
        'measures.Tons.of=Tonnage',
        '--with',
        'measures.Tons.by=sum',
      ),
    ).toEqual([
      { Flag: 'NO', Count: 3, Longest: '104.50', Tons: 8950 },
      { Flag: 'FR', Count: 3, Longest: '24.00', Tons: 203 },
      { Flag: 'DE', Count: 3, Longest: '134.25', Tons: 17530 },
      { Flag: 'DK', Count: 2, Longest: '12.00', Tons: 11 },
    ])
    expect(
      await value(
        'PortCalls.upsert',
        '--with',
        'key={"VesselNumber": 9007199254741045, "Call": 1}',
        '--with',
        'body={"Berth": "N-9", "Arrived": "2026-12-01T08:00:00Z"}',
      ),
    ).toMatchObject({ Berth: 'N-9', VesselNumber: '9007199254741045', Call: 1 })
    expect(
      await value(
        'PortCalls.upsert',
        '--with',
        'key={"VesselNumber": 9007199254741045, "Call": 1}',
        '--with',
        'body={"Berth": "N-8", "Arrived": "2026-12-01T08:00:00Z"}',
      ),
    ).toMatchObject({ Berth: 'N-8' })
    expect(
      await failure(
        'registry',
        'PortCalls.list',
        '--with',
        "filter=Berth eq 'N-8' and Stay gt duration'P1D'",
      ),
    ).toMatchObject({
      details: ["filter: the service can't filter by Stay; it says so in its metadata"],
    })
    expect(await failure('registry', 'Vessels.list', '--with', 'search=x')).toMatchObject({
      code: 'TM-1013',
    })
    expect(await failure('registry', 'Surveys.delete')).toMatchObject({
      code: 'TM-1005',
      advice: 'The service says in its metadata that it does not offer it.',
    })
  })

  test('in code: typed, compiled, and run', async () => {
    await writeFile(join(folder, 'src/deeds.ts'), deeds)
    await writeFile(join(folder, 'src/old-deeds.ts'), oldDeeds)
    expect(await complaints(folder)).toBe('')
    expect((await runBundled(folder, 'src/deeds.ts', registry.service)).split('\n')).toEqual([
      'Sturdy Little Sister | 65.5',
      'NO 3 104.50',
      'stream of 158 bytes',
      'Twins 2 owner true',
      'fulfilled rejected 404 fulfilled',
      'none of them: 400 true',
      'json fulfilled fulfilled',
      'changed Renamed, deleted',
      'input Vessels.list',
      '',
    ])
    expect(await runBundled(folder, 'src/old-deeds.ts', cargo.service)).toBe(
      'Ship 2 of BKM-411\nrejected 404 fulfilled\nall or none: 10\n',
    )
  })

  test('the stand-in is strict about batches, links, streams and sums, too', async () => {
    const ask = async (
      path: string,
      method: string,
      body: string,
      type: string,
    ): Promise<[number, string]> => {
      const response = await fetch(registry.service + path, {
        method,
        body,
        headers: { 'content-type': type },
      })
      const text = await response.text()
      return [
        response.status,
        text.startsWith('{')
          ? ((JSON.parse(text) as { error?: { message: string } }).error?.message ?? text)
          : text,
      ]
    }
    const part = (line: string, inside = 'Content-Type: application/http'): string =>
      `--b\r\n${inside}\r\n\r\n${line}\r\n\r\n\r\n--b--`
    const batch = 'multipart/mixed; boundary=b'
    expect(await ask('/$batch', 'POST', part('DELETE Owners(1) HTTP/1.1'), batch)).toEqual([
      400,
      'This is no batch: DELETE Owners(1) changes something and must stand in a change set'.replace(
        'Owners(1)',
        '/registry/Owners(1)',
      ),
    ])
    expect(
      await ask(
        '/$batch',
        'POST',
        part(
          '--c\r\nContent-Type: application/http\r\n\r\nGET Owners HTTP/1.1\r\n\r\n\r\n--c--',
          'Content-Type: multipart/mixed; boundary=c',
        ),
        batch,
      ),
    ).toEqual([
      400,
      "This is no batch: GET /registry/Owners changes nothing and can't stand in a change set",
    ])
    expect(await ask('/$batch', 'POST', part('Owners'), batch)).toEqual([
      400,
      'This is no batch: "Owners" is no request line',
    ])
    expect(await ask('/$batch', 'POST', '{"requests":[{"id":"1"}]}', 'application/json')).toEqual([
      400,
      'This is no batch: a request of a batch has "id", "method" and "url"',
    ])
    expect(await ask('/$batch', 'POST', 'x', 'text/plain')).toEqual([
      400,
      'This is no batch: a batch is multipart/mixed with a boundary, or JSON, not "text/plain"',
    ])
    expect(
      await ask('/Vessels(1)/Owner/$ref', 'PUT', '{"@odata.id":"Nowhere(1)"}', 'application/json'),
    ).toEqual([400, '"Nowhere(1)" is the address of no entity.'])
    expect(await ask('/Vessels(1)/Nothing/$ref', 'PUT', '{}', 'application/json')).toEqual([
      404,
      'Vessels(1) has no navigation property Nothing.',
    ])
    expect(await ask('/Vessels(1)/Photo', 'POST', 'x', 'image/png')).toEqual([
      405,
      'POST is not offered at Vessels(1)/Photo.',
    ])
    expect(
      await ask('/Vessels(1)', 'PATCH', '{"Surveys@odata.bind":["Owners(1)"]}', 'application/json'),
    ).toEqual([
      400,
      '"Surveys" leads to entities of Brackmouth.Registry.Survey, and "Owners(1)" is none.',
    ])
    expect(await ask('/Owners', 'POST', 'Name=x', 'application/x-www-form-urlencoded')).toEqual([
      415,
      'The body is to be JSON, not "application/x-www-form-urlencoded".',
    ])
    // Sums worked by hand from the seed data: the two tugs.
    expect(
      JSON.parse(
        (
          await ask(
            '/Vessels/$query',
            'POST',
            '$apply=filter(isof(Brackmouth.Registry.Tug))/aggregate(Tonnage with sum as Sum,Tonnage with average as Mean,Length with min as Least,Flag with countdistinct as Flags,$count as Number)',
            'text/plain',
          )
        )[1],
      ),
    ).toMatchObject({
      value: [{ Sum: '630', Mean: '315', Least: '26.00', Flags: '1', Number: '2' }],
    })
  })

  test('a gateway that wants a token gives it once; it is kept with its session, and fetched anew when it is withdrawn', async () => {
    const seen: string[] = []
    let token = 'first'
    const gateway = await startServer((request, response) => {
      const given = String(request.headers['x-csrf-token'] ?? '-')
      seen.push(`${request.method ?? ''} ${given} ${request.headers.cookie ?? '-'}`)
      if (given === 'Fetch')
        return void response
          .writeHead(200, {
            'x-csrf-token': token,
            'set-cookie': [`session=${token}; Path=/`, 'node=7; Secure'],
          })
          .end('{}')
      if (request.method !== 'GET' && given !== token)
        return void response
          .writeHead(403, { 'x-csrf-token': 'Required', 'content-type': 'text/plain' })
          .end('CSRF token validation failed')
      response.writeHead(204).end()
    })
    await writeFile(
      join(folder, 'src/guarded.ts'),
      "import { VesselRegister } from './clients/registry/index.js'\ndeclare const process: { argv: string[] }\nconst registry = new VesselRegister({ url: process.argv[2] ?? '' })\nawait registry.Owners.delete({ key: 1n })\nawait registry.Owners.delete({ key: 2n })\nawait fetch(`${process.argv[2] ?? ''}/`)\nawait registry.Owners.delete({ key: 3n })\n",
    )
    const running = runBundled(folder, 'src/guarded.ts', gateway.url)
    while (seen.length < 5) await new Promise((resolve) => setTimeout(resolve, 5))
    token = 'second'
    await running
    await gateway.stop()
    expect(seen.slice(0, 4)).toEqual([
      'DELETE - -',
      'GET Fetch -',
      'DELETE first session=first; node=7',
      'DELETE first session=first; node=7',
    ])
    expect(seen.slice(5)).toEqual(expect.arrayContaining(['DELETE first session=first; node=7']))
  })

  test('ten thousand rows of ten kilobytes, page after page, in a heap that holds less than a tenth of them', async () => {
    const text = 'x'.repeat(10_000)
    const server = await startServer((request, response) => {
      const from = Number(new URL(request.url ?? '', 'http://h').searchParams.get('from') ?? 0)
      const value = Array.from({ length: 100 }, (_, at) => ({
        Number: String(from + at),
        Name: text,
        Address: { Street: 'a', Town: 'b', Country: null },
        Balance: '0.00',
        Remark: null,
      }))
      response.writeHead(200, { 'content-type': 'application/json' }).end(
        JSON.stringify({
          value,
          ...(from < 9900 ? { '@odata.nextLink': `Owners?from=${from + 100}` } : {}),
        }),
      )
    })
    await writeFile(
      join(folder, 'src/long.ts'),
      "import { VesselRegister } from './clients/registry/index.js'\ndeclare const process: { argv: string[] }\nlet count = 0\nfor await (const owner of new VesselRegister({ url: process.argv[2] ?? '' }).Owners.list()) count += owner.Name.length === 10000 ? 1 : 0\nconsole.log(count)\n",
    )
    process.env['NODE_OPTIONS'] = `${process.env['NODE_OPTIONS'] ?? ''} --max-old-space-size=12`
    try {
      expect(await runBundled(folder, 'src/long.ts', server.url)).toBe('10000\n')
    } finally {
      process.env['NODE_OPTIONS'] = (process.env['NODE_OPTIONS'] ?? '').replace(
        ' --max-old-space-size=12',
        '',
      )
      await server.stop()
    }
  })

  test('the README says how calls travel together', async () => {
    expect(await readFile(join(folder, 'src/clients/registry/README.md'), 'utf8')).toMatch(
      /## Calls that travel together/,
    )
  })
})

const deeds = `
import { batch, connect, createOwners, createVessels, deleteOwners, getOwners, InputRejected, listVessels, ServiceFault, VesselRegister, type LogEntry } from './clients/registry/index.js'

declare const process: { argv: string[] }
const url = process.argv[2] ?? ''
const registry = new VesselRegister({ url })
const connection = connect({ url })
const say = (...words: unknown[]): void => console.log(words.join(' '))

const tugs = await registry.Vessels.list({ filter: (v) => [v.$is('Tug'), v.$as('Tug').BollardPull.gt(1), v.Registered.date().gt('1980-01-01')], orderBy: ['Length desc'] }).all()
const [first] = tugs
say(...tugs.map((each) => each.Name), '|', first?.$is === 'Tug' ? first.BollardPull : '')

const [norse] = await registry.Vessels.aggregate({ filter: (v) => v.Flag.eq('NO'), groupBy: ['Flag'], measures: { Count: 'count', Longest: { of: 'Length', by: 'max' } } })
const longest: string | null | undefined = norse?.Longest
const count: number = norse?.Count ?? 0
say(norse?.Flag, count, longest)

const stream: ReadableStream<Uint8Array> = await registry.Vessels.download({ key: 9007199254740993n }, { asStream: true })
say('stream of', (await new Response(stream).arrayBuffer()).byteLength, 'bytes')

// Two new ones that refer to each other, made together.
const twins = batch(connection)
const owner = twins.add((later) => createOwners(later, { body: { Name: 'Twins', Address: { Street: 'a', Town: 'b' } } }))
const ships = ['Castor', 'Pollux'].map((Name) => twins.add((later) => createVessels(later, { body: { Name, CallSign: Name, Kind: 'Yacht', Length: '4.00', Flag: 'GB', Owner: { $bind: owner.reference } } })))
await twins.send({ together: true })
const both = await Promise.all(ships.map((each) => each.outcome))
const made = await owner.outcome
say(made.Name, both.length, 'owner', both.every((each) => each.OwnerNumber === made.Number))

// One of three fails, and the others go on.
const mixed = batch(connection)
const calls = [mixed.add((later) => getOwners(later, { key: made.Number, select: ['Name'] })), mixed.add((later) => getOwners(later, { key: 1n })), mixed.add((later) => listVessels(later, { top: 1 }).all())]
await mixed.send({ goOn: true })
const settled = await Promise.allSettled(calls.map((each): Promise<unknown> => each.outcome))
say(...settled.map((each) => (each.status === 'rejected' && each.reason instanceof ServiceFault ? 'rejected ' + String(each.reason.status) : each.status)))

// All or nothing: the deletion of an owner does not happen, because the one beside it fails.
const together = batch(connection)
const gone = together.add((later) => deleteOwners(later, { key: made.Number }))
const bad = together.add((later) => createVessels(later, { body: { Name: 'x', CallSign: 'x', Kind: 'Yacht', Length: '4.00', Flag: 'GB', Owner: { $bind: 77n } } }))
await together.send({ together: true })
const why = await gone.outcome.catch((error: unknown) => error)
await bad.outcome.catch(() => undefined)
say('none of them:', why instanceof ServiceFault ? why.status : why, (await registry.Owners.get({ key: made.Number })).Name === 'Twins')

const asJson = batch(connection)
const [one, two] = [asJson.add((later) => getOwners(later, { key: made.Number })), asJson.add((later) => createOwners(later, { body: { Name: 'J', Address: { Street: 'a', Town: 'b' }, Balance: '1.10' } }))]
await asJson.send({ asJson: true, together: true })
say('json', ...(await Promise.allSettled([one.outcome, two.outcome])).map((each) => each.status))

let changes: string | undefined
for await (const page of registry.Vessels.list({ trackChanges: true }).pages()) changes = page.changes
await registry.Vessels.update({ key: both[0]?.Number ?? 0n, body: { Name: 'Renamed' } })
await registry.Vessels.delete({ key: both[1]?.Number ?? 0n })
const told: string[] = []
for await (const change of registry.Vessels.changes({ since: changes ?? '' })) told.push(change.$removed === undefined ? 'changed ' + String(change.Name) : change.reason)
say(told.join(', '))

const pages: LogEntry[] = await registry.VesselsLog.list({ of: 9007199254740993n }).all()
try {
  await registry.Vessels.list({ filter: (v) => (v as unknown as { Nmae: { eq(value: string): { text: string; joined: 'nothing' } } }).Nmae.eq('x') }).all()
} catch (error) {
  if (error instanceof InputRejected && pages.length === 2) say(error.kind, 'Vessels.list')
}
`

const oldDeeds = `
import { batch, CargoLedger, connect, countCrates, createCrates, deleteCrates, getCrates, getShips, ServiceFault } from './clients/cargo/index.js'

declare const process: { argv: string[] }
const url = process.argv[2] ?? ''
const cargo = new CargoLedger({ url })
const connection = connect({ url })
const crate = await cargo.Crates.create({ body: { Contents: 'Lamps', Weight: '2.000', Fragile: true, Place: { Quay: 'North', Row: 1 }, Ship: { $bind: 'BKM-411' } } })
const [ship] = (await cargo.Crates.list({ filter: (it) => it.Number.eq(crate.Number), expand: ['Ship'] }).all()).map((each) => each.Ship)
console.log('Ship', crate.Weight.slice(0, 1), 'of', ship?.CallSign)
const mixed = batch(connection)
const calls = [mixed.add((later) => getCrates(later, { key: 1n })), mixed.add((later) => getShips(later, { key: 'BKM-411' }))]
await mixed.send({ goOn: true })
console.log(...(await Promise.allSettled(calls.map((each): Promise<unknown> => each.outcome))).map((each) => (each.status === 'rejected' && each.reason instanceof ServiceFault ? 'rejected ' + String(each.reason.status) : each.status)))
await cargo.Crates.delete({ key: crate.Number })
const together = batch(connection)
together.add((later) => createCrates(later, { body: { Contents: 'Never', Weight: '1.000', Fragile: false, Place: { Quay: 'North', Row: 1 } } }))
together.add((later) => deleteCrates(later, { key: 1n }))
await together.send({ together: true })
console.log('all or none:', await countCrates(connection))
`
