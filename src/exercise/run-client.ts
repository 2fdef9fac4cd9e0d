import { fileURLToPath, pathToFileURL } from 'node:url'
import type { Operation } from '../contract/contract.js'
import { groupName, methodName } from '../naming/methods.js'
import type { Deviation } from '../runtime/failures.js'
import type { Exchange, Settings } from '../runtime/connection.js'
import type { Listing } from '../runtime/odata/pages.js'

/**
 * Bundles a client's TypeScript into one module that Node can run.
 *
 * @param source the client's folder, or its files by path
 * @returns the module's text
 */
export async function bundleClient(source: string | Readonly<Record<string, string>>): Promise<string> {
  const { build } = await import('esbuild')
  const inMemory = typeof source === 'string' ? undefined : source
  const result = await build({
    entryPoints: [typeof source === 'string' ? `${source}/index.ts` : 'index.ts'],
    bundle: true,
    write: false,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    logLevel: 'silent',
    // A project that has not installed the client's packages yet can still call.
    alias: Object.fromEntries(['saxes', 'lossless-json'].map((name) => [name, fileURLToPath(import.meta.resolve(name))])),
    plugins: inMemory === undefined ? [] : [filesPlugin(inMemory)],
  })
  return result.outputFiles[0]?.text ?? ''
}

function filesPlugin(files: Readonly<Record<string, string>>): import('esbuild').Plugin {
  return {
    name: 'files',
    setup(build) {
      build.onResolve({ filter: /^\.|^index\.ts$/ }, ({ path, importer, kind }) => {
        if (kind !== 'entry-point' && importer.startsWith('/')) return undefined
        const resolved = new URL(path.replace(/\.js$/, '.ts'), `file:///${kind === 'entry-point' ? '' : importer}`).pathname.slice(1)
        return { path: resolved in files ? resolved : `${resolved}.ts`, namespace: 'files' }
      })
      build.onLoad({ filter: /.*/, namespace: 'files' }, ({ path }) => ({ contents: files[path] ?? '', loader: 'ts', resolveDir: fileURLToPath(new URL('.', import.meta.url)) }))
    },
  }
}

/** What came of a call through a generated client. */
export interface CallResult {
  /** The decoded value, or the failure that was thrown. Of a list that is fetched page by page: the rows that were wanted. */
  readonly value?: unknown
  readonly failure?: unknown
  /** Of such a list: are there more rows, and how many in all, where the service said it? */
  readonly more?: boolean
  readonly total?: number
  /** Everything that went over the wire, in order. */
  readonly exchanges: readonly Exchange[]
  readonly deviations: readonly Deviation[]
  readonly milliseconds: number
}

/**
 * Sends one call through a bundled client: what an application would do, no more and no less.
 *
 * @param bundle the path of the bundled module
 * @param className the name of the client class in it
 * @param mostRows at how many rows to stop, of a list that is fetched page by page
 */
export async function runClient(bundle: string, className: string, operation: Operation, input: unknown, settings: Settings, mostRows: number): Promise<CallResult> {
  const module = (await import(pathToFileURL(bundle).href)) as Record<string, new (settings: Settings) => Record<string, unknown>>
  const Client = module[className]
  if (Client === undefined) throw new Error(`the client has no class ${className}`)
  const deviations: Deviation[] = []
  const exchanges: Exchange[] = []
  const client = new Client({ ...settings, onDeviation: (deviation) => deviations.push(deviation), onExchange: (each) => exchanges.push(each) })
  const group = operation.path.slice(0, -1).reduce<Record<string, unknown>>((holder, step) => holder[groupName(step)] as Record<string, unknown>, client)
  const method = group[methodName(operation)] as (this: unknown, input: unknown) => unknown
  const started = performance.now()
  const milliseconds = (): number => Math.round(performance.now() - started)
  try {
    const outcome = method.call(group, input)
    const isIterable = operation.outcome.kind === 'value' && operation.outcome.iterable === true
    const isStream = operation.outcome.kind === 'value' && operation.outcome.stream === true
    const told = isStream ? await firstItems(outcome as AsyncIterable<unknown>, mostRows) : isIterable ? await firstRows(outcome as Listing<unknown>, mostRows) : { value: await outcome }
    return { ...told, exchanges, deviations, milliseconds: milliseconds() }
  } catch (failure) {
    return { failure, exchanges, deviations, milliseconds: milliseconds() }
  }
}

/** The first items of a sequence, which may have no end. */
async function firstItems(items: AsyncIterable<unknown>, most: number): Promise<{ value: unknown[]; more: boolean }> {
  const value: unknown[] = []
  for await (const item of items) {
    if (value.length >= most) return { value, more: true }
    value.push(item)
  }
  return { value, more: false }
}

/** The first rows of a list, from as many pages as that takes. */
async function firstRows(listing: Listing<unknown>, most: number): Promise<{ value: unknown[]; more: boolean; total?: number }> {
  const rows: unknown[] = []
  let total: number | undefined
  let more = false
  for await (const page of listing.pages()) {
    rows.push(...page.rows)
    total ??= page.total
    more = rows.length > most || page.next !== undefined
    if (rows.length >= most) break
  }
  return { value: rows.slice(0, most), more, ...(total === undefined ? {} : { total }) }
}
