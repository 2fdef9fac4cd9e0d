import { execFile } from 'node:child_process'
import { mkdtemp, mkdir, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import pMap from 'p-map'
import { problem } from '../../contract/problem.js'
import type { GeneratedFile } from '../../typescript/client.js'
import { packageFolder } from '../package-files.js'
import { installedPackage } from '../start/project-setup.js'

/** The oldest TypeScript that generated clients compile with. */
const oldest = [5, 4] as const
/** From these on declarations need no more than their own file, and nothing has to be checked. */
const isolating = [5, 5] as const
const unchecking = [5, 6] as const

/**
 * Compiles the sources of a package with the TypeScript of a project: to ES modules (ES2022), with
 * declarations and maps from these to the sources.
 *
 * @param projectFolder where TypeScript is looked for, upwards; then beside the tool itself
 * @param sources below `src/`
 * @returns the files that were made, by path below the package's folder
 * @throws Problem TM-1042 where no TypeScript is installed, or too old a one; TM-1043 where it did
 *   not compile
 */
export async function compilePackage(
  projectFolder: string,
  sources: readonly GeneratedFile[],
): Promise<GeneratedFile[]> {
  const compiler = compilerFor(projectFolder)
  const folder = await mkdtemp(join(tmpdir(), 'tolmach-pack-'))
  try {
    await writeSources(folder, sources, optionsFor(compiler.version))
    const said = await runCompiler(join(compiler.folder, 'bin', 'tsc'), folder)
    const wanted = sources.flatMap(({ path }) => madeOf(path))
    return await pMap(
      wanted,
      async (path) => ({
        path,
        text: await readFile(join(folder, path), 'utf8').catch(() => {
          throw problem('TM-1043', { version: compiler.version, reason: said || `no ${path}` })
        }),
      }),
      { concurrency: 32 },
    )
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

interface InstalledCompiler {
  readonly folder: string
  readonly version: string
}

function compilerFor(projectFolder: string): InstalledCompiler {
  const found =
    installedPackage(projectFolder, 'typescript') ?? installedPackage(packageFolder, 'typescript')
  if (found === undefined) throw problem('TM-1042', { found: 'none is installed here' })
  if (!isAtLeast(found.version, oldest))
    throw problem('TM-1042', { found: `${found.version} is installed here` })
  return found
}

function isAtLeast(version: string, [major, minor]: readonly [number, number]): boolean {
  const [ownMajor = 0, ownMinor = 0] = version.split('.').map(Number)
  return ownMajor > major || (ownMajor === major && ownMinor >= minor)
}

function optionsFor(version: string): object {
  return {
    target: 'es2022',
    module: 'es2022',
    moduleResolution: 'bundler',
    lib: ['es2022', 'dom', 'esnext.disposable'],
    types: [],
    rootDir: 'src',
    outDir: '.',
    declaration: true,
    declarationMap: true,
    strict: true,
    verbatimModuleSyntax: true,
    skipLibCheck: true,
    newLine: 'lf',
    ...(isAtLeast(version, isolating) ? { isolatedDeclarations: true } : {}),
    ...(isAtLeast(version, unchecking) ? { noCheck: true } : {}),
  }
}

async function writeSources(
  folder: string,
  sources: readonly GeneratedFile[],
  compilerOptions: object,
): Promise<void> {
  const config = { compilerOptions, include: ['src'], exclude: [] }
  await writeFile(join(folder, 'tsconfig.json'), JSON.stringify(config))
  await writeFile(join(folder, 'package.json'), '{"type":"module"}')
  await pMap(
    sources,
    async ({ path, text }) => {
      await mkdir(dirname(join(folder, path)), { recursive: true })
      await writeFile(join(folder, path), text)
    },
    { concurrency: 32 },
  )
}

/** What is made of a source: `src/a.ts` -> `a.js`, `a.d.ts`, `a.d.ts.map`. */
function madeOf(source: string): string[] {
  const module = source.replace(/^src\//, '').replace(/\.ts$/, '')
  return ['.js', '.d.ts', '.d.ts.map'].map((ending) => module + ending)
}

/**
 * Runs the compiler. Older ones check what they compile, and miss packages that are not there:
 * whether it did its work shows in what it made.
 *
 * @returns what it said
 */
async function runCompiler(program: string, folder: string): Promise<string> {
  return new Promise((resolve) => {
    execFile(
      process.execPath,
      [program, '-p', 'tsconfig.json', '--pretty', 'false'],
      { cwd: folder, maxBuffer: 64 * 1024 * 1024 },
      (error, stdout, stderr) => {
        const [first = ''] = `${stdout}\n${stderr}`.trim().split('\n')
        resolve(first === '' && error !== null ? error.message : first)
      },
    )
  })
}
