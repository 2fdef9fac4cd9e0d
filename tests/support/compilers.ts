import { execFile } from 'node:child_process'
import { access, symlink, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { repository } from './program.js'

const execute = promisify(execFile)

const strict = {
  target: 'ES2022',
  lib: ['ES2022', 'DOM'],
  types: [],
  module: 'NodeNext',
  moduleResolution: 'NodeNext',
  noEmit: true,
  strict: true,
  exactOptionalPropertyTypes: true,
  noUncheckedIndexedAccess: true,
  noPropertyAccessFromIndexSignature: true,
  verbatimModuleSyntax: true,
  noUnusedLocals: true,
  noImplicitOverride: true,
}
/** What many projects have: what is strictest is not what is easiest. */
const usual = {
  target: 'ES2022',
  lib: ['ES2022', 'DOM'],
  types: [],
  module: 'NodeNext',
  moduleResolution: 'NodeNext',
  noEmit: true,
  strict: true,
  skipLibCheck: true,
}
const stricter = {
  ...strict,
  isolatedDeclarations: true,
  declaration: true,
  erasableSyntaxOnly: true,
}

/**
 * Compiles what is in `src/` of a folder with the newest compiler, under the strictest settings.
 * Other settings and older compilers have a suite of their own.
 *
 * @param more further compiler options
 * @returns what it complains of; nothing when all is well
 */
export async function complaints(folder: string, more: object = {}): Promise<string> {
  return complaintsOf('typescript-7', folder, { ...stricter, ...more })
}

/** What the newest compiler complains of under the settings that most projects have. */
export async function usualComplaints(folder: string): Promise<string> {
  return complaintsOf('typescript-7', folder, usual)
}

/** What an older compiler complains of under the strictest settings that it knows. */
export function olderComplaints(folder: string, compiler: string): Promise<string> {
  const settings = compiler === 'typescript-5.4' ? strict : stricter
  return complaintsOf(compiler, folder, { ...settings, skipLibCheck: true })
}

async function complaintsOf(compiler: string, folder: string, options: object): Promise<string> {
  await writeFile(join(folder, 'package.json'), '{"type":"module"}')
  await linkPackages(folder)
  await writeFile(
    join(folder, 'tsconfig.json'),
    JSON.stringify({ compilerOptions: options, include: ['src'] }),
  )
  const { stdout } = await execute(
    process.execPath,
    [join(repository, 'node_modules', compiler, 'bin', 'tsc'), '-p', '.'],
    { cwd: folder, maxBuffer: 64 * 1024 * 1024 },
  ).catch((error: { stdout: string }) => error)
  return stdout === '' ? '' : `${compiler}: ${stdout}\n`
}

/** Packages that generated code imports are found from a folder, too. */
async function linkPackages(folder: string): Promise<void> {
  const packages = join(folder, 'node_modules')
  await access(packages).catch(() => symlink(join(repository, 'node_modules'), packages))
}

/** Bundles a file of a folder and runs it with arguments; gives what it prints. */
export async function runBundled(
  folder: string,
  file: string,
  ...words: string[]
): Promise<string> {
  await linkPackages(folder)
  await execute(
    join(repository, 'node_modules/.bin/esbuild'),
    [
      file,
      '--bundle',
      '--platform=node',
      '--target=node20',
      '--format=esm',
      '--outfile=bundled.mjs',
    ],
    { cwd: folder },
  )
  return (await execute(process.execPath, ['bundled.mjs', ...words], { cwd: folder })).stdout
}

/** What the newest compiler complains of in programs that use clients, as it says it. */
export async function complaintsOfProgram(folder: string): Promise<string> {
  return complaintsOf('typescript-7', folder, usual)
}
