import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import { complaints, runBundled } from '../support/compilers.js'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  tolmachJson,
} from '../support/program.js'

const digits = { type: 'string', pattern: '^-?\\d+$' }
const decimal = { type: 'string', pattern: '^-?\\d+(\\.\\d+)?$' }
const nullable = (schema: { type: string }): object => ({ ...schema, type: [schema.type, 'null'] })
const address = {
  type: 'object',
  additionalProperties: false,
  required: ['Street', 'Town'],
  properties: {
    Street: { type: 'string', maxLength: 80 },
    Town: { type: 'string' },
    Country: { type: ['string', 'null'], maxLength: 2 },
  },
}
const vessel = {
  CallSign: { type: 'string', maxLength: 10 },
  Name: { type: 'string', maxLength: 60 },
  Kind: { enum: ['Coaster', 'Ferry', 'Tug', 'Trawler', 'Yacht'] },
  Length: decimal,
  Draught: nullable(decimal),
  Tonnage: { type: ['integer', 'null'] },
  Flag: { type: 'string', maxLength: 2 },
  Built: { type: ['string', 'null'], format: 'date' },
  Cleared: {
    type: 'string',
    pattern: '^((Customs|Health|Pilotage)(,(Customs|Health|Pilotage))*)?$',
  },
  FormerNames: { type: 'array', items: { type: 'string' } },
  OwnerNumber: nullable(digits),
}
const owner = {
  type: 'object',
  additionalProperties: false,
  required: ['Name', 'Address'],
  properties: {
    Name: { type: 'string' },
    Address: address,
    Balance: decimal,
    Remark: { type: ['string', 'null'] },
    Vessels: { type: 'array', items: { type: 'object' } },
    'Vessels@odata.bind': { type: 'array' },
  },
}

/**
 * Written by hand from the metadata and the rules of JSON Format 4.01, sections 7 and 4.5, and of
 * OData V2, JSON Format, section 4.
 */
const schemas: Readonly<Record<string, object>> = {
  'registry Vessels.create': {
    type: 'object',
    additionalProperties: false,
    required: ['CallSign', 'Name', 'Kind', 'Length', 'Flag'],
    properties: {
      ...vessel,
      Owner: owner,
      Surveys: { type: 'array' },
      Calls: { type: 'array' },
      Log: { type: 'array' },
    },
  },
  'registry Vessels.update': {
    type: 'object',
    additionalProperties: false,
    properties: {
      ...vessel,
      CallSign: false,
      'Owner@odata.bind': { type: 'string', pattern: '^Owners\\(\\d+\\)$' },
      'Surveys@odata.bind': {
        type: 'array',
        items: { type: 'string', pattern: '^Surveys\\([0-9a-f-]{36}\\)$' },
      },
      'Calls@odata.bind': {
        type: 'array',
        items: { type: 'string', pattern: '^PortCalls\\(VesselNumber=\\d+,Call=\\d+\\)$' },
      },
    },
  },
  'registry Owners.create': owner,
  'registry PortCalls.create': {
    type: 'object',
    additionalProperties: false,
    required: ['Berth', 'Arrived'],
    properties: {
      VesselNumber: digits,
      Call: { type: 'integer' },
      Berth: { type: 'string' },
      Arrived: { type: 'string', format: 'date-time' },
      Stay: { type: ['string', 'null'], pattern: '^P' },
      PilotAt: { type: ['string', 'null'] },
      Dues: nullable(decimal),
      Vessel: { type: 'object' },
    },
  },
  'registry Vessels.Rename': {
    type: 'object',
    additionalProperties: false,
    required: ['name'],
    properties: { name: { type: 'string', maxLength: 60 }, reason: { type: ['string', 'null'] } },
  },
  'registry Vessels.Assist': {
    type: 'object',
    additionalProperties: false,
    required: ['vessels'],
    properties: { vessels: { type: 'array', items: digits } },
  },
  'cargo Crates.create': {
    type: 'object',
    additionalProperties: false,
    required: ['Contents', 'Weight', 'Fragile', 'Place'],
    properties: {
      Number: digits,
      Contents: { type: 'string' },
      Weight: decimal,
      Value: nullable(decimal),
      Landed: { type: ['string', 'null'], pattern: '^/Date\\(-?\\d+\\)/$' },
      Sealed: { type: ['string', 'null'], pattern: '^/Date\\(-?\\d+([+-]\\d{4})?\\)/$' },
      GateOpens: { type: ['string', 'null'], pattern: '^PT' },
      Fragile: { type: 'boolean' },
      Tilt: { type: ['string', 'null'] },
      Token: { type: ['string', 'null'], format: 'uuid' },
      Layers: { type: ['integer', 'null'], maximum: 255 },
      Seal: { type: ['string', 'null'] },
      ShipSign: { type: ['string', 'null'] },
      Ship: { type: 'object' },
      Moves: { type: 'array' },
      Place: {
        type: 'object',
        additionalProperties: false,
        required: ['Quay', 'Row'],
        properties: {
          Quay: { type: 'string' },
          Row: { type: 'integer' },
          Tier: { type: ['integer', 'null'] },
        },
      },
    },
  },
}

