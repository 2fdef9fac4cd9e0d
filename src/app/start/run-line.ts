import { join, relative } from 'node:path'
import type { ImportSuffix } from '../../printing/page.js'
import { effectiveOptions } from './compiler-options.js'
import { typedPath, type ProjectSetup } from './project-setup.js'

/** How a program of a project is run. */
export interface Runner {
  /** Is JavaScript made of it first? */
  readonly compiles: boolean
  /** How imports have to end, where they don't. */
  readonly needsSuffix: ImportSuffix | undefined
  /** The line that runs a program. @param path from the project's folder */
  line(path: string): string
}

/**
 * How a program is run: by what runs TypeScript as it stands, where the project has such a thing,
 * else compiled and then run.
 *
 * @param importSuffix how the imports of the client end
 */
export function runnerOf(setup: ProjectSetup, importSuffix: ImportSuffix): Runner {
  const asItStands = (command: string, wantsSuffix: boolean): Runner => ({
    compiles: false,
    needsSuffix: wantsSuffix && importSuffix !== '.ts' ? '.ts' : undefined,
    line: (path) => `${command} ${inShell(path)}`,
  })
  if (setup.runtime === 'deno') return asItStands('deno run --allow-net --allow-env', true)
  if (setup.runtime === 'bun') return asItStands('bun', false)
  const has = (name: string): boolean => setup.packageFile?.packages.has(name) === true
  if (has('tsx')) return asItStands('npx tsx', false)
  if (setup.nodeStrips && (importSuffix === '.ts' || setup.compiler === undefined))
    return asItStands('node', true)
  return effectiveOptions(setup).neverWrites
    ? asItStands('npx tsx', false)
    : { compiles: true, needsSuffix: undefined, line: (path) => compiledLine(setup, path) }
}

/** A path as a shell takes it. */
function inShell(path: string): string {
  return /[^\w./-]/.test(path) ? `"${path}"` : path
}

/** Compiles the project into a folder, and runs the program there. */
function compiledLine(setup: ProjectSetup, path: string): string {
  const { folder, config } = setup
  const { options = {}, folder: base = folder } = config ?? {}
  const out = join(...(options.outDir === undefined ? [folder, 'build'] : [base, options.outDir]))
  const root = options.rootDir === undefined ? folder : join(base, options.rootDir)
  const flags = [
    options.outDir === undefined ? '--outDir build' : '',
    options.rootDir === undefined ? '--rootDir .' : '',
    options.noEmit === true ? '--noEmit false' : '',
    base === folder ? '' : `-p ${typedPath(folder, base)}`,
  ].filter((flag) => flag !== '')
  const below = relative(root, join(folder, path)).replaceAll('\\', '/')
  const made = `${typedPath(folder, out)}/${below.replace(/\.(m|c)?ts$/, '.$1js')}`
  return `npx tsc ${flags.join(' ')}`.trimEnd() + ` && node ${inShell(made)}`
}
