import { readdirSync, readFileSync, statSync } from 'node:fs'
import { dirname, join, relative, sep } from 'node:path'
import { fileURLToPath } from 'node:url'

/** The folder of the installed package. */
export const packageFolder: string = join(dirname(fileURLToPath(import.meta.url)), '..', '..')

/** The package's version. */
export function version(): string {
  return (
    JSON.parse(readFileSync(join(packageFolder, 'package.json'), 'utf8')) as { version: string }
  ).version
}

/** What the tool calls itself when it asks a service (RFC 9110, section 10.1.5). */
export function toolName(): string {
  return `tolmach/${version()}`
}

/** Tells one build of this program from another, so that nothing cached by another one is used. */
export function buildMark(): string {
  const main = fileURLToPath(import.meta.url)
  return `${version()}-${String(Math.round(statSync(main).mtimeMs))}`
}

/** The sources that ship inside generated clients, by path below src/runtime. */
export function runtimeSources(): Record<string, string> {
  const folder = join(packageFolder, 'src', 'runtime')
  const names = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) =>
    name.endsWith('.ts'),
  )
  return Object.fromEntries(
    names.map((name) => [
      relative('.', name).split(sep).join('/'),
      readFileSync(join(folder, name), 'utf8'),
    ]),
  )
}
