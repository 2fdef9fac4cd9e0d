import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { copyFile, cp, mkdir, readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { demoWsdl, freshFolder, repository, startServer, tolmach } from '../support/program.js'

const wsdl = await readFile(demoWsdl, 'utf8')

/** A digest of everything in a folder, to tell whether anything changed. */
async function folderDigest(folder: string): Promise<string> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true })
  const files = entries
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
    .sort()
  const hash = createHash('sha256')
  for (const file of files) hash.update(file).update(await readFile(file))
  return hash.digest('hex')
}

describe('metadata that is no good is refused with its place, and the project stays as it was', () => {
  let folder: string
  let before: string

  beforeAll(async () => {
    folder = await freshFolder()
    await mkdir(join(folder, 'bad'))
    for (const name of ['desk.xsd', 'dues.xsd', 'harbour.xsd'])
      await copyFile(join(repository, 'demo/berths', name), join(folder, 'bad', name))
    expect((await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])).code).toBe(0)
  })

  const cases: [what: string, file: string, text: string | Buffer, code: string, words: RegExp][] =
    [
      [
        'not XML',
        'notes.wsdl',
        'Dear colleague, the service is at http://desk.example',
        'TM-2009',
        /notes\.wsdl:1:1 .*it is not XML; it starts with "Dear colleague/s,
      ],
      [
        'an HTML page',
        'page.wsdl',
        '<!DOCTYPE html><html><head><title>Sign in to Brackmouth</title></head></html>',
        'TM-2006',
        /HTML page.*"Sign in to Brackmouth"/s,
      ],
      [
        'truncated XML',
        'cut.wsdl',
        wsdl.slice(0, 3000),
        'TM-2007',
        /cut\.wsdl:\d+:\d+ .*XML is broken/s,
      ],
      [
        'a DTD',
        'dtd.wsdl',
        wsdl.replace(
          '<wsdl:definitions',
          '<!DOCTYPE wsdl:definitions [<!ENTITY x SYSTEM "file:///etc/passwd">]>\n<wsdl:definitions',
        ),
        'TM-2008',
        /dtd\.wsdl:2:1 .*DTD/s,
      ],
      [
        'a missing import',
        'missing.wsdl',
        wsdl.replace('schemaLocation="desk.xsd"', 'schemaLocation="gone/desk.xsd"'),
        'TM-2010',
        /missing\.wsdl:16:7 .*gone\/desk\.xsd.*no such file/s,
      ],
      [
        'no service',
        'abstract.wsdl',
        wsdl.replace(/<wsdl:service[\s\S]*<\/wsdl:service>/, ''),
        'TM-2101',
        /abstract\.wsdl:2:1 .*no service/s,
      ],
      [
        'a binding to an unknown port type',
        'dask.wsdl',
        wsdl.replace('name="DeskLine11" type="d:Desk"', 'name="DeskLine11" type="d:Dask"'),
        'TM-2102',
        /dask\.wsdl:\d+:3 .*"DeskLine11" refers to port type "d:Dask".*Nearest: "Desk"/s,
      ],
      [
        'an unknown element',
        'element.wsdl',
        wsdl.replace('element="d:getBerth"', 'element="d:getBirth"'),
        'TM-2201',
        /element\.wsdl.*"\{urn:brackmouth:desk\}getBirth".*Nearest: "getBerth"/s,
      ],
      [
        'an unbound prefix',
        'prefix.wsdl',
        wsdl.replace('element="d:getBerth"', 'element="q:getBerth"'),
        'TM-2105',
        /q:getBerth/,
      ],
      [
        'something else in XML',
        'feed.wsdl',
        '<feed xmlns="urn:x"/>',
        'TM-2021',
        /root element is <feed>/,
      ],
      ['an empty file', 'empty.wsdl', '', 'TM-2015', /empty/],
      [
        'bytes that are not their encoding',
        'latin.wsdl',
        Buffer.from('<?xml version="1.0" encoding="utf-8"?><a>\xe9</a>', 'latin1'),
        'TM-2014',
        /bytes are not utf-8/,
      ],
      [
        'a document nested without end',
        'deep.wsdl',
        `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/">${'<a>'.repeat(5000)}`,
        'TM-2217',
        /500 deep/,
      ],
      [
        'WSDL 2.0 without a service',
        'two.wsdl',
        '<description xmlns="http://www.w3.org/ns/wsdl" targetNamespace="urn:x"/>',
        'TM-2101',
        /declares no service/,
      ],
    ]
  test.each(cases)('%s', async (_what, file, text, code, words) => {
    await writeFile(join(folder, 'bad', file), text)
    before = await folderDigest(folder)
    const { stderr, stdout, ...ran } = await tolmach(folder, [
      'import',
      `bad/${file}`,
      '--as',
      'fresh',
    ])
    expect(ran.code).toBe(3)
    expect(stdout).toBe('')
    expect(stderr.replace(/\s+/g, ' ')).toMatch(
      new RegExp(words.source.replaceAll('\\/', '/'), 's'),
    )
    expect(stderr).toContain(`error ${code}`)
    expect(stderr).toContain('Nothing was imported.')
    expect(stderr).not.toMatch(/\n\s+at /)
    expect(await folderDigest(folder)).toBe(before)
  })

  test('a type that is broken stops only those who choose what needs it, now and at a refresh', async () => {
    const own = await freshFolder()
    await cp(join(repository, 'demo/berths'), own, { recursive: true })
    const spoil = async (file: string, from: string, to: string): Promise<void> =>
      writeFile(join(own, file), (await readFile(join(own, file), 'utf8')).replaceAll(from, to))
    const told = async (...words: string[]): Promise<string> => {
      const { stdout, stderr, code } = await tolmach(own, words)
      return `${String(code)} ${stdout} ${stderr}`.replace(/\s+/g, ' ')
    }
    await spoil('dues.xsd', 'h:Money', 'h:Mony')
    const before = await folderDigest(own)
    expect(await told('import', 'desk.wsdl')).toMatch(
      /^3 .*TM-2201 dues\.xsd:12:7 The type "\S+Mony" .*quoteDues can't be had.*\(7 can.*Nearest: "Money"/,
    )
    expect(await told('import', 'desk.wsdl', '--only', 'quote*')).toMatch(/^3 .*TM-2201/)
    expect(await folderDigest(own)).toBe(before)
    expect(await told('import', 'desk.wsdl', '--only', 'getBerth', '--generate')).toMatch(
      /^0 .* 1 operation.*note TM-2020 dues\.xsd:9:3 .*type "Quote"; operation "quoteDues"\. The type/,
    )
    expect(await told('call', 'desk.wsdl', 'quoteDues')).toMatch(/^3 .*TM-2201/)
    await spoil('harbour.xsd', 'h:BerthCode', 'h:BerthCod')
    const fresh = await folderDigest(own)
    expect(await told('refresh')).toMatch(/^3 .*TM-2201 harbour\.xsd.*getBerth can't be had/)
    expect(await folderDigest(own)).toBe(fresh)
  })

  test('a name that is taken needs --overwrite, which keeps the choices made', async () => {
    const again = await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])
    expect(again).toMatchObject({ code: 2 })
    expect(again.stderr).toMatch(/error TM-1004[\s\S]*--overwrite/)
    await writeFile(
      join(folder, 'tolmach.yaml'),
      (await readFile(join(folder, 'tolmach.yaml'), 'utf8')).replace(
        'class: BerthDesk',
        'class: Quay # our own word',
      ),
    )
    expect(
      (await tolmach(folder, ['import', demoWsdl, '--as', 'berths', '--overwrite'])).code,
    ).toBe(0)
    expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toContain(
      'class: Quay # our own word',
    )
  })

  test('unknown contract, operation, type, option, command: the nearest is offered', async () => {
    const told = async (...words: string[]): Promise<string> => {
      const { code, stderr } = await tolmach(folder, words)
      expect(code).toBe(2)
      return stderr.replace(/\s+/g, ' ')
    }
    expect(await told('show', 'berth')).toMatch(
      /TM-1001 There is no contract "berth".*Nearest: "berths"/,
    )
    expect(await told('call', 'berths', 'listBirths')).toMatch(
      /TM-1005 There is no operation "listBirths" in berths\. Nearest: "listBerths"/,
    )
    expect(await told('show', 'berths', 'Vesel')).toMatch(/TM-1005 .*Nearest: "Vessel"/)
    expect(await told('call', 'berths', 'listBerths', '--endpoint', 'DeskLine13')).toMatch(
      /TM-1005 There is no endpoint "DeskLine13".*"DeskLine1[12]"/,
    )
    expect(await told('call', 'berths', 'listBerths', '--colums', 'x')).toMatch(
      /TM-1011 There is no option --colums; perhaps you mean --columns\./,
    )
    expect(await told('shw')).toMatch(/TM-1011 There is no command "shw"; perhaps you mean .*show/)
    expect(await told('call', 'berths', 'listBerths', '--timeout', 'soon')).toMatch(
      /TM-1010 .*"soon" is not a time/,
    )
  })

  test('a project file with a mistake is told with its line', async () => {
    const broken = await freshFolder()
    await writeFile(
      join(broken, 'tolmach.yaml'),
      'tolmach: 1\ncontracts:\n  berths:\n    from: ./desk.wsdl\n    folder: src\n    ony: [listBerths]\n',
    )
    const { code, stderr } = await tolmach(broken, ['list'])
    expect(code).toBe(2)
    expect(stderr).toMatch(
      /error TM-1003 {2}tolmach\.yaml:6:\d+ .*"contracts\.berths\.ony" is not allowed/,
    )
    await writeFile(join(broken, 'tolmach.yaml'), 'tolmach: 1\ncontracts: [\n')
    expect((await tolmach(broken, ['list'])).stderr).toMatch(/error TM-1003 {2}tolmach\.yaml:\d/)
  })

  test('a snapshot that was changed is told, with the way to fetch it again', async () => {
    const spoilt = await freshFolder()
    await tolmach(spoilt, ['import', demoWsdl, '--as', 'berths'])
    const document = join(spoilt, 'snapshots/berths/documents/dues.xsd')
    await writeFile(document, (await readFile(document, 'utf8')).replace('Quote', 'Quota'))
    const { code, stderr } = await tolmach(spoilt, ['serve', 'berths'])
    expect(code).toBe(2)
    expect(stderr).toMatch(/error TM-1012[\s\S]*dues\.xsd was changed[\s\S]*--overwrite/)
  })
})

