import { largest } from '../../contract/lists.js'
import type { ProjectSetup } from './project-setup.js'

/** The edition of the language that clients are written for, by its year. */
export const edition = 2022

/** What holds for a compilation, said or by default. */
export interface EffectiveOptions {
  /** In lower case: `nodenext`, `commonjs`, `esnext`. */
  readonly module: string
  readonly resolution: string
  /** The year of the language's edition that is written; 9999 for the newest. */
  readonly target: number
  /** The year of the edition whose library is there. */
  readonly library: number
  /** Are the platform's own types there (`fetch`, `AbortController`) without a package? */
  readonly hasDom: boolean
  /** The packages of types that are there without being imported; undefined for all. */
  readonly types: readonly string[] | undefined
  readonly skipsLibraries: boolean
  readonly keepsImports: boolean
  /** May imports end in `.ts`? */
  readonly takesEndings: boolean
  /** Does nothing get written, because of a setting that can't be overruled? */
  readonly neverWrites: boolean
}

/**
 * What the settings of a compiler come to, with the defaults of its version: those of 6 and later
 * are newer than those of 5.
 */
export function effectiveOptions(setup: ProjectSetup): EffectiveOptions {
  const options = setup.config?.options ?? {}
  const isNew = hasNewDefaults(setup)
  const said = (text: unknown): string | undefined =>
    typeof text === 'string' ? text.toLowerCase() : undefined
  const target = yearOf(said(options.target)) ?? usualTarget(isNew, said(options.module))
  const module = said(options.module) ?? usualModule(isNew, target)
  const library = options.lib?.map((each) => each.toLowerCase())
  return {
    module,
    resolution: said(options.moduleResolution) ?? usualResolution(module, isNew),
    target,
    library: library === undefined ? target : largest(library.map((each) => yearOf(each) ?? 0)),
    hasDom: library === undefined || library.includes('dom') || library.includes('webworker'),
    types: options.types ?? (isNew ? [] : undefined),
    skipsLibraries: options.skipLibCheck === true,
    keepsImports: options.verbatimModuleSyntax === true,
    takesEndings:
      options.allowImportingTsExtensions === true ||
      options.rewriteRelativeImportExtensions === true,
    neverWrites:
      options.allowImportingTsExtensions === true &&
      options.rewriteRelativeImportExtensions !== true,
  }
}

/** Is the compiler one of those since version 6, or the one that would be installed now? */
export function hasNewDefaults({ compiler }: ProjectSetup): boolean {
  return Number.parseInt(compiler ?? '7', 10) >= 6
}

function usualTarget(isNew: boolean, module = ''): number {
  if (isNew) return 9999
  return /^node/.test(module) ? edition : 5
}

function usualModule(isNew: boolean, target: number): string {
  if (isNew) return 'esnext'
  return target >= 2015 ? 'es2015' : 'commonjs'
}

function usualResolution(module: string, isNew: boolean): string {
  if (/^node/.test(module)) return module
  if (module === 'preserve' || isNew) return 'bundler'
  return module === 'commonjs' ? 'node10' : 'classic'
}

/** The year of an edition by its name: `es2022`, `es6`, `esnext`, `es2022.error`. */
function yearOf(edition: string | undefined): number | undefined {
  const [, number] = /^es(\d+|next)/.exec(edition ?? '') ?? []
  if (number === undefined) return undefined
  if (number === 'next') return 9999
  return number === '6' || number === '7' ? 2009 + Number(number) : Number(number)
}
