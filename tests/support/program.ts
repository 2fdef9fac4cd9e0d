import { afterAll } from '@jest/globals'
import { fork, spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { mkdtemp, realpath } from 'node:fs/promises'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'

/** The folder of the repository. */
export const repository: string = resolve('.')
export const demoWsdl: string = join(repository, 'demo', 'berths', 'desk.wsdl')

export interface Ran {
  readonly code: number
  readonly stdout: string
  readonly stderr: string
}

/** A fresh folder for a test. */
export async function freshFolder(): Promise<string> {
  return realpath(await mkdtemp(join(tmpdir(), 'tolmach-test-')))
}

let cache: string | undefined

async function environment(more: Readonly<Record<string, string>> = {}) {
  cache ??= await freshFolder()
  return {
    ...process.env,
    XDG_CACHE_HOME: cache,
    NO_COLOR: '1',
    COLUMNS: '120',
    NODE_OPTIONS: '',
    ...more,
  }
}

interface StepOptions {
  /** What it reads from standard input. */
  readonly input?: string
  readonly env?: Readonly<Record<string, string>>
}

/** What Node reads when it starts, and never again. */
const readByNode = ['NODE_OPTIONS', 'NODE_EXTRA_CA_CERTS']

/**
 * Runs a command line in a folder. All those of a suite run in one process, by the entry that the
 * program has; those with colours in another one.
 */
export async function tolmach(
  cwd: string,
  words: readonly string[],
  options: StepOptions = {},
): Promise<Ran> {
  const { input = '', env = {} } = options
  if (readByNode.some((name) => name in env)) return startTolmach(cwd, words, options)
  const colours = JSON.stringify([env['NO_COLOR'], env['FORCE_COLOR']])
  const steps = processes.get(colours) ?? startSteps(env)
  processes.set(colours, steps)
  const { child, waiting } = await steps
  const id = (counted += 1)
  const whole = await environment(env)
  return new Promise((done) => {
    waiting.set(id, done)
    child.send({ id, cwd, words, env: whole, input })
  })
}

/**
 * Starts the built program in a folder, as a person would: for what only a process shows, such as
 * what it looks at when it starts.
 */
export async function startTolmach(
  cwd: string,
  words: readonly string[],
  { input = '', env }: StepOptions = {},
): Promise<Ran> {
  const child = spawn(process.execPath, [join(repository, 'dist', 'bin', 'main.js'), ...words], {
    cwd,
    env: await environment(env),
  })
  let stdout = ''
  let stderr = ''
  child.stdout.on('data', (chunk: Buffer) => (stdout += chunk.toString()))
  child.stderr.on('data', (chunk: Buffer) => (stderr += chunk.toString()))
  child.stdin.end(input)
  const code = await new Promise<number>((done) => child.on('close', (exit) => done(exit ?? -1)))
  return { code, stdout, stderr }
}

interface Steps {
  readonly child: ChildProcess
  readonly waiting: Map<number, (ran: Ran) => void>
}
const processes = new Map<string, Promise<Steps>>()
let counted = 0

async function startSteps(env: Readonly<Record<string, string>>): Promise<Steps> {
  const child = fork(join(repository, 'tests', 'support', 'steps-in-one-process.mjs'), {
    env: await environment(env),
    execArgv: [],
  })
  const waiting = new Map<number, (ran: Ran) => void>()
  const ended = once(child, 'exit').then(() => Promise.reject(new Error('the steps ended at once')))
  await Promise.race([once(child, 'message'), ended])
  child.on('message', ({ id, ...ran }: Ran & { id: number }) => {
    waiting.get(id)?.(ran)
    waiting.delete(id)
  })
  child.on('exit', (code) => {
    for (const done of waiting.values())
      done({ code: -1, stdout: '', stderr: `the process of the steps ended with ${code}` })
  })
  return { child, waiting }
}

afterAll(async () => {
  for (const steps of processes.values()) (await steps).child.kill()
})

/** A running stand-in of a contract of the demo world, in a process of its own. */
export async function startStandIn(
  document = 'berths/desk.wsdl',
  further: readonly string[] = [],
): Promise<{ service: string; metadata: string; stop: () => void }> {
  const demo = join(repository, 'demo')
  return startServing(await freshFolder(), [
    join(demo, document),
    '--seed',
    join(demo, dirname(document), 'seed.yaml'),
    ...further,
  ])
}

/** A running stand-in, in a process of its own. */
export async function startServing(
  cwd: string,
  words: readonly string[],
): Promise<{ service: string; metadata: string; stop: () => void }> {
  const main = join(repository, 'dist', 'bin', 'main.js')
  const child = spawn(process.execPath, [main, 'serve', ...words, '--json'], {
    cwd,
    env: { ...process.env, NODE_OPTIONS: '' },
  })
  let printed = ''
  const address = await new Promise<{ service: string; metadata: string }>((done, fail) => {
    child.stdout.on('data', (chunk: Buffer) => {
      printed += chunk.toString()
      if (!printed.trimEnd().endsWith('}')) return
      done(
        (JSON.parse(printed) as { addresses: { service: string; metadata: string }[] })
          .addresses[0] ?? { service: '', metadata: '' },
      )
    })
    child.on('close', () => fail(new Error(`the stand-in ended: ${printed}`)))
  })
  return { ...address, stop: () => void child.kill() }
}

/** A server of the test's own on loopback. */
export async function startServer(
  answer: (request: IncomingMessage, response: ServerResponse, body: string, bytes: Buffer) => void,
): Promise<{ url: string; stop: () => Promise<void> }> {
  const server = createServer((request, response) => {
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () =>
      answer(request, response, Buffer.concat(chunks).toString(), Buffer.concat(chunks)),
    )
  })
  // A caller that is busy with a large answer finds its connection as it left it.
  server.keepAliveTimeout = 0
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    stop: () =>
      new Promise((done) => {
        server.close(() => done())
        server.closeAllConnections()
      }),
  }
}

/** Waits until somebody answers at an address: a server that was just started. */
export async function isReached(url: string): Promise<void> {
  for (let tries = 0; tries < 200; tries += 1) {
    const isThere = await fetch(url).then(
      () => true,
      () => false,
    )
    if (isThere) return
    await new Promise((done) => setTimeout(done, 50))
  }
  throw new Error(`nobody answers at ${url}`)
}

/** Runs a command that must go well, silently, and gives the JSON it prints. */
export async function tolmachJson(
  cwd: string,
  words: readonly string[],
): Promise<Record<string, unknown>> {
  const { stdout, code, stderr } = await tolmach(cwd, [...words, '--json'])
  if (code !== 0 || stderr !== '')
    throw new Error(`tolmach ${words.join(' ')} ended with ${code}: ${stderr}${stdout}`)
  return JSON.parse(stdout) as Record<string, unknown>
}
