import { spawn } from 'node:child_process'
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

/** Runs the built program in a folder, as a person would. */
export async function tolmach(
  cwd: string,
  words: readonly string[],
  options: { input?: string; env?: Record<string, string> } = {},
): Promise<Ran> {
  cache ??= await freshFolder()
  const env = {
    ...process.env,
    XDG_CACHE_HOME: cache,
    NO_COLOR: '1',
    COLUMNS: '120',
    NODE_OPTIONS: '',
    ...options.env,
  }
  const child = spawn(process.execPath, [join(repository, 'dist', 'bin', 'main.js'), ...words], {
    cwd,
    env,
  })
  let stdout = ''
  let stderr = ''
  child.stdout.on('data', (chunk: Buffer) => (stdout += chunk.toString()))
  child.stderr.on('data', (chunk: Buffer) => (stderr += chunk.toString()))
  child.stdin.end(options.input ?? '')
  const code = await new Promise<number>((done) => child.on('close', (exit) => done(exit ?? -1)))
  return { code, stdout, stderr }
}

/** A running stand-in of a contract of the demo world, in a process of its own. */
export async function startStandIn(
  document = 'berths/desk.wsdl',
  further: readonly string[] = [],
): Promise<{ service: string; metadata: string; stop: () => void }> {
  const words = [
    join(repository, 'dist', 'bin', 'main.js'),
    'serve',
    join(repository, 'demo', document),
    '--seed',
    join(repository, 'demo', dirname(document), 'seed.yaml'),
    '--json',
    ...further,
  ]
  const child = spawn(process.execPath, words, {
    cwd: await freshFolder(),
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
