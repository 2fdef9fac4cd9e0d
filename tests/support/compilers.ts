import { execFile } from 'node:child_process'
import { access, symlink, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { repository, tolmach } from './program.js'

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
 * Compiles what is in `src/` of a folder under the strictest settings that each of three compilers
 * knows, and under usual ones.
 *
 * @param more further compiler options
 * @returns what they complain of; nothing when all is well
 */
export async function complaints(folder: string, more: object = {}): Promise<string> {
  await writeFile(join(folder, 'package.json'), '{"type":"module"}')
  const modules = join(folder, 'node_modules')
  await access(modules).catch(() => symlink(join(repository, 'node_modules'), modules))
  let found = ''
  for (const [compiler, options] of [
    ['typescript-5.4', strict],
    ['typescript', stricter],
    ['typescript-7', stricter],
    ['typescript-7', usual],
  ] as const) {
    await writeFile(
      join(folder, 'tsconfig.json'),
      JSON.stringify({ compilerOptions: { ...options, ...more }, include: ['src'] }),
    )
    const { stdout } = await execute(
      process.execPath,
      [join(repository, 'node_modules', compiler, 'bin', 'tsc'), '-p', '.'],
      { cwd: folder },
    ).catch((error: { stdout: string }) => error)
    if (stdout !== '') found += `${compiler}: ${stdout}\n`
  }
  return found
}

/**
 * Writes the first lines of every client of a project into files, so that they are compiled too.
 *
 * @param except contracts whose first lines can't compile
 */
export async function writeFirstLines(
  folder: string,
  except: readonly string[] = [],
): Promise<void> {
  const told = JSON.parse((await tolmach(folder, ['generate', '--json'])).stdout) as {
    contract: string
    firstLines: string[]
  }[]
  for (const { contract, firstLines } of told.filter((each) => !except.includes(each.contract)))
    await writeFile(join(folder, 'src', `first-${contract}.ts`), `${firstLines.join('\n')}\n`)
}

/** Bundles a file of a folder and runs it with arguments; gives what it prints. */
export async function runBundled(
  folder: string,
  file: string,
  ...words: string[]
): Promise<string> {
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
