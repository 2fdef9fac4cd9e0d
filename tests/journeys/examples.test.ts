import { execFile } from 'node:child_process'
import { once } from 'node:events'
import { copyFile, readdir, readFile, symlink, writeFile } from 'node:fs/promises'
import { get, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { build } from 'esbuild'
import type { FastifyInstance } from 'fastify'
import { inBrowser } from '../support/browser.js'
import {
  demoWsdl,
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
} from '../support/program.js'
import { hasViewers } from '../support/viewers.js'

const execute = promisify(execFile)
const examples = join(repository, 'docs/examples/programs')

let folder: string
let standIn: Awaited<ReturnType<typeof startStandIn>>

/** What an example exports, compiled. */
async function made<Module>(name: string): Promise<Module> {
  return (await import(join(folder, 'build', `${name}.js`))) as Module
}

beforeAll(async () => {
  standIn = await startStandIn()
  folder = await freshFolder()
  expect((await tolmach(folder, ['import', demoWsdl, '--as', 'berths', '--generate'])).code).toBe(0)
  for (const name of await readdir(examples))
    await copyFile(join(examples, name), join(folder, 'src', name))
  await symlink(join(repository, 'node_modules'), join(folder, 'node_modules'))
  await writeFile(join(folder, 'package.json'), '{"type":"module"}')
  const compilerOptions = {
    module: 'nodenext',
    target: 'es2022',
    strict: true,
    skipLibCheck: true,
    types: ['node'],
    rootDir: 'src',
    outDir: 'build',
  }
  await writeFile(
    join(folder, 'tsconfig.json'),
    JSON.stringify({ compilerOptions, include: ['src'] }),
  )
  const compiler = join(repository, 'node_modules/typescript-7/bin/tsc')
  const { stdout } = await execute(process.execPath, [compiler], { cwd: folder }).catch(
    (error: { stdout: string }) => error,
  )
  expect(stdout).toBe('')
}, 60_000)
afterAll(() => standIn.stop())

type Settings = Readonly<Record<string, unknown>>

test('a web server: answers, failures as statuses, and a call that ends when the visitor leaves', async () => {
  const { berthServer } = await made<{ berthServer(settings: Settings): Server }>('server')
  const listening = async (settings: Settings): Promise<[string, Server]> => {
    const server = berthServer(settings).listen(0, '127.0.0.1')
    await once(server, 'listening')
    return [`http://127.0.0.1:${String((server.address() as AddressInfo).port)}`, server]
  }
  const [url, server] = await listening({ url: standIn.service })
  expect(await (await fetch(`${url}/?code=S-3`)).json()).toMatchObject({
    Code: 'S-3',
    Name: 'Quai Élan',
  })
  expect((await fetch(`${url}/?code=S-99`)).status).toBe(404)
  expect((await fetch(`${url}/?code=nonsense`)).status).toBe(400)
  server.close()
  let isAborted: (value: unknown) => void = () => undefined
  const aborted = new Promise((resolve) => (isAborted = resolve))
  const silent: typeof fetch = (_input, init) =>
    new Promise((_resolve, reject) => {
      init?.signal?.addEventListener('abort', () => {
        isAborted('aborted')
        reject(new Error('aborted'))
      })
    })
  const [slow, second] = await listening({ url: standIn.service, fetch: silent })
  const visit = get(`${slow}/?code=S-3`, (_response: IncomingMessage) => undefined)
  visit.on('error', () => undefined)
  setTimeout(() => visit.destroy(), 200)
  expect(await aborted).toBe('aborted')
  second.close()
  const [away, third] = await listening({ url: 'http://127.0.0.1:1/' })
  expect((await fetch(`${away}/?code=S-3`)).status).toBe(503)
  third.close()
})

test('Fastify, and a function of the platform', async () => {
  const { berthApplication } = await made<{
    berthApplication(settings: Settings): FastifyInstance
  }>('fastify')
  const application = berthApplication({ url: standIn.service })
  const served = await application.listen({ host: '127.0.0.1', port: 0 })
  const asked = (code: string): Promise<Response> => fetch(`${served}/berths/${code}`)
  expect(await (await asked('S-3')).json()).toMatchObject({ Name: 'Quai Élan' })
  expect([(await asked('S-99')).status, (await asked('x')).status]).toEqual([404, 400])
  await application.close()
  const { berthHandler } = await made<{
    berthHandler(settings: Settings): (request: Request) => Promise<Response>
  }>('function')
  const handle = berthHandler({ url: standIn.service })
  expect(await (await handle(new Request('http://f/?code=S-3'))).json()).toMatchObject({
    Name: 'Quai Élan',
  })
  expect((await handle(new Request('http://f/?code=S-99'))).status).toBe(404)
  const late = berthHandler({ url: standIn.service, timeLimit: '1ms' })
  expect((await late(new Request('http://f/?code=S-3'))).status).toBe(504)
})

test('spans without secrets, and a program of CommonJS', async () => {
  const { tracedDesk } = await made<{
    tracedDesk(
      hear: (span: object) => void,
      settings: Settings,
    ): { getBerth(input: object): Promise<unknown> }
  }>('tracing')
  const spans: object[] = []
  const credential = { kind: 'basic', user: 'clerk', password: 'hushhush' }
  await tracedDesk((span) => spans.push(span), {
    url: `${standIn.service}?key=hushhush`,
    credential,
  }).getBerth({ Code: 'S-3' })
  expect(spans).toMatchObject([
    {
      name: 'POST',
      attributes: { 'http.response.status_code': 200, 'server.address': '127.0.0.1' },
    },
  ])
  expect(JSON.stringify(spans)).not.toContain('hushhush')
  const env = { ...process.env, NODE_OPTIONS: '', BERTHS_URL: standIn.service }
  const { stdout } = await execute(process.execPath, ['build/required.cjs'], { cwd: folder, env })
  expect(stdout).toBe('Quai Élan\n')
})

;(hasViewers ? test : test.skip)(
  'a page in a browser',
  async () => {
    await build({
      entryPoints: [join(folder, 'src/page.ts')],
      bundle: true,
      format: 'esm',
      outfile: join(folder, 'page.js'),
    })
    const script = await readFile(join(folder, 'page.js'), 'utf8')
    // The stand-in allows no pages of others; a server of our own stands between.
    const site = await startServer((request, response, body) => {
      const page = `<!doctype html><meta charset="utf-8"><body data-desk="/desk"><script type="module">${script}</script>`
      if (request.method !== 'POST')
        return void response.setHeader('content-type', 'text/html; charset=utf-8').end(page)
      const headers = { 'content-type': request.headers['content-type'] ?? '' }
      void fetch(standIn.service, { method: 'POST', headers, body }).then(async (answer) => {
        response.setHeader('content-type', answer.headers.get('content-type') ?? '')
        response.end(await answer.text())
      })
    })
    const [items, ...errors] = await inBrowser(site.url, async (page) => {
      await page.waitForSelector('li', { timeout: 20_000 })
      return page.$$eval('li', (all) => all.map((item) => item.textContent))
    })
    await site.stop()
    expect(items).toContain('S-3 Quai Élan')
    expect(errors).toEqual([])
  },
  60_000,
)
