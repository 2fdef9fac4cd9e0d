import { dirname, resolve } from 'node:path'
import type ts from 'typescript'
import type { Compiler } from './own-typescript.js'

/** A program of the project as its compiler sees it, in which files can be exchanged in memory. */
export interface OwnProgram {
  readonly compiler: Compiler
  readonly service: ts.LanguageService
  /** Files that stand in place of those on the disk, by absolute path; undefined is none at all. */
  readonly exchanged: Map<string, string | undefined>
  /** Tells the service that files were exchanged. */
  refresh(): void
}

/**
 * The program that the nearest `tsconfig.json` describes.
 *
 * @param folder where to look from, upwards
 * @returns undefined where there is no such file
 */
export function ownProgram(compiler: Compiler, folder: string): OwnProgram | undefined {
  const config = compiler.findConfigFile(folder, (path) => compiler.sys.fileExists(path))
  if (config === undefined) return undefined
  const read = compiler.readConfigFile(config, (path) => compiler.sys.readFile(path))
  const parsed = compiler.parseJsonConfigFileContent(
    read.config ?? {},
    compiler.sys,
    dirname(config),
    { noEmit: true },
  )
  const exchanged = new Map<string, string | undefined>()
  let version = 0
  const host = hostOf(compiler, parsed, exchanged, () => version)
  return {
    compiler,
    service: compiler.createLanguageService(host),
    exchanged,
    refresh: () => {
      version += 1
    },
  }
}

function hostOf(
  { sys, ScriptSnapshot, getDefaultLibFilePath }: Compiler,
  { options, fileNames }: ts.ParsedCommandLine,
  exchanged: ReadonlyMap<string, string | undefined>,
  version: () => number,
): ts.LanguageServiceHost {
  const fileExists = (path: string): boolean =>
    exchanged.has(resolve(path)) ? exchanged.get(resolve(path)) !== undefined : sys.fileExists(path)
  const readFile = (path: string, encoding?: string): string | undefined =>
    exchanged.has(resolve(path)) ? exchanged.get(resolve(path)) : sys.readFile(path, encoding)
  return {
    getCompilationSettings: () => options,
    getScriptFileNames: () => fileNames.filter(fileExists),
    getScriptVersion: (path) => (exchanged.has(resolve(path)) ? String(version()) : '0'),
    getScriptSnapshot: (path) => {
      const text = readFile(path)
      return text === undefined ? undefined : ScriptSnapshot.fromString(text)
    },
    getCurrentDirectory: () => sys.getCurrentDirectory(),
    getDefaultLibFileName: getDefaultLibFilePath,
    fileExists,
    readFile,
    readDirectory: (...words) => sys.readDirectory(...words),
    directoryExists: (path) => sys.directoryExists(path) || holdsExchanged(path, exchanged),
    getDirectories: (path) => sys.getDirectories(path),
    ...(sys.realpath === undefined ? {} : { realpath: sys.realpath }),
    getProjectVersion: () => String(version()),
  }
}

/** Is a folder only there in memory? */
function holdsExchanged(
  folder: string,
  exchanged: ReadonlyMap<string, string | undefined>,
): boolean {
  const start = `${resolve(folder)}/`
  return [...exchanged].some(([path, text]) => text !== undefined && path.startsWith(start))
}
