import { existsSync, readFileSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { parse } from 'jsonc-parser'
import { getTsconfig, parseTsconfig, type TsConfigJsonResolved } from 'get-tsconfig'

/** What a project says of how its programs are compiled and run, as far as it says it. */
export interface ProjectSetup {
  /** The project's folder. */
  readonly folder: string
  readonly runtime: 'node' | 'bun' | 'deno'
  /** Does Node.js run TypeScript as it stands (type stripping)? */
  readonly nodeStrips: boolean
  readonly packageFile: PackageFile | undefined
  /** The version of the TypeScript that is installed. */
  readonly compiler: string | undefined
  readonly config: CompilerConfig | undefined
  /** Why `tsconfig.json` can't be read. */
  readonly configTrouble: string | undefined
  /** Is a package there to be imported? */
  isInstalled(name: string): boolean
}

/** The nearest package.json, upwards. */
export interface PackageFile {
  readonly folder: string
  /** Of which kind its `.js` files are; undefined where it does not say. */
  readonly type: string | undefined
  /** What it depends on, also for developing. */
  readonly packages: ReadonlySet<string>
}

/** The nearest tsconfig.json, upwards, with what it extends. */
export interface CompilerConfig {
  readonly folder: string
  readonly options: NonNullable<TsConfigJsonResolved['compilerOptions']>
}

/**
 * Looks at the project around a folder. Reads files, runs nothing.
 *
 * @param folder the project's folder
 */
export function projectSetup(folder: string): ProjectSetup {
  const runtime = runtimeOf(folder)
  const packageFile = runtime === 'deno' ? denoFile(folder) : nearestPackageFile(folder)
  const compiler = installed(folder, 'typescript')
  return {
    folder,
    runtime,
    nodeStrips: Boolean((process.features as { readonly typescript?: unknown }).typescript),
    packageFile,
    compiler,
    ...compilerConfig(folder),
    isInstalled: (name) =>
      runtime === 'deno'
        ? packageFile?.packages.has(name) === true
        : installed(folder, name) !== undefined,
  }
}

const marks: readonly (readonly [runtime: 'bun' | 'deno', files: readonly string[]])[] = [
  ['deno', ['deno.json', 'deno.jsonc', 'deno.lock']],
  ['bun', ['bun.lock', 'bun.lockb', 'bunfig.toml']],
]

function runtimeOf(folder: string): ProjectSetup['runtime'] {
  const found = marks.find(([, files]) => files.some((file) => existsSync(join(folder, file))))
  return found?.[0] ?? 'node'
}

/** What Deno knows of packages: it gets them itself, by what its own file says. */
function denoFile(folder: string): PackageFile {
  const files = ['deno.json', 'deno.jsonc'].map((name) => jsonFile(join(folder, name)))
  const { imports } = files.find((each) => each !== undefined) ?? {}
  const names = typeof imports === 'object' && imports !== null ? Object.keys(imports) : []
  return { folder, type: 'module', packages: new Set(names) }
}

/** A folder and those around it. */
function* upwards(folder: string): Generator<string> {
  for (let at = folder; ; at = dirname(at)) {
    yield at
    if (dirname(at) === at) return
  }
}

function nearestPackageFile(start: string): PackageFile | undefined {
  const { folder, about } = nearestPackage(start) ?? {}
  if (folder === undefined || about === undefined) return undefined
  const { type, dependencies, devDependencies } = about
  const packages = [dependencies, devDependencies].flatMap((each) =>
    typeof each === 'object' && each !== null ? Object.keys(each) : [],
  )
  return { folder, type: typeof type === 'string' ? type : undefined, packages: new Set(packages) }
}

/** The nearest package.json, upwards, as it stands. */
export function nearestPackage(
  start: string,
): { readonly folder: string; readonly about: Readonly<Record<string, unknown>> } | undefined {
  for (const folder of upwards(start)) {
    const about = jsonFile(join(folder, 'package.json'))
    if (about !== undefined) return { folder, about }
  }
  return undefined
}

/** The version of a package as the files of a folder would find it; undefined where they don't. */
function installed(start: string, name: string): string | undefined {
  return installedPackage(start, name)?.version
}

/**
 * A package as the files of a folder would find it.
 *
 * @returns where it is, and its version; undefined where they would not find it
 */
export function installedPackage(
  start: string,
  name: string,
): { readonly folder: string; readonly version: string } | undefined {
  for (const at of upwards(start)) {
    const folder = join(at, 'node_modules', name)
    const about = jsonFile(join(folder, 'package.json'))
    if (about !== undefined) return { folder, version: String(about['version']) }
  }
  return undefined
}

/** The object in a file of JSON, which may have comments; undefined where there is none. */
function jsonFile(path: string): Readonly<Record<string, unknown>> | undefined {
  try {
    const value: unknown = parse(readFileSync(path, 'utf8').replace(/^\uFEFF/, ''))
    return typeof value === 'object' && value !== null ? { ...value } : undefined
  } catch {
    return undefined
  }
}

function compilerConfig(folder: string): Pick<ProjectSetup, 'config' | 'configTrouble'> {
  try {
    const found = getTsconfig(folder)
    if (found === null) return { config: undefined, configTrouble: undefined }
    const { path, config } = withPrograms(found.path, found.config)
    const { compilerOptions: options = {} } = config
    return { config: { folder: dirname(path), options }, configTrouble: undefined }
  } catch (error) {
    const reason = error instanceof Error ? error.message : String(error)
    return { config: undefined, configTrouble: reason.replaceAll(`${folder}/`, '') }
  }
}

/** A configuration that only names others stands for the first of those. */
function withPrograms(
  path: string,
  config: TsConfigJsonResolved,
): { readonly path: string; readonly config: TsConfigJsonResolved } {
  const [first] = config.references ?? []
  if (first === undefined || config.files?.length !== 0) return { path, config }
  const named = join(dirname(path), first.path)
  const file = named.endsWith('.json') ? named : join(named, 'tsconfig.json')
  return { path: file, config: parseTsconfig(file) }
}

/** A path as a person in a folder would type it. */
export function typedPath(folder: string, path: string): string {
  return (relative(folder, path) || '.').replaceAll('\\', '/')
}