describe('inputs of the wrong shape are refused at every wrong place, and nothing is sent', () => {
  let requests = 0
  let server: Awaited<ReturnType<typeof startServer>>
  beforeAll(async () => {
    server = await startServer((_request, response) => {
      requests += 1
      response.end()
    })
  })
  afterAll(() => server.stop())

  test('places by path', async () => {
    const input = {
      Reservation: {
        Berth: 'quay 7',
        Vessel: { $is: 'Submarine', CallSign: 'BKM-001', Name: 5, Draught: null },
        Arrival: '2026-02-30T00:00:00',
        Nights: 70000,
        Remark: { language: 'en' },
        Service: ['water', 'champagne'],
        Flag: 'BM',
      },
      headers: { DeskKey: { Desk: 'x' } },
    }
    const { code, stdout } = await tolmach(
      repository,
      ['call', demoWsdl, 'reserveBerth', '--input', '-', '--url', server.url, '--json'],
      { input: JSON.stringify(input) },
    )
    expect(code).toBe(2)
    const { failure } = JSON.parse(stdout) as { failure: { kind: string; details: string[] } }
    expect(failure.kind).toBe('input')
    expect(failure.details).toEqual([
      'Reservation.Berth: must match [A-Z]{1,2}-\\d{1,3}, is "quay 7"',
      'Reservation.Vessel.$is: expected "Vessel" or "Ferry" or "Tug", got "Submarine"',
      'Reservation.Arrival: expected a date and time like 2026-11-23T14:30:00, got "2026-02-30T00:00:00"',
      'Reservation.Nights: expected a whole number (0 to 65535), got 70000',
      'Reservation.Remark.$text: is missing',
      'Reservation.Service[1]: expected one of "water", "shore power", "waste", "pilot", got "champagne"',
      'Reservation.Flag: is not known here; there are Berth, Vessel, Arrival, Nights, Remark, Service',
      'headers.DeskKey.Key: is missing',
    ])
    expect(requests).toBe(0)
  })

  test.each([
    ['a list', '[1, 2]', /TM-1009 .*an object is wanted, with the members Vessel, Nights, Tide/],
    ['broken JSON', '{"Vessel": "BKM-114",\n "Nights": }}', /TM-1009 standard input:2:\d+/],
    ['nothing at all', '', /Vessel: is missing.*Nights: is missing/],
  ])('%s', async (_what, text, words) => {
    const { code, stderr } = await tolmach(
      repository,
      ['call', demoWsdl, 'quoteDues', '--input', '-', '--url', server.url],
      { input: text },
    )
    expect(code).toBe(2)
    expect(stderr.replace(/\s+/g, ' ')).toMatch(words)
    expect(requests).toBe(0)
  })

  test('files that are not there', async () => {
    const words = [
      'call',
      demoWsdl,
      'attachManifest',
      '--with',
      'Number=1',
      '--with',
      'FileName=x',
      '--with',
      'Content={"$file": "gone.bin"}',
    ]
    expect((await tolmach(repository, words)).stderr).toMatch(
      /error TM-1007 {2}gone\.bin can't be read: there is no such file/,
    )
    expect(
      (await tolmach(repository, ['call', demoWsdl, 'listBerths', '--input', 'gone.json'])).code,
    ).toBe(2)
  })
})

