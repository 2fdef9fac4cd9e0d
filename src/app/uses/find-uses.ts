import { resolve, sep } from 'node:path'
import type ts from 'typescript'
import type { Change, GeneratedName } from '../../compare/change.js'
import { addTo } from '../../contract/lists.js'
import { compareTexts } from '../../contract/ordering.js'
import { isCompiler, ownTypescript } from './own-typescript.js'
import { diagnostics, useAt, type CompilerFinding, type Use } from './lines.js'
import { ownProgram, type OwnProgram } from './program.js'

/** Where changes hurt in the project's own code. */
export interface Uses {
  /** Lines that use what changed, for each change in the order in which they were given. */
  readonly lines: readonly (readonly Use[])[]
  /** What the compiler does not accept any more. */
  readonly findings: readonly CompilerFinding[]
  /** How much it did not accept before, which is not told again. */
  readonly already: number
  /** Why there is nothing to tell, or not all. */
  readonly remark?: string
}

/** A client in the project, and as it would be made now. */
export interface ClientNow {
  /** The project's folder. */
  readonly project: string
  /** The client's folder, from the project's. */
  readonly folder: string
  /** Files as they would be, by absolute path. */
  readonly files: ReadonlyMap<string, string>
  /** Folders, from the project's, that hold nothing of the caller's. */
  readonly generated: readonly string[]
}

/**
 * Looks through the project's own program for what uses things that changed, and compiles it
 * against the client as it would be made now, in memory.
 */
export function findUses(
  { project, folder, files, generated }: ClientNow,
  changes: readonly Pick<Change, 'names' | 'code' | 'calls'>[],
): Uses {
  const none = changes.map(() => [])
  const compiler = ownTypescript(project)
  if (!isCompiler(compiler))
    return { lines: none, findings: [], already: 0, remark: compiler.reason }
  const program = ownProgram(compiler, resolve(project, folder))
  if (program === undefined)
    return {
      lines: none,
      findings: [],
      already: 0,
      remark:
        'The lines of your own code are not looked at: there is no tsconfig.json that says which they are.',
    }
  const own = ownFiles(program, project, generated)
  const declared = declarations(program, resolve(project, folder))
  const lines = changes.map((change) =>
    change.code.verdict === 'fine' && change.calls.verdict === 'fine'
      ? []
      : usesOf(program, project, own, declared, change.names),
  )
  const { findings: found, already } = compilerFindings(
    program,
    project,
    own,
    files,
    resolve(project, folder),
  )
  return {
    lines: lines.map((uses, at) => withFindings(uses, changes[at], found)),
    findings: found,
    already,
  }
}

/**
 * Lines that the compiler complains of by the very name that changed: types that are worked out of
 * others, and values, are not found as references.
 */
function withFindings(
  uses: readonly Use[],
  change: Pick<Change, 'names' | 'code'> | undefined,
  found: readonly CompilerFinding[],
): Use[] {
  if (change === undefined || change.code.verdict === 'fine') return [...uses]
  const speaksOf = ({ message }: CompilerFinding): boolean =>
    change.names.some(({ name, member }) =>
      member === undefined
        ? message.includes('exported member') && message.includes(`'${name}'`)
        : message.includes(`'${member}'`) ||
          (message.includes(`"${member}"`) && message.includes(name)),
    )
  const known = new Set(uses.map(({ file, line }) => `${file}:${String(line)}`))
  const more = found
    .filter((each) => !known.has(`${each.file}:${String(each.line)}`) && speaksOf(each))
    .map(({ file, line, text }) => ({ file, line, text }))
  return [...uses, ...more]
}

/** Files of the program that the caller wrote. */
function ownFiles(
  { service }: OwnProgram,
  project: string,
  generated: readonly string[],
): Set<string> {
  const folders = generated.map((folder) => `${resolve(project, folder)}${sep}`)
  const files = service.getProgram()?.getSourceFiles() ?? []
  return new Set(
    files
      .map(({ fileName }) => resolve(fileName))
      .filter(
        (path) =>
          path.startsWith(`${resolve(project)}${sep}`) &&
          !path.includes(`${sep}node_modules${sep}`) &&
          !folders.some((folder) => path.startsWith(folder)),
      ),
  )
}

