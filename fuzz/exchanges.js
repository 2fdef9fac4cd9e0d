import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { build } from 'esbuild'
import { buildClient } from '../dist/app/generate-client.js'
import { openContract } from '../dist/app/contracts/open-contract.js'
import { serveContracts } from '../dist/app/serve-contracts.js'
import { operationsOf } from '../dist/contract/queries.js'
import { dialectNamed } from '../dist/dialects/registry.js'
import { readInput } from '../dist/exercise/input.js'
import { loadClient } from '../dist/exercise/run-client.js'
import { sampleInput } from '../dist/exercise/sample.js'
import { CallFailure } from '../dist/runtime/failures.js'
import { toPlain } from '../dist/runtime/plain.js'
import { pick, spoiledExchange, spoiledTarget } from './mutations.js'

/** Nobody waits longer than this for a call, in milliseconds: against hanging only. */
const timeLimit = 60_000

/**
 * Fixtures that play: a stand-in for each, with a generated client that calls it through `fetch`,
 * which the fuzzer replaces for each call.
 *
 * @param files where their metadata is
 * @returns the fixtures, with what ends them
 */
export async function startFixtures(files) {
  const folder = await mkdtemp(join(tmpdir(), 'tolmach-fuzz-'))
  const opened = []
  for (const file of files) {
    // Some fixtures are there to be refused.
    const open = await openContract(file).catch(() => undefined)
    if (open === undefined || operationsOf(open.contract).length === 0) continue
    const { files: pages, names } = await buildClient(open)
    const entry = await writeOwnPages(join(folder, String(opened.length)), pages)
    opened.push({ file, open, entry, className: names.class })
  }
  await bundleAll(opened.map(({ entry }) => entry))
  const fixtures = []
  for (const { file, open, entry, className } of opened) {
    const standIn = await serveContracts([file])
    const { service } = standIn.addresses[0]
    const way = { send: undefined }
    const client = await loadClient(bundleOf(entry), className, {
      url: service,
      timeLimit,
      fetch: (address, init) => way.send(String(address), init),
    })
    const rules = (await dialectNamed(open.contract.dialect)).rules?.(open.contract)
    fixtures.push({
      name: open.name,
      contract: open.contract,
      rules,
      operations: operationsOf(open.contract),
      client,
      way,
      standIn,
      port: Number(new URL(service).port),
    })
  }
  const stop = async () => {
    for (const { standIn } of fixtures) await standIn.stop()
    await rm(folder, { recursive: true })
  }
  return { fixtures, stop }
}