describe('services that misbehave', () => {
  const envelope = (inside: string): string =>
    `<e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope"><e:Body>${inside}</e:Body></e:Envelope>`
  let server: Awaited<ReturnType<typeof startServer>>
  beforeAll(async () => {
    server = await startServer((request, response) => {
      const answers: Record<string, [number, string, string]> = {
        '/html500': [500, 'text/html', '<html><head><title>It broke</title></head></html>'],
        '/html200': [200, 'text/html', '<html><head><title>Welcome</title></head></html>'],
        '/login': [401, 'text/plain', ''],
        '/number': [
          200,
          'text/xml',
          envelope(
            '<quoteDuesResponse xmlns="urn:brackmouth:desk"><Quote><Amount>12,50</Amount></Quote></quoteDuesResponse>',
          ),
        ],
        '/cut': [200, 'text/xml', envelope('<quoteDuesResponse').slice(0, 60)],
        '/empty': [200, 'text/xml', ''],
        '/fault200': [
          200,
          'text/xml',
          envelope(
            '<e:Fault><e:Code><e:Value>e:Receiver</e:Value></e:Code><e:Reason><e:Text xml:lang="en">the ink is dry</e:Text></e:Reason></e:Fault>',
          ),
        ],
      }
      if (request.url === '/silent') return
      const [status, type, body] = answers[request.url ?? ''] ?? [404, 'text/plain', 'no']
      response
        .writeHead(status, {
          'content-type': type,
          ...(status === 401 ? { 'www-authenticate': 'Basic realm="desk"' } : {}),
        })
        .end(body)
    })
  })
  afterAll(() => server.stop())

  test.each([
    [
      'nobody listens',
      'http://127.0.0.1:9/',
      4,
      'TM-4002',
      'unreachable',
      /the connection was refused|bad port/,
    ],
    ['never answers', '/silent', 4, 'TM-4003', 'timeout', /within 0\.5 s/],
    [
      'HTML with 500',
      '/html500',
      1,
      'TM-4001',
      'fault',
      /HTTP 500 with an HTML page titled "It broke"/,
    ],
    [
      'HTML with 200',
      '/html200',
      5,
      'TM-4005',
      'breach',
      /promised was a SOAP envelope, but there came an HTML page titled "Welcome"/,
    ],
    ['wants a login', '/login', 4, 'TM-4004', 'login', /HTTP 401, offering Basic realm="desk"/],
    [
      'an answer that breaks the contract',
      '/number',
      5,
      'TM-4005',
      'breach',
      /Quote\.Amount: promised was a decimal number, but there came "12,50"/,
    ],
    ['an answer cut off', '/cut', 5, 'TM-4005', 'breach', /broken XML/],
    ['an empty answer', '/empty', 5, 'TM-4005', 'breach', /an empty body/],
    ['a fault that came with 200', '/fault200', 1, 'TM-4001', 'fault', /the ink is dry/],
  ])('%s', async (_what, path, code, message, kind, words) => {
    const url = path.startsWith('/') ? server.url + path : path
    const ran = await tolmach(repository, [
      'call',
      demoWsdl,
      'quoteDues',
      '--with',
      'Vessel=BKM-114',
      '--with',
      'Nights=3',
      '--url',
      url,
      '--timeout',
      '500ms',
      '--json',
    ])
    expect(ran.code).toBe(code)
    const { ok, failure } = JSON.parse(ran.stdout) as {
      ok: boolean
      failure: { kind: string; code: string; message: string }
    }
    expect({ ok, kind: failure.kind, code: failure.code }).toEqual({
      ok: false,
      kind,
      code: message,
    })
    expect(failure.message).toMatch(words)
  })

  test.each([
    ['nobody listens', 'http://127.0.0.1:1/desk?wsdl', 4, 'TM-2002'],
    ['a login', '/login', 4, 'TM-2004'],
    ['not found', '/nowhere', 3, 'TM-2005'],
    ['an HTML page', '/html200', 3, 'TM-2006'],
    ['silence', '/silent', 4, 'TM-2003'],
  ])('metadata from a server: %s', async (_what, path, code, message) => {
    const folder = await freshFolder()
    const ran = await tolmach(folder, [
      'import',
      path.startsWith('/') ? server.url + path : path,
      '--as',
      'desk',
      '--timeout',
      '500ms',
    ])
    expect(ran).toMatchObject({ code })
    expect(ran.stderr).toContain(`error ${message}`)
    expect(await readdir(folder)).toEqual([])
  })

  test('a far document may not read files of this machine', async () => {
    const far = await startServer(
      (_request, response) => void response.end(wsdl.replace('desk.xsd', 'file:///etc/passwd')),
    )
    const ran = await tolmach(await freshFolder(), [
      'import',
      `${far.url}/desk?wsdl`,
      '--as',
      'desk',
    ])
    await far.stop()
    expect(ran.code).toBe(3)
    expect(ran.stderr).toMatch(/error TM-2011[\s\S]*file:\/\/\/etc\/passwd/)
  })
})

