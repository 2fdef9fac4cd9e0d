import { fileURLToPath, pathToFileURL } from 'node:url'
import type { Operation } from '../contract/contract.js'
import { methodName } from '../naming/methods.js'
import type { Deviation } from '../runtime/failures.js'
import type { Exchange, Settings } from '../runtime/connection.js'

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
  /** The decoded value, or the failure that was thrown. */
  readonly value?: unknown
  readonly failure?: unknown
  readonly exchange: Exchange | undefined
  readonly deviations: readonly Deviation[]
  readonly milliseconds: number
}

/**
 * Sends one call through a bundled client: what an application would do, no more and no less.
 *
 * @param bundle the path of the bundled module
 * @param className the name of the client class in it
 */
export async function runClient(bundle: string, className: string, operation: Operation, input: unknown, settings: Settings): Promise<CallResult> {
  const module = (await import(pathToFileURL(bundle).href)) as Record<string, new (settings: Settings) => Record<string, unknown>>
  const Client = module[className]
  if (Client === undefined) throw new Error(`the client has no class ${className}`)
  const deviations: Deviation[] = []
  let exchange: Exchange | undefined
  const client = new Client({ ...settings, onDeviation: (deviation) => deviations.push(deviation), onExchange: (each) => (exchange = each) })
  const group = operation.path.slice(0, -1).reduce<Record<string, unknown>>((holder, step) => holder[step] as Record<string, unknown>, client)
  const method = group[methodName(operation)] as (this: unknown, input: unknown) => Promise<unknown>
  const started = performance.now()
  const milliseconds = (): number => Math.round(performance.now() - started)
  try {
    const value = await method.call(group, input)
    return { value, exchange, deviations, milliseconds: milliseconds() }
  } catch (failure) {
    return { failure, exchange, deviations, milliseconds: milliseconds() }
  }
}