describe('the same voyage for OData services of versions 4 and 2', () => {
  let folder: string
  let registry: Awaited<ReturnType<typeof startStandIn>>
  let cargo: Awaited<ReturnType<typeof startStandIn>>
  const run = (...words: string[]): ReturnType<typeof tolmach> => tolmach(folder, words)
  const json = (...words: string[]): ReturnType<typeof tolmachJson> => tolmachJson(folder, words)
  const value = async (...words: string[]): Promise<unknown> => {
    const called = await json('call', ...words)
    expect(called).toMatchObject({ ok: true, deviations: [] })
    return called['value']
  }
  const failure = async (...words: string[]): Promise<unknown> => {
    const { code, stdout } = await run(...words, '--json')
    return { code, ...(JSON.parse(stdout) as { failure: object }).failure }
  }

  let generated: Awaited<ReturnType<typeof tolmach>>
  beforeAll(async () => {
    folder = await freshFolder()
    ;[registry, cargo] = await Promise.all([
      startStandIn('registry/registry.xml'),
      startStandIn('cargo/cargo.xml'),
    ])
    const imported = await json('import', registry.service, '--as', 'registry')
    expect(imported).toMatchObject({
      dialect: 'odata',
      types: 12,
      endpoints: [{ protocol: 'OData 4.0', address: `${registry.service}/` }],
    })
    expect((imported['notes'] as { code: string }[]).map(({ code }) => code)).toEqual([
      'TM-2412',
      'TM-2409',
    ])
    expect(await json('import', cargo.metadata, '--as', 'cargo')).toMatchObject({
      dialect: 'odata',
      types: 4,
      notes: [],
      endpoints: [{ protocol: 'OData 2.0' }],
    })
    generated = await run('generate')
  })
  afterAll(() => {
    registry.stop()
    cargo.stop()
  })

  test('show reads the same way; the clients compile under the strictest settings, and type what was asked for', async () => {
    expect((await run('show', 'registry')).stdout).toMatch(
      /76 operations, 12 types, 2 notes[\s\S]*Vessels {2}Vessel\[\] /,
    )
    expect((await run('show', 'registry', 'vessels')).stdout).toMatch(
      /^Vessels {2}group of 19 operations[\s\S]*Vessels\.Rename\(key, name, reason\?, ifMatch\?\)[\s\S]*types\n {2}Vessel, Survey\n$/,
    )
    expect((await run('show', 'registry', 'Vessels.LatestSurvey')).stdout).toMatch(
      /GET \/Vessels\(…\)\/Brackmouth\.Registry\.LatestSurvey\(…\)/,
    )
    expect((await run('show', 'registry', 'PortCalls.list')).stdout).toMatch(
      /request {2}GET \/PortCalls\n {4}service {2}can't filter by Stay\n/,
    )
    expect(generated.stderr).toMatch(
      /for await \(const each of vesselRegister\.Owners\.list\(\)\) console\.log\(each\)/,
    )
    // The README's own example compiles, too.
    const readme = await readFile(join(folder, 'src/clients/registry/README.md'), 'utf8')
    const [, example = ''] = /## Queries[\s\S]*?```ts\n([\s\S]*?)```/.exec(readme) ?? []
    expect(example).toContain(
      'vesselRegister.Vessels.list({\n  filter: (it) => it.CallSign.startsWith(',
    )
    await writeFile(
      join(folder, 'src/readme.ts'),
      `import { VesselRegister } from './clients/registry/index.js'\nconst vesselRegister: VesselRegister = new VesselRegister()\n${example}`,
    )
    await writeFile(join(folder, 'src/use.ts'), useOfTheClient)
    await writeFile(join(folder, 'src/old.ts'), useOfTheOldClient)
    expect(await complaints(folder)).toBe('')
    expect(await runBundled(folder, 'src/use.ts', registry.service)).toBe(
      'Nordlys 99.90 Åsgård & Søn true\nEmsland>Küstenwind II>Küstenwind III\nSturdy pulls 65.5\nnot changed since\n24 rows, page of 20, 24 in all\nreservist 9007199254741005\nFR: 3\n404 Vessels has no entity with this key.\n',
    )
    expect(await runBundled(folder, 'src/old.ts', cargo.service)).toBe(
      '2300.000 2026-12-03T00:00:00 Søstjernen\n["North","South","Old harbour"]\n',
    )
  })

  test('what does not fit is refused by the compiler', async () => {
    const wrong = [
      'registry.Vessels.list({ select: ["Nmae"] })',
      'registry.Vessels.list({ filter: (v) => v.Nmae.eq("x") })',
      'registry.Vessels.list({ filter: (v) => v.Name.gt(5) })',
      'registry.Vessels.list({ filter: (v) => v.Cleared.gt([]) })',
      'registry.Vessels.list({ expand: [{ Owner: { select: ["Flag"] } }] })',
      'registry.Vessels.get({ key: 5 })',
      'registry.Vessels.get({ key: 5n, select: ["Name"] }).then((v) => v.Flag)',
      'registry.Vessels.update({ key: 5n, body: { CallSign: "x" } })',
      'registry.Vessels.create({ body: { Name: "x" } })',
      'registry.PortCalls.get({ key: { VesselNumber: 5n } })',
      'registry.Vessels.list({ filter: (v) => v.$as("Tugg").BollardPull.gt(1) })',
      'registry.Vessels.list({ search: "x" })',
      'registry.Surveys.delete({ key: "x" })',
      'registry.Vessels.aggregate({ measures: { Sum: { of: "Lenght", by: "sum" } } })',
      'registry.Vessels.aggregate({ measures: { Sum: "count" } }).then(([row]) => row?.Count)',
      'registry.Vessels.link({ key: 5n, Owner: "x" })',
      'registry.Owners.create({ body: { Name: "x", Address: { Street: "a", Town: "b" }, Vessels: [{ $bind: "x" }] } })',
      'registry.VesselsLog.list({})',
      'registry.Vessels.download({ key: 5n, stream: "Phto" })',
    ]
    await writeFile(
      join(folder, 'src/wrong.ts'),
      `import { VesselRegister } from './clients/registry/index.js'\nconst registry: VesselRegister = new VesselRegister()\n${wrong.map((line) => `// @ts-expect-error\nvoid ${line}`).join('\n')}\nvoid registry\n`,
    )
    expect(await complaints(folder)).toBe('')
    await writeFile(join(folder, 'src/wrong.ts'), '')
  })

  test.each(Object.keys(schemas))(
    'the samples of %s, minimal and full, are valid by Ajv against a schema written by hand',
    async (name) => {
      const [contract = '', operation = ''] = name.split(' ')
      const ajv = new Ajv2020({ strict: false, allErrors: true })
      ;(addFormats as unknown as (ajv: Ajv2020) => void)(ajv)
      const validate = ajv.compile(schemas[name] ?? {})
      for (const extra of [[], ['--full']]) {
        const sample = (await run('sample', contract, operation, ...extra)).stdout
        await writeFile(join(folder, 'sample.json'), sample)
        const { request } = (await json(
          'call',
          contract,
          operation,
          '--input',
          'sample.json',
          '--preview',
        )) as { request: { body: string } }
        expect(
          validate(JSON.parse(request.body === '' ? '{}' : request.body)) ? [] : validate.errors,
        ).toEqual([])
      }
    },
  )

  test('list, create, list and see it, get, change, delete, list and see it gone; every digit survives', async () => {
    const of = [
      'registry',
      'Vessels.list',
      '--with',
      'filter=OwnerNumber eq 9007199254741005',
      '--with',
      'select=Number',
    ]
    const numbers = async (): Promise<string[]> =>
      ((await value(...of)) as { Number: string }[]).map(({ Number: number }) => number)
    expect(await numbers()).toEqual(['9007199254741033', '9007199254741035'])
    const made = await value(
      'registry',
      'Vessels.create',
      '--input',
      join(repository, 'demo/registry/samples/createVessel.yaml'),
    )
    expect(made).toMatchObject({
      $is: 'Vessel',
      Number: '9007199254741060',
      Name: 'Höhe & Breite "O\'7"',
      Length: '77.70',
      Cleared: ['Customs', 'Pilotage'],
      Tonnage: null,
      $etag: expect.stringContaining('W/'),
    })
    expect(await numbers()).toEqual(['9007199254741033', '9007199254741035', '9007199254741060'])
    const key = ['--with', 'key=9007199254741060']
    const { $etag } = (await value('registry', 'Vessels.get', ...key)) as { $etag: string }
    expect(
      await value(
        'registry',
        'Vessels.update',
        ...key,
        '--with',
        'body={"Draught": "3.10", "Tonnage": 77}',
        '--with',
        `ifMatch=${$etag}`,
      ),
    ).toMatchObject({ Draught: '3.10', Tonnage: 77, Length: '77.70' })
    expect(
      await failure(
        'call',
        'registry',
        'Vessels.update',
        ...key,
        '--with',
        'body.Tonnage=78',
        '--with',
        `ifMatch=${$etag}`,
      ),
    ).toMatchObject({ code: 'TM-4001', kind: 'fault', status: 412 })
    expect(
      await value(
        'registry',
        'Vessels.replace',
        ...key,
        '--with',
        'body={"CallSign": "BKM-777", "Name": "Bare", "Kind": "Yacht", "Length": 7.70, "Flag": "GB"}',
      ),
    ).toMatchObject({ Name: 'Bare', Length: '7.70', Draught: null, FormerNames: [] })
    expect(await value('registry', 'Vessels.delete', ...key)).toBeNull()
    expect(await failure('call', 'registry', 'Vessels.get', ...key)).toMatchObject({
      kind: 'fault',
      status: 404,
      detail: { code: '404' },
    })
    expect(await numbers()).toHaveLength(2)
  })

  test('and the same in version 2', async () => {
    const count = async (): Promise<unknown> => value('cargo', 'Crates.count')
    expect(await count()).toBe(10)
    expect(
      await value(
        'cargo',
        'Crates.create',
        '--input',
        join(repository, 'demo/cargo/samples/createCrate.yaml'),
      ),
    ).toMatchObject({
      Number: '9007199254743021',
      Weight: '96.400',
      Landed: '2026-11-23T08:15:00',
      Place: { Quay: 'South', Row: 7, Tier: 0 },
    })
    expect(await count()).toBe(11)
    const key = ['--with', 'key=9007199254743021']
    expect(
      await value(
        'cargo',
        'Crates.update',
        ...key,
        '--with',
        'body.Weight=96.450',
        '--with',
        'body.Sealed=2026-11-23T09:00:00+01:00',
      ),
    ).toBeNull()
    expect(await value('cargo', 'Crates.get', ...key, '--with', 'expand=Ship')).toMatchObject({
      Weight: '96.450',
      Sealed: '2026-11-23T09:00:00+01:00',
      Ship: { Name: 'Søstjernen' },
    })
    expect(
      await value('cargo', 'Weigh', '--with', 'Number=9007199254743021', '--with', 'Weight=96.500'),
    ).toMatchObject({ Weight: '96.500' })
    expect(await value('cargo', 'CratesOnQuay', '--with', 'Quay=South')).toHaveLength(6)
    expect(await value('cargo', 'Crates.delete', ...key)).toBeNull()
    expect(await count()).toBe(10)
    expect(
      await value('cargo', 'Ships.get', '--with', 'key=BKM/4', '--with', 'expand=Crates'),
    ).toMatchObject({ Name: 'Old "Slash" of Brackmouth', Crates: [{ Contents: 'Empty' }] })
    expect(
      await failure('call', 'cargo', 'Weigh', '--with', 'Number=1', '--with', 'Weight=1'),
    ).toMatchObject({
      kind: 'fault',
      faultCode: 'NoSuchCrate',
      message: expect.stringContaining('There is no crate 1.'),
    })
  })

  test('queries, in text and in lists, with everything that hangs off', async () => {
    const names = async (...words: string[]): Promise<unknown> =>
      ((await value('registry', 'Vessels.list', ...words)) as { Name: string }[]).map(
        ({ Name }) => Name,
      )
    expect(
      await names(
        '--with',
        "filter=Length gt 100 and Owner/Name ne 'Skerry Line'",
        '--with',
        'orderBy=Length desc,Name desc',
      ),
    ).toEqual(['Emsland', 'Küstenwind III', 'Küstenwind II'])
    expect(
      await names('--with', "filter=Surveys/any(s:s/Passed eq false) or contains(Name,'\"')"),
    ).toEqual(['Ålesund Pride', 'L\'Étoile "Polaire"', 'Küstenwind III', 'Old Faithful'])
    expect(
      await names(
        '--with',
        "filter=Cleared has Brackmouth.Registry.Clearance'Customs,Pilotage'",
        '--with',
        'skip=1',
        '--with',
        'top=2',
      ),
    ).toEqual(['Isle of Skerry', 'Søstjernen'])
    expect(
      await value(
        'registry',
        'Owners.get',
        '--with',
        'key=9007199254741009',
        '--with',
        'select=["Name"]',
        '--with',
        'expand=[{"Vessels": {"filter": "Kind eq Brackmouth.Registry.VesselKind\'Tug\'", "select": ["Name"], "orderBy": ["Name"], "expand": [{"Surveys": {"top": 1, "select": ["Day"]}}]}}]',
      ),
    ).toMatchObject({
      Name: 'Harbour Works',
      Vessels: [
        { $is: 'Tug', Name: 'Little Sister', Surveys: [{ Day: '2026-06-12' }] },
        { Name: 'Sturdy' },
      ],
    })
    expect(
      await value('registry', 'FeeFor', '--with', 'kind=Ferry', '--with', 'length=104.50'),
    ).toBe('420.50')
    expect(
      await value(
        'registry',
        'PortCalls.get',
        '--with',
        'key={"VesselNumber": 9007199254740993, "Call": 2}',
      ),
    ).toMatchObject({ Berth: 'N-2', Stay: null })
  })

  test('the first hundred rows, and that there are more; or all of them', async () => {
    const server = await startServer((request, response) => {
      const from = Number(new URL(request.url ?? '', 'http://h').searchParams.get('from') ?? 0)
      const rows = Array.from({ length: 60 }, (_, at) => ({
        VesselNumber: from + at,
        Call: 1,
        Berth: 'x',
        Arrived: '2026-01-01T00:00:00Z',
        Stay: null,
        PilotAt: null,
        Dues: null,
      }))
      response.writeHead(200, { 'content-type': 'application/json' }).end(
        JSON.stringify({
          '@odata.count': 180,
          value: rows,
          ...(from < 120 ? { '@odata.nextLink': `PortCalls?from=${from + 60}` } : {}),
        }),
      )
    })
    const listing = [
      'call',
      'registry',
      'PortCalls.list',
      '--with',
      'count=true',
      '--url',
      server.url,
    ]
    expect(await json(...listing)).toMatchObject({ value: { length: 100 }, more: true, total: 180 })
    const shown = await run(...listing)
    expect(shown.stderr).toMatch(
      /There are 180 in all\.\nThere are more rows than these 100; --all fetches every page\./,
    )
    expect(shown.stdout).toMatch(/\n100 rows\n$/)
    const all = await json(...listing, '--all')
    expect(all).toMatchObject({ value: { length: 180 }, total: 180 })
    expect(all).not.toHaveProperty('more')
    await server.stop()
  })

  test('numbers that a service writes without quotes keep their digits, too', async () => {
    const server = await startServer(
      (_, response) =>
        void response
          .writeHead(200, { 'content-type': 'application/json' })
          .end(
            '{"Number":9007199254741001,"Name":"x","Address":{"Street":"a","Town":"b","Country":null},"Balance":1250.50,"Remark":null}',
          ),
    )
    expect(
      await value('registry', 'Owners.get', '--with', 'key=9007199254741001', '--url', server.url),
    ).toMatchObject({ Number: '9007199254741001', Balance: '1250.50' })
    await server.stop()
  })

  test('bad input: unknown properties, wrong keys, wrong values; metadata with unknown types', async () => {
    expect(
      await failure(
        'call',
        'registry',
        'Vessels.list',
        '--with',
        'filter=Lenght gt 100',
        '--with',
        'orderBy=nmae',
        '--with',
        'expand=Owners',
      ),
    ).toMatchObject({
      code: 'TM-1013',
      kind: 'input',
      details: [
        'filter: "Lenght" is not known here; is "Length" meant?',
        'orderBy: "nmae" is not known here; is "Name" meant?',
        'expand: "Owners" is not known here; is "Owner" meant?',
      ],
    })
    expect(await failure('call', 'registry', 'Vessels.get', '--with', 'key=abc')).toMatchObject({
      kind: 'input',
      details: ['key: expected a whole number (bigint) of 64 bits, got "abc"'],
    })
    expect(await failure('call', 'registry', 'PortCalls.get', '--with', 'key=5')).toMatchObject({
      kind: 'input',
    })
    expect(
      await failure(
        'call',
        'registry',
        'Vessels.create',
        '--with',
        'body={"Number": 1, "Name": "x", "Kind": "Boat", "Length": "1.234", "Flag": "GBR"}',
      ),
    ).toMatchObject({
      details: [
        "body.Number: is made by the service and can't be given",
        'body.CallSign: is missing',
        'body.Kind: expected one of "Coaster", "Ferry", "Tug", "Trawler", "Yacht", got "Boat"',
        'body.Length: must have at most 2 digits after the point, is "1.234"',
        'body.Flag: must have at most 2 characters, has 3',
      ],
    })
    const metadata = await readFile(join(repository, 'demo/registry/registry.xml'), 'utf8')
    await writeFile(
      join(folder, 'broken.xml'),
      metadata.replace('Type="Reg.VesselKind"', 'Type="Reg.VesselKnid"'),
    )
    const { code, stderr } = await run('import', 'broken.xml')
    expect(code).toBe(3)
    expect(stderr).toMatch(
      /TM-2402 {2}broken\.xml:61:9 {2}<Property Name="Kind"> refers to the type "Reg\.VesselKnid"[\s\S]*Nearest: "Brackmouth\.Registry\.VesselKind"/,
    )
    expect(
      await failure('call', 'registry', 'Vessels.list', '--url', 'http://127.0.0.1:1/'),
    ).toMatchObject({ kind: 'unreachable' })
  })

  test('names that clash with our own words, with the language, and with each other', async () => {
    const other = await freshFolder()
    expect(
      (
        await tolmach(other, [
          'import',
          join(repository, 'tests/fixtures/clashing-names.xml'),
          '--as',
          'clashing',
        ])
      ).code,
    ).toBe(0)
    expect((await tolmach(other, ['generate'])).code).toBe(0)
    expect(await complaints(other)).toBe('')
    const client = await readFile(join(other, 'src/clients/clashing/client.ts'), 'utf8')
    for (const name of ['readonly connection_: ', 'readonly close_: ', '  close_(', '  delete_('])
      expect(client).toContain(name)
  })

  test('the stand-in is strict: addresses, methods, bodies, filters', async () => {
    const ask = async (
      service: string,
      path: string,
      method = 'GET',
      body?: string,
    ): Promise<[number, unknown]> => {
      const response = await fetch(service + path, {
        method,
        ...(body === undefined ? {} : { body, headers: { 'content-type': 'application/json' } }),
      })
      const { error } = (await response.json()) as {
        error: { message: string | { value: string } }
      }
      return [
        response.status,
        typeof error.message === 'string' ? error.message : error.message.value,
      ]
    }
    expect(await ask(registry.service, '/Nowhere')).toEqual([404, 'There is no Nowhere.'])
    expect(await ask(registry.service, '/Vessels', 'PUT')).toEqual([
      405,
      'PUT is not offered at Vessels.',
    ])
    expect(await ask(cargo.service, '/Crates(1L)', 'PATCH', '{}')).toEqual([
      405,
      'PATCH is not offered at Crates(1L).',
    ])
    expect(await ask(registry.service, "/Vessels('a')")).toEqual([
      400,
      'Number: promised was a whole number (bigint) of 64 bits, but there came "a"',
    ])
    expect(await ask(registry.service, '/PortCalls(VesselNumber=1)')).toEqual([
      400,
      'The key of Brackmouth.Registry.PortCall is VesselNumber, Call.',
    ])
    expect(await ask(registry.service, '/Vessels?$filter=Lenght%20gt%201')).toEqual([
      400,
      '"Brackmouth.Registry.Vessel" has no property "Lenght"',
    ])
    expect(await ask(registry.service, '/Vessels?$apply=x')).toEqual([
      400,
      'the transformation "x" is not played here',
    ])
    expect(await ask(registry.service, '/Vessels', 'POST', '{"Name":"x","Extra":1}')).toEqual([
      400,
      'body.Extra: is not in the contract; body.CallSign: is missing; body.Kind: is missing; body.Length: is missing; body.Flag: is missing; body.Extra: is not known here; there are Number, CallSign, Name, Kind, Length, Draught, Tonnage, Flag, Built, Registered, Cleared, FormerNames, OwnerNumber, Owner, Surveys, Calls, Log',
    ])
    expect(
      await ask(
        registry.service,
        '/Vessels(9007199254740993)/Brackmouth.Registry.Rename',
        'POST',
        '{}',
      ),
    ).toEqual([400, 'name: is missing'])
    expect(await ask(registry.service, '/FeeFor(kind=5)')).toEqual([
      404,
      'There is no FeeFor(kind=5).',
    ])
  })
})

