import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import type ts from 'typescript'

/** The compiler that a project has itself: never ours. */
export type Compiler = typeof ts

/** Why there is no compiler to ask, in a sentence with what to do. */
export interface NoCompiler {
  readonly reason: string
}

/**
 * The TypeScript of a project, as its own files would find it.
 *
 * @param folder where to look from
 */
export function ownTypescript(folder: string): Compiler | NoCompiler {
  const load = createRequire(join(folder, 'package.json'))
  let path: string
  try {
    path = load.resolve('typescript')
  } catch {
    return {
      reason:
        'The lines of your own code are not looked at: TypeScript is not installed in the project (npm install --save-dev typescript@5).',
    }
  }
  const compiler = load(path) as Partial<Compiler>
  if (typeof compiler.createLanguageService !== 'function')
    return {
      reason: `The lines of your own code are not looked at: TypeScript ${compiler.version ?? versionOf(path)} can't be asked by programs (npm install --save-dev typescript@5).`,
    }
  return compiler as Compiler
}

function versionOf(path: string): string {
  try {
    const about: unknown = createRequire(path)(join(dirname(path), '..', 'package.json'))
    return (about as { version?: string }).version ?? ''
  } catch {
    return ''
  }
}

export function isCompiler(found: Compiler | NoCompiler): found is Compiler {
  return 'createLanguageService' in found
}
