import { appendFile, cp } from 'node:fs/promises'
import type { ServerResponse } from 'node:http'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals'
import { freshFolder, repository, startServer, tolmach, tolmachJson } from '../support/program.js'

/** Three pages, each of which says in its own way where the next one is. */
const pages: Readonly<Record<string, (response: ServerResponse) => void>> = {
  'GET /buoys?colour=red': (response) =>
    response
      .setHeader('link', '</buoys?colour=red&at=2>; rel="self next", </buoys>; rel=first')
      .end('[{"name":"a"},{"name":"b"}]'),
  'GET /buoys?colour=red&at=2': (response) =>
    response
      .setHeader(
        'link',
        '</elsewhere>; rel=next; anchor="/other", <http://inside.example:81/buoys?at=3>; title="a, \\"b\\" <c>"; REL=Next',
      )
      .end('[]'),
  'GET /buoys?at=3': (response) => response.end('[{"name":"c"}]'),
  'GET /buoys?colour=many': (response) =>
    response
      .setHeader('link', '</buoys?at=3>; rel=next')
      .end(JSON.stringify(Array.from({ length: 100 }, () => ({ name: 'm' })))),
  'GET /buoys?colour=odd': (response) =>
    response.setHeader('link', '<http://[>; rel=next').end('[{"name":"o"}]'),
  'GET /lamps': (response) =>
    response.end('{"lamps":[{"watts":9007199254740993}],"page":{"next":7,"total":2}}'),
  'GET /lamps?after=7': (response) =>
    response.end('{"lamps":[{"watts":2}],"page":{"next":null,"total":2}}'),
  'GET /bells': (response) => response.setHeader('x-next', 'b/2').end('["deep"]'),
  'GET /bells?cursor=b%2F2': (response) => response.end('["high"]'),
  'POST /soundings {"depth":4}': (response) => response.end('{"found":[1,2],"from":3,"count":3}'),
  'POST /soundings {"depth":4,"page":{"from":3}}': (response) =>
    response.end('{"found":[5],"count":3}'),
}

describe('lists in pages', () => {
  let folder: string
  let server: Awaited<ReturnType<typeof startServer>>
  let asked: string[]

  const call = (operation: string, ...words: string[]): Promise<unknown> =>
    tolmachJson(folder, ['call', 'pages', operation, '--url', server.url, '--all', ...words])

  beforeAll(async () => {
    folder = await freshFolder()
    await cp(join(repository, 'tests/fixtures/openapi/pages.yaml'), join(folder, 'pages.yaml'))
    await tolmach(folder, ['import', 'pages.yaml'])
    server = await startServer((request, response, body) => {
      const line = `${request.method ?? ''} ${request.url ?? ''}${body === '' ? '' : ` ${body}`}`
      asked.push(`${line}${request.headers['x-who'] === undefined ? '' : ' by tug'}`)
      response.setHeader('content-type', 'application/json')
      const page = pages[line]
      if (page === undefined) response.writeHead(404).end()
      else page(response)
    })
  })
  beforeEach(() => {
    asked = []
  })
  afterAll(() => server.stop())

  test('a header Link leads on, at the host that is called, with the headers of the call', async () => {
    expect(await call('listBuoys', '--with', 'colour=red', '--header', 'x-who=tug')).toMatchObject({
      value: [{ name: 'a' }, { name: 'b' }, { name: 'c' }],
    })
    expect(asked).toEqual([
      'GET /buoys?colour=red by tug',
      'GET /buoys?colour=red&at=2 by tug',
      'GET /buoys?at=3 by tug',
    ])
  })

  test('what a link of the description takes from the body, or from a header, goes into its input', async () => {
    expect(await call('listLamps')).toMatchObject({
      value: [{ watts: '9007199254740993' }, { watts: '2' }],
    })
    expect(await call('listBells')).toMatchObject({ value: ['deep', 'high'] })
  })

  test('a next page at no address is a breach, which keeps the answer', async () => {
    const { code, stdout } = await tolmach(folder, [
      ...['call', 'pages', 'listBuoys', '--url', server.url, '--with', 'colour=odd', '--json'],
    ])
    expect({ code, ...(JSON.parse(stdout) as object) }).toMatchObject({
      code: 5,
      failure: { code: 'TM-4005', status: 200, answer: { text: '[{"name":"o"}]' } },
    })
  })

  test('no more pages are fetched than are looked at', async () => {
    const { code, stderr } = await tolmach(folder, [
      ...['call', 'pages', 'listBuoys', '--url', server.url, '--with', 'colour=many'],
    ])
    expect({ code, asked }).toEqual({ code: 0, asked: ['GET /buoys?colour=many'] })
    expect(stderr).toContain('There are more rows than these 100; --all fetches every page.')
  })

  test.each([
    ['{ getKeeper: { rows: /master } }', 'there is no list at /master in what it answers'],
    [
      '{ findSoundings: { into: body.page.from } }',
      'several lists (found, others): "rows" is missing',
    ],
    ['{ findSoundings: { rows: /found } }', 'an address is followed with GET'],
    ['{ listLamps: { next: /page/more, into: after } }', 'there is nothing at /page/more'],
    ['{ listLamps: { into: before } }', 'it has no input before'],
    ['{ listLamp: {} }', 'Nearest: "listLamps"'],
  ])('%s in tolmach.yaml is refused with the reason', async (pages, reason) => {
    const project = await freshFolder()
    await cp(folder, project, { recursive: true })
    await appendFile(join(project, 'tolmach.yaml'), `    pages: ${pages}\n`)
    const { code, stderr } = await tolmach(project, ['show', 'pages'])
    expect(code).toBe(2)
    expect(stderr.replace(/\s+/g, ' ')).toContain(reason)
  })

  test('tolmach.yaml says what the description does not', async () => {
    expect(await call('findSoundings', '--with', 'body.depth=4')).toMatchObject({
      value: { found: [1, 2], from: 3 },
    })
    const project = await freshFolder()
    await cp(folder, project, { recursive: true })
    await appendFile(
      join(project, 'tolmach.yaml'),
      '    pages:\n      findSoundings: { rows: /found, next: /from, into: body.page.from, total: /count }\n',
    )
    asked = []
    expect(
      await tolmachJson(project, [
        ...['call', 'pages', 'findSoundings', '--url', server.url, '--all'],
        ...['--with', 'body.depth=4'],
      ]),
    ).toMatchObject({ value: [1, 2, 5] })
    expect(asked).toEqual(Object.keys(pages).slice(-2))
  })
})