type Position = readonly [file: string, position: number]

/** Where the things of a client are declared: by name, and by name and member. */
function declarations({ service, compiler }: OwnProgram, folder: string): Map<string, Position[]> {
  const found = new Map<string, Position[]>()
  for (const file of service.getProgram()?.getSourceFiles() ?? []) {
    if (!resolve(file.fileName).startsWith(`${folder}${sep}`)) continue
    for (const statement of file.statements) {
      const names = compiler.isVariableStatement(statement)
        ? statement.declarationList.declarations
        : [statement as ts.Statement & { readonly name?: ts.Node }]
      for (const declaration of names) {
        const { name } = declaration
        if (name === undefined || !compiler.isIdentifier(name)) continue
        const path = resolve(file.fileName)
        addTo(found, name.text, [path, name.getStart(file)])
        declareMembers(compiler, file, declaration, name.text, found)
      }
    }
  }
  return found
}

/** Members at any depth of a declaration: those of a type's alternatives count as its own. */
function declareMembers(
  compiler: typeof ts,
  file: ts.SourceFile,
  owner: ts.Node,
  name: string,
  found: Map<string, Position[]>,
): void {
  const look = (node: ts.Node): void => {
    const isMember =
      compiler.isPropertySignature(node) ||
      compiler.isPropertyAssignment(node) ||
      compiler.isPropertyDeclaration(node) ||
      compiler.isMethodDeclaration(node)
    if (isMember) {
      addTo(found, `${name} ${textOf(compiler, node.name)}`, [
        resolve(file.fileName),
        node.name.getStart(file),
      ])
      // A value of an enumeration goes by its key.
      if (compiler.isPropertyAssignment(node) && compiler.isStringLiteral(node.initializer))
        addTo(found, `${name} ${node.initializer.text}`, [
          resolve(file.fileName),
          node.name.getStart(file),
        ])
    }
    if (!compiler.isMethodDeclaration(node)) compiler.forEachChild(node, look)
  }
  compiler.forEachChild(owner, look)
}

function textOf(compiler: typeof ts, name: ts.PropertyName): string {
  return compiler.isComputedPropertyName(name) ? '' : name.text
}

function usesOf(
  program: OwnProgram,
  project: string,
  own: ReadonlySet<string>,
  declared: ReadonlyMap<string, readonly Position[]>,
  names: readonly GeneratedName[],
): Use[] {
  const found = new Map<string, Use>()
  for (const { name, member } of names)
    for (const [file, position] of declared.get(
      member === undefined ? name : `${name} ${member}`,
    ) ?? [])
      for (const symbol of program.service.findReferences(file, position) ?? [])
        for (const { fileName, textSpan } of symbol.references) {
          if (!own.has(resolve(fileName))) continue
          const use = useAt(program, project, fileName, textSpan.start)
          if (use !== undefined && !isImport(use.text))
            found.set(`${use.file}:${String(use.line)}`, use)
        }
  return [...found.values()].sort((a, b) => compareTexts(a.file, b.file) || a.line - b.line)
}

/** Who imports something says nothing of what is done with it. */
function isImport(text: string): boolean {
  return /^(?:import|export)\b.*\bfrom\b/.test(text)
}

/** What the compiler says of the caller's files with the new client, and did not say before. */
function compilerFindings(
  program: OwnProgram,
  project: string,
  own: ReadonlySet<string>,
  files: ReadonlyMap<string, string>,
  folder: string,
): Pick<Uses, 'findings' | 'already'> {
  const already = diagnostics(program, project, own)
  const before = new Set(already.map(keyOf))
  for (const { fileName } of program.service.getProgram()?.getSourceFiles() ?? []) {
    const path = resolve(fileName)
    if (path.startsWith(`${folder}${sep}`) && !files.has(path))
      program.exchanged.set(path, undefined)
  }
  for (const [path, text] of files) program.exchanged.set(path, text)
  program.refresh()
  const findings = diagnostics(program, project, own).filter((each) => !before.has(keyOf(each)))
  return { findings, already: already.length }
}

function keyOf({ file, line, code, message }: CompilerFinding): string {
  return JSON.stringify([file, line, code, message])
}