test('whoever reads only the first lines does no harm', async () => {
  const shell = spawnSync(
    'sh',
    [
      '-c',
      `"${process.execPath}" dist/bin/main.js show demo/berths/desk.wsdl --json | head -n 1; "${process.execPath}" dist/bin/main.js`,
    ],
    { cwd: repository, encoding: 'utf8', env: { ...process.env, NODE_OPTIONS: '' } },
  )
  expect(shell.stdout).toBe('{\n')
  expect(shell.stderr).not.toMatch(/EPIPE|\n\s+at /)
  expect(shell.stderr).toContain('Usage: tolmach')
  expect(shell.status).toBe(2)
})

describe("the client's folder", () => {
  test('hand-edited files stop generate and are named; files of others are kept; --overwrite goes on', async () => {
    const folder = await freshFolder()
    await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])
    await tolmach(folder, ['generate'])
    const edited = join(folder, 'src/clients/berths/operations/getBerth.ts')
    await writeFile(edited, `${await readFile(edited, 'utf8')}// mine\n`)
    await writeFile(join(folder, 'src/clients/berths/notes.md'), 'mine too')
    const before = await folderDigest(folder)
    const stopped = await tolmach(folder, ['generate', 'berths'])
    expect(stopped).toMatchObject({ code: 2 })
    expect(stopped.stderr).toMatch(/error TM-3001[\s\S]*operations\/getBerth\.ts[\s\S]*--overwrite/)
    expect(await folderDigest(folder)).toBe(before)
    expect(
      (await tolmach(folder, ['call', 'berths', 'getBerth', '--with', 'Code=N-1', '--preview']))
        .stderr,
    ).toContain('built aside for this call, because these files were edited by hand')
    expect((await tolmach(folder, ['generate', 'berths', '--overwrite'])).stdout).toContain(
      'changed: operations/getBerth.ts',
    )
    expect(await readFile(edited, 'utf8')).not.toContain('mine')
    expect(await readFile(join(folder, 'src/clients/berths/notes.md'), 'utf8')).toBe('mine too')
  })

  test("a folder with somebody's files in it is not taken over", async () => {
    const folder = await freshFolder()
    await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])
    await mkdir(join(folder, 'src/clients/berths'), { recursive: true })
    await writeFile(join(folder, 'src/clients/berths/index.ts'), '// precious')
    const refused = await tolmach(folder, ['generate'])
    expect(refused).toMatchObject({ code: 2 })
    expect(refused.stderr).toContain('error TM-3002')
    expect(await readFile(join(folder, 'src/clients/berths/index.ts'), 'utf8')).toBe('// precious')
  })
})
