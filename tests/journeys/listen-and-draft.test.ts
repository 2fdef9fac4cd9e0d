import { execFile } from 'node:child_process'
import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { inBrowser } from '../support/browser.js'
import { complaints } from '../support/compilers.js'
import { harErrors } from '../support/har.js'
import { startListening } from '../support/listening.js'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  tolmachJson,
} from '../support/program.js'

const execute = promisify(execFile)
const secret = 'hushhush-4711'

let folder: string
let standIn: Awaited<ReturnType<typeof startStandIn>>

beforeAll(async () => {
  folder = await freshFolder()
  standIn = await startStandIn('ferries/openapi.yaml')
  const ferries = join(repository, 'demo/ferries/openapi.yaml')
  expect((await tolmach(folder, ['import', ferries, '--as', 'ferries'])).code).toBe(0)
})
afterAll(() => standIn.stop())

describe('a service without metadata: listen, draft, import, call', () => {
  test('what a program and a service say is kept, whole and without secrets', async () => {
    const listening = await startListening(folder, standIn.service, '--har', 'heard.har')
    const rehearsal = join(repository, 'demo/ferries/rehearsals/book.yaml')
    const played = await tolmach(folder, ['rehearse', rehearsal, '--url', listening.address])
    expect(played.code).toBe(0)
    for (const words of [
      ['sailings.search', '--with', 'days=["2027-07-15"]', '--with', 'room.cars=1'],
      ['sailings.search', '--with', 'days=["2027-07-15","2027-07-16"]', '--with', 'room.cars=2'],
      ['sailings.get', '--with', 'code=BRK-0716'],
      ['bookings.get', '--with', 'number=1'],
    ])
      await tolmach(folder, ['call', 'ferries', ...words, '--url', listening.address])
    const key = [
      '-s',
      '-H',
      `X-Api-Key: ${secret}`,
      `${listening.address}/bookings?token=${secret}`,
    ]
    await execute('curl', key)
    // It is whole at any time, whoever ends the program.
    const before = JSON.parse(await readFile(join(folder, 'heard.har'), 'utf8')) as object
    expect(before).toHaveProperty('log.entries')
    const heard = await listening.end()
    const text = await readFile(join(folder, 'heard.har'), 'utf8')
    const archive = JSON.parse(text) as { log: { entries: object[] } }
    expect(archive.log.entries).toHaveLength(heard.length)
    expect(heard.length).toBeGreaterThan(12)
    expect([text.includes(secret), JSON.stringify(heard).includes(secret)]).toEqual([false, false])
    expect(harErrors(archive)).toBeNull()
  }, 60_000)

  test('from that a description is drafted, whose client reads all of it again without a deviation', async () => {
    const drafted = await tolmachJson(folder, [
      'draft',
      'heard.har',
      '--as',
      'drafted',
      '--only',
      standIn.service,
    ])
    expect(drafted).toMatchObject({ file: 'drafted.yaml' })
    const yaml = await readFile(join(folder, 'drafted.yaml'), 'utf8')
    expect(yaml).not.toContain(secret)
    expect(yaml).toMatch(/ # whole numbers beyond 2\^53/)
    for (const words of [
      ['import', 'drafted.yaml', '--as', 'drafted'],
      ['generate', 'drafted'],
    ])
      expect((await tolmach(folder, words)).code).toBe(0)
    expect(await complaints(folder)).toBe('')
    const { log } = JSON.parse(await readFile(join(folder, 'heard.har'), 'utf8')) as {
      log: { entries: { request: { method: string }; response: { status: number } }[] }
    }
    const good = log.entries.filter(({ response: { status } }) => status < 300)
    await writeFile(join(folder, 'good.har'), JSON.stringify({ log: { ...log, entries: good } }))
    // Whoever watches by the drafted contract has nothing against what it was drafted from.
    const silent = await startServer((request, response) => {
      const found = log.entries.find(
        (entry) =>
          entry.request.method === request.method &&
          new URL((entry.request as unknown as { url: string }).url).pathname ===
            new URL(request.url ?? '', 'http://x').pathname &&
          !JSON.stringify(entry).includes('***'),
      ) as
        { response: { status: number; content: { text?: string; mimeType: string } } } | undefined
      response.writeHead(found?.response.status ?? 500, {
        'content-type': found?.response.content.mimeType ?? 'text/plain',
      })
      response.end(found?.response.content.text ?? '')
    })
    const base = new URL(standIn.service).pathname
    const watching = await startListening(folder, 'drafted', '--url', `${silent.url}${base}`)
    for (const entry of log.entries as unknown as {
      request: {
        method: string
        url: string
        headers: object[]
        postData?: { text: string; mimeType: string }
      }
    }[]) {
      const { method, url, postData } = entry.request
      if (JSON.stringify(entry).includes('***')) continue
      const { origin } = new URL(watching.address)
      await fetch(`${origin}${new URL(url).pathname}${new URL(url).search}`, {
        method,
        ...(postData === undefined
          ? {}
          : { body: postData.text, headers: { 'content-type': postData.mimeType } }),
      }).then((answer) => answer.arrayBuffer())
    }
    const watched = await watching.end()
    await silent.stop()
    expect(watched.length).toBeGreaterThan(8)
    expect(watched.flatMap(({ breaches }) => breaches)).toEqual([])
    expect(watched.every(({ operation }) => operation !== undefined)).toBe(true)
  }, 120_000)

  test('what is drafted is what the service is: operations, and members with their types', async () => {
    const compared = await tolmach(folder, [
      'compare',
      'ferries',
      'drafted.yaml',
      '--json',
      '--all',
    ])
    const { changes } = JSON.parse(compared.stdout) as {
      changes: {
        text: string
        subject: { kind: string; name: string }
      }[]
    }
    const gone = changes.filter(
      ({ text, subject }) => text === `${subject.name} is gone` && subject.kind === 'operation',
    )
    // Those that nobody called.
    expect(gone.map(({ subject }) => subject.name).sort()).toEqual([
      'bookings.downloadTicket',
      'bookings.lash',
      'bookings.uploadPassengers',
    ])
    // Nothing exact has become something that loses digits.
    const losing = changes.filter(({ text }) =>
      /was (?:int64|decimal)\b.* is (?:double|integer|number)/.test(text),
    )
    expect(losing).toEqual([])
  })
})

test('by a contract, what it does not allow is told while it passes', async () => {
  const deviant = await startServer((request, response) => {
    response.setHeader('content-type', 'application/json')
    response.end(request.url?.includes('/bookings') === true ? '[{"number":"x"}]' : '{}')
  })
  const watching = await startListening(folder, 'ferries', '--url', deviant.url)
  await fetch(`${watching.address}/bookings`)
  await fetch(`${watching.address}/nothing/of/it`)
  const [list, nothing] = await watching.end()
  await deviant.stop()
  expect(list).toMatchObject({ operation: 'bookings.list', status: 200 })
  expect(list?.['breaches']).toEqual(
    expect.arrayContaining([expect.stringMatching(/^the answer.*number/)]),
  )
  expect(nothing?.['breaches']).toEqual([expect.stringContaining('There is no path')])
}, 60_000)

test('a page in a browser is a program like others: what it asks is passed on, kept and drafted', async () => {
  const page = `<!doctype html><p id="p"></p><script type="module">
    const rows = await (await fetch('marks?day=2027-07-15')).json()
    const kept = await (await fetch('/api/marks', { method: 'POST', body: JSON.stringify(rows[0]),
      headers: { 'content-type': 'application/json', authorization: 'Bearer ' + /token=([^;]*)/.exec(document.cookie)[1] } })).json()
    p.textContent = [rows.length, kept.state, ...document.cookie.split('; ').sort()].join(' ')
  </script>`
  const service = await startServer((request, response, body) => {
    const isPage = request.url === '/api/'
    if (request.url === '/favicon.ico') return void response.writeHead(404).end('none')
    response.setHeader('set-cookie', [
      'sid=1; Path=/; Secure; SameSite=None',
      `token=${secret}; Path=/`,
    ])
    response.setHeader('content-type', isPage ? 'text/html' : 'application/json')
    if (isPage) response.end(page)
    else response.end(request.method === 'POST' ? body : '[{"state":"high","height":3.20}]')
  })
  const listening = await startListening(folder, `${service.url}/api`, '--har', 'page.har')
  const [seen, ...errors] = await inBrowser(`${listening.address}/`, async (shown) => {
    await shown.waitForFunction(() => document.querySelector('p')?.textContent !== '')
    return shown.$eval('p', (element) => element.textContent)
  })
  const heard = await listening.end()
  await service.stop()
  expect([seen, ...errors]).toEqual([`1 high sid=1 token=${secret}`])
  expect(heard.map(({ method, status }) => [method, status])).toEqual(
    expect.arrayContaining([
      ['GET', 200],
      ['POST', 200],
    ]),
  )
  expect(await readFile(join(folder, 'page.har'), 'utf8')).not.toContain(secret)
  const drafted = await tolmachJson(folder, ['draft', 'page.har', '--as', 'page'])
  expect(drafted['operations']).toEqual([
    { name: 'listMarks', count: 1 },
    { name: 'createMark', count: 1 },
  ])
  expect(await readFile(join(folder, 'page.yaml'), 'utf8')).toContain('scheme: bearer')
}, 60_000)

test('an address without a contract can be called as one with it; what it answers is no metadata', async () => {
  const service = await startServer((request, response, body) => {
    response.setHeader('content-type', 'application/json')
    response.end(
      `{"asked":${JSON.stringify(`${request.method ?? ''} ${request.url ?? ''} ${body}`)},"rows":[{"at":1,"mark":9007199254740993}]}`,
    )
  })
  const call = async (...words: string[]): Promise<string> => {
    const { stdout, stderr } = await tolmach(folder, ['call', ...words])
    return stdout === '' ? stderr.replace(/\s+/g, ' ') : stdout
  }
  expect(
    await call(`${service.url}/a?x=1&y=2&y=3`, 'GET', '--with', 'z=ä b', '--pick', '$.asked'),
  ).toBe('GET /a?x=1&y=2&y=3&z=%C3%A4%20b \n')
  expect(await call(`${service.url}/a`, 'POST', '--with', 'body.n=7', '--pick', '$.asked')).toBe(
    'POST /a {"n":7}\n',
  )
  await writeFile(join(folder, 'body.json'), '{"n":9007199254740993}')
  expect(await call(`${service.url}/a`, 'PUT', '--input', 'body.json', '--pick', '$.asked')).toBe(
    'PUT /a {"n":9007199254740993}\n',
  )
  expect(await call(`${service.url}/a`, 'GET', '--pick', '$.rows', '--columns', 'mark')).toContain(
    '9007199254740993',
  )
  expect(await call(`${service.url}/a`, 'DELETE', '--preview')).toContain('DELETE http')
  const refused = await tolmach(folder, ['import', `${service.url}/a`, '--as', 'x'])
  expect(refused.stderr.replace(/\s+/g, ' ')).toMatch(
    /TM-2021 .*looks like an answer.*tolmach call .* GET --har.*tolmach draft/,
  )
  await service.stop()
})

test('what can not be drafted is told, and nothing is written', async () => {
  const bare = await freshFolder()
  const refused = async (...words: string[]): Promise<string> => {
    const { code, stderr } = await tolmach(bare, ['draft', ...words])
    expect([code, stderr]).toEqual([2, expect.not.stringContaining('    at ')])
    return stderr
  }
  await writeFile(join(bare, 'page.html'), '<!doctype html><p>')
  await writeFile(join(bare, 'answer.json'), '{"a":1}')
  await writeFile(join(bare, 'deep.json'), `${'['.repeat(5000)}${']'.repeat(5000)}`)
  await writeFile(join(bare, 'empty.har'), '{"log":{"version":"1.2","entries":[]}}')
  await writeFile(join(bare, 'half.har'), '{"log":{"entries":[{"request":{}}]}}')
  expect(await refused('page.html', '--as', 'x')).toContain('TM-1049')
  expect(await refused('answer.json', '--as', 'x')).toContain('TM-1050')
  expect(await refused('empty.har', '--as', 'x')).toContain('TM-1051')
  expect(await refused('half.har', '--as', 'x')).toContain('TM-1049')
  expect(await refused('none.har', '--as', 'x')).toContain('TM-1007')
  const deep = await tolmach(bare, [
    'draft',
    'deep.json',
    '--request',
    'GET https://gauge.example/a',
    '--as',
    'deep',
  ])
  expect(deep.stderr).toContain('nested more than 200 deep')
  const request = ['--request', 'GET https://gauge.example/tides']
  expect((await tolmach(bare, ['draft', 'answer.json', ...request, '--as', 'gauge'])).code).toBe(0)
  const before = await readFile(join(bare, 'gauge.yaml'), 'utf8')
  await writeFile(join(bare, 'other.yaml'), 'notes: mine\n')
  expect(await refused('answer.json', ...request, '--as', 'other')).toContain('TM-1052')
  expect(await readFile(join(bare, 'other.yaml'), 'utf8')).toBe('notes: mine\n')
  expect(
    (await tolmach(bare, ['draft', 'answer.json', ...request, '--as', 'gauge'])).stdout,
  ).toContain('Nothing new came')
  expect(await readFile(join(bare, 'gauge.yaml'), 'utf8')).toBe(before)
})