/** A runtime that all clients share, because each bundle with one of its own takes long to make. */
const sharedRuntime = {
  name: 'shared runtime',
  setup({ onResolve }) {
    onResolve({ filter: /\/runtime\// }, ({ path }) => ({
      path: new URL(path.replace(/^.*\/runtime\//, '../dist/runtime/'), import.meta.url).href,
      external: true,
    }))
  },
}

/** Writes the pages of a client, but for its runtime; gives the one to begin with. */
async function writeOwnPages(folder, pages) {
  for (const { path, text } of pages.filter((page) => !page.path.startsWith('runtime/'))) {
    await mkdir(dirname(join(folder, path)), { recursive: true })
    await writeFile(join(folder, path), text)
  }
  return join(folder, 'index.ts')
}

const bundleOf = (entry) => entry.replace(/\.ts$/, '.mjs')

async function bundleAll(entries) {
  const outdir = dirname(dirname(entries[0]))
  await build({
    entryPoints: entries,
    bundle: true,
    outdir,
    outbase: outdir,
    outExtension: { '.js': '.mjs' },
    format: 'esm',
    plugins: [sharedRuntime],
  })
}

/** A call that is as it should be, with the given way to send it. */
async function callThrough({ contract, rules, client, way }, operation, full, send) {
  way.send = send
  const input = await readInput(
    contract,
    operation,
    sampleInput(contract, operation, { full, rules }),
    [],
    () => new Uint8Array(),
  )
  return client.call(operation, input, { mostRows: 100 })
}

/**
 * Calls an operation, and spoils what the stand-in answers.
 *
 * @returns how it went: `value`, or the kind of the failure
 * @throws whatever the client throws that is none of its failures, and where values can't be shown
 */
export async function answerOutcome(fixture, random) {
  const operation = pick(fixture.operations, random)
  const result = await callThrough(fixture, operation, random() < 0.5, async (address, init) =>
    spoiledResponse(await fetch(address, init), random),
  )
  // A mistake of the fuzzer's own is none of the client's.
  if (result.failure?.cause instanceof FuzzerFailure) throw result.failure.cause
  if ('failure' in result && !(result.failure instanceof CallFailure)) throw result.failure
  if (result.failure?.kind === 'timeout') throw result.failure
  if ('value' in result) JSON.stringify(toPlain(result.value))
  return {
    result: 'failure' in result ? result.failure.kind : 'value',
    operation,
  }
}

class FuzzerFailure extends Error {}

async function spoiledResponse(response, random) {
  const bytes = new Uint8Array(await response.arrayBuffer())
  const { status, headers, body } = spoiledExchange(
    { status: response.status, headers: Object.fromEntries(response.headers), body: bytes },
    random,
  )
  try {
    return new Response([204, 205, 304].includes(status) ? null : body, {
      status,
      headers: carried(headers),
    })
  } catch (error) {
    throw new FuzzerFailure('no answer', { cause: error })
  }
}

/** The headers that HTTP can carry. */
function carried(headers) {
  const all = new Headers()
  for (const [name, value] of Object.entries(headers)) {
    try {
      all.append(name, value)
    } catch {
      // Nobody can send it.
    }
  }
  return all
}

/**
 * Spoils the request of a call, and sends that to the stand-in.
 *
 * @returns how it was answered: `answered`, or the status
 * @throws when the stand-in fails, or says nothing of why it refuses
 */
export async function requestOutcome(fixture, random) {
  const operation = pick(fixture.operations, random)
  let sent
  await callThrough(fixture, operation, random() < 0.5, (address, init) => {
    sent = {
      address,
      method: init?.method ?? 'GET',
      headers: Object.fromEntries(new Headers(init?.headers)),
      body: bytesOf(init?.body),
    }
    return Promise.reject(new FuzzerFailure('kept'))
  })
  if (sent === undefined) return { result: 'not sent', operation }
  const { pathname, search } = new URL(sent.address)
  const { headers, body } = spoiledExchange({ ...sent, status: 200 }, random)
  const target = spoiledTarget(pathname + search, random)
  const method =
    random() < 0.1
      ? pick(
          ['GET', 'PUT', 'POST', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS', 'TRACE', 'QUERY', 'MKCOL'],
          random,
        )
      : sent.method
  const answer = await rawAnswer(fixture.port, { method, target, headers, body })
  if (answer === undefined) return { result: 'not sent', operation }
  if (answer.status >= 500 && answer.body.includes("The stand-in can't answer this"))
    throw new Error(`${method} ${target}: ${answer.body}`)
  if (answer.status >= 400 && answer.body === '' && method !== 'HEAD')
    throw new Error(`${method} ${target}: ${String(answer.status)}, and no reason`)
  return {
    result: answer.status < 400 ? 'answered' : String(answer.status),
    operation,
  }
}

function bytesOf(body) {
  if (body instanceof Uint8Array) return body
  if (typeof body === 'string') return new TextEncoder().encode(body)
  return new Uint8Array()
}

/** What the stand-in answers to a request that is sent as it is; undefined where it can't be. */
function rawAnswer(port, { method, target, headers, body }) {
  return new Promise((resolve, reject) => {
    let asked
    try {
      const own = Object.fromEntries(
        Object.entries(headers).filter(
          ([name]) =>
            !['content-length', 'transfer-encoding', 'expect', 'connection', 'upgrade'].includes(
              name.toLowerCase(),
            ),
        ),
      )
      asked = request({
        host: '127.0.0.1',
        port,
        path: target,
        method,
        headers: { ...own, 'content-length': String(body.length), connection: 'close' },
      })
    } catch {
      resolve(undefined)
      return
    }
    asked.on('error', reject).on('response', (response) => {
      const pieces = []
      response
        .on('data', (piece) => pieces.push(piece))
        .on('end', () =>
          resolve({ status: response.statusCode ?? 0, body: Buffer.concat(pieces).toString() }),
        )
    })
    asked.setTimeout(20_000, () => asked.destroy(new Error(`${method} ${target}: no answer`)))
    asked.end(body)
  })
}