const useOfTheClient = `
import { anyOf, connect, getVessels, ServiceFault, VesselRegister, type Owner } from './clients/registry/index.js'

declare const process: { argv: string[] }
const registry = new VesselRegister({ url: process.argv[2] ?? '' })
const say = (...words: unknown[]): void => console.log(words.join(' '))

for await (const vessel of registry.Vessels.list({ filter: (v) => [v.Length.gt('90'), anyOf(v.Flag.eq('NO'), v.Flag.eq('DK')), v.Owner.Name.ne('Skerry Line')], expand: ['Owner', { Surveys: { top: 1, select: ['Passed'] } }] })) {
  const owner: Owner | null = vessel.Owner
  const passed: boolean | undefined = vessel.Surveys[0]?.Passed
  say(vessel.Name, vessel.Length, owner?.Name, passed)
}
const named = await registry.Vessels.list({ filter: (v) => v.Owner.Number.eq(9007199254741013n), select: ['Name'], orderBy: ['Length desc', 'Name'] }).all()
const names: string[] = named.map((each) => each.Name)
say(names.join('>'))
const tug = await getVessels(connect({ url: process.argv[2] ?? '' }), { key: 9007199254740999n })
if (tug.$is === 'Tug') say(tug.Name, 'pulls', tug.BollardPull)
const again = await registry.Vessels.get({ key: 9007199254740999n, select: ['Name'], ifNoneMatch: tug.$etag ?? '' })
say(again?.Name ?? 'not changed since')
const listing = registry.Vessels.list({ count: true })
const page = await listing.page()
say((await listing.all()).length, 'rows, page of', page.rows.length + ',', page.total, 'in all')
const made = await registry.Owners.create({ body: { Name: 'reservist', Address: { Street: 'a', Town: 'b' }, Vessels: [] } })
await registry.Owners.delete({ key: made.Number })
const number: bigint = made.Number
say(made.Name, number === 9007199254741020n ? 9007199254741005n : number)
const french = await registry.Vessels.under({ flag: 'FR' })
say('FR:', french.length)
try {
  await registry.Vessels.get({ key: 1n })
} catch (error) {
  if (error instanceof ServiceFault) say(error.status, error.message)
}
`

const useOfTheOldClient = `
import { CargoLedger } from './clients/cargo/index.js'

declare const process: { argv: string[] }
const cargo = new CargoLedger({ url: process.argv[2] ?? '' })
for await (const crate of cargo.Crates.list({ filter: (it) => [it.Weight.gt('1000'), it.Fragile.eq(true), it.Ship.CallSign.eq('BKM-411')], expand: [{ Ship: { select: ['Name', 'Expected'] } }] })) console.log(crate.Weight, crate.Ship?.Expected, crate.Ship?.Name)
console.log(JSON.stringify(await cargo.quays()))
`
