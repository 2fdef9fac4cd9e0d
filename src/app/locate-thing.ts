import { readFile } from 'node:fs/promises'
import { isAbsolute, join, relative, resolve, sep } from 'node:path'
import { pathToFileURL } from 'node:url'
import type { NamedType, Operation, Origin } from '../contract/contract.js'
import { filled } from '../contract/present.js'
import { basesOf, pathOf } from '../contract/queries.js'
import { operationExports } from '../naming/names.js'
import { moduleOfOperation } from '../naming/operation-files.js'
import { inRegExp, propertyName, quoted } from '../printing/escaping.js'
import { snapshotFolder } from '../project/snapshot.js'
import { openContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'
import { describedFrom } from './show-contract.js'
import type { Described } from './describe/descriptions.js'
import { othersNamed, thingNamed, type Thing } from './describe/things.js'

/** A place in a file. */
export interface Place {
  /** The path from the current folder, with `/`. */
  readonly file: string
  /** 1-based. */
  readonly line: number
  readonly column: number
  /** The file's address, for links. */
  readonly url: string
}

export interface Located {
  readonly contract: string
  readonly kind: Thing['kind']
  readonly name: string
  /** Where the generated code has it; undefined where it is not there, and then why. */
  readonly code: Place | undefined
  readonly why?: string
  /**
   * Where it was declared: in the snapshot, or at the source of a contract that is not kept.
   * Undefined for what came from an address and was not kept.
   */
  readonly metadata: Place | undefined
  /** What else goes by the same name, as it can be named alone. */
  readonly others?: readonly string[]
}

/**
 * Where something of a contract is in the generated code and in the metadata.
 *
 * @param wanted the name of an operation, group, type or endpoint, or of a field, input, fault or
 *   value: `Vessel.Flag`
 * @throws Problem TM-1005 when there is no such thing; those of opening a contract
 */
export async function locateThing(
  reference: string,
  wanted: string,
  options: OpenOptions = {},
): Promise<Located> {
  const open = await openContract(reference, options)
  const locator = new Locator(open, await describedFrom(open))
  const { contract } = locator.described
  const found = thingNamed(contract, wanted, open.name)
  const others = othersNamed(contract, found)
  return { ...(await locator.locate(found)), ...filled({ others }) }
}

/** Finds places of one contract; every file is read once. */
export class Locator {
  readonly described: Described
  private readonly open: OpenContract
  private readonly texts = new Map<string, Promise<readonly string[] | undefined>>()

  constructor(open: OpenContract, described: Described) {
    this.open = open
    this.described = described
  }

  async locate(thing: Thing): Promise<Located> {
    const { kind, name } = thing
    const code = await this.codeOf(thing)
    return {
      contract: this.open.name,
      kind,
      name,
      ...(typeof code === 'string' ? { code: undefined, why: code } : { code }),
      metadata: await this.metadataPlace(originOf(thing)),
    }
  }

  /** Where a type is declared in the client; undefined where it is not. */
  async typePlace(type: NamedType): Promise<Place | undefined> {
    const code = await this.codeOf({ kind: 'type', name: type.name, type })
    return typeof code === 'string' ? undefined : code
  }

  /** The place in the client, or why there is none. */
  private async codeOf(thing: Thing): Promise<Place | string> {
    const { kept } = this.open
    if (kept === undefined) return 'The contract is not in the project, so it has no client.'
    const { file, finders } = declarationOf(thing, this.described)
    const folder = resolve(kept.project.folder, kept.entry.folder)
    const lines = await this.linesOf(join(folder, file))
    if (lines === undefined) {
      const isLeft =
        'operation' in thing
          ? this.described.left.has(pathOf(thing.operation))
          : 'type' in thing && this.described.leftTypes.has(thing.type.id)
      if (isLeft) return '"only" in tolmach.yaml leaves it out.'
      return (await this.linesOf(join(folder, 'index.ts'))) === undefined
        ? `The client is not generated yet: tolmach generate ${this.open.name}`
        : `The client is older than the contract: tolmach generate ${this.open.name}`
    }
    const found = positionOf(lines, finders)
    if (found !== undefined) return this.place(join(folder, file), found.line, found.column)
    if (thing.kind === 'type' && thing.type.kind === 'list')
      return 'Lists are written as arrays where they stand.'
    if ('type' in thing && this.described.leftTypes.has(thing.type.id))
      return '"only" in tolmach.yaml leaves it out.'
    return `The client has nothing of that name; it may be older than the contract: tolmach generate ${this.open.name}`
  }

  private async metadataPlace(origin: Origin): Promise<Place | undefined> {
    const { document, line, column } = this.described.placeOf(origin)
    const { kept } = this.open
    if (kept !== undefined)
      return this.place(
        join(snapshotFolder(kept.project.folder, this.open.name), 'documents', document),
        line,
        column,
      )
    const from = (await this.open.documents()).all().find(({ label }) => label === document)?.from
    return from === undefined || !isAbsolute(from) ? undefined : this.place(from, line, column)
  }

  private place(path: string, line: number, column: number): Place {
    return {
      file: relative('.', path).split(sep).join('/'),
      line,
      column,
      url: pathToFileURL(path).href,
    }
  }

  private linesOf(path: string): Promise<readonly string[] | undefined> {
    const known =
      this.texts.get(path) ??
      readFile(path, 'utf8').then(
        (text) => text.split('\n'),
        () => undefined,
      )
    this.texts.set(path, known)
    return known
  }
}

function originOf(thing: Thing): Origin {
  switch (thing.kind) {
    case 'operation':
      return thing.operation.origin
    case 'group':
      return thing.origin
    case 'type':
      return thing.type.origin
    case 'endpoint':
      return thing.endpoint.origin
    case 'fault':
      return thing.fault.origin
    case 'value':
      return thing.member.origin
    default:
      return thing.field.origin
  }
}

/**
 * The file of the client that declares a thing, and what to look for in it: each within what the
 * one before it found.
 */
function declarationOf(
  thing: Thing,
  { contract, names }: Described,
): { file: string; finders: readonly RegExp[] } {
  const exported = (name: string): RegExp =>
    new RegExp(`^export (?:async )?(?:function|class|interface|type|const) (${inRegExp(name)})\\b`)
  const member = (name: string): RegExp =>
    new RegExp(`(?:^|[\\s{(;])(${inRegExp(propertyName(name))})\\??:`)
  const fileOf = (operation: Operation): string =>
    `${moduleOfOperation(contract, names, operation)}.ts`
  switch (thing.kind) {
    case 'operation': {
      const [call] = operationExports(names.operations[pathOf(thing.operation)] ?? '')
      return { file: fileOf(thing.operation), finders: [exported(call)] }
    }
    case 'input': {
      const [, input] = operationExports(names.operations[pathOf(thing.operation)] ?? '')
      return { file: fileOf(thing.operation), finders: [exported(input), member(thing.field.name)] }
    }
    case 'fault': {
      const [, , , fault] = operationExports(names.operations[pathOf(thing.operation)] ?? '')
      return { file: fileOf(thing.operation), finders: [exported(fault)] }
    }
    case 'group':
      return { file: 'client.ts', finders: [exported(names.groups[thing.name] ?? names.class)] }
    case 'endpoint':
      return {
        file: 'settings.ts',
        finders: [
          new RegExp(
            `(${inRegExp(quoted(thing.endpoint.name))}|\\b${inRegExp(thing.endpoint.name)}\\b)`,
          ),
        ],
      }
    case 'type':
      return { file: 'types.ts', finders: [exported(names.types[thing.type.id] ?? '')] }
    case 'value':
      return {
        file: 'types.ts',
        finders: [
          exported(names.types[thing.type.id] ?? ''),
          new RegExp(`(${inRegExp(quoted(thing.member.value))})`),
        ],
      }
    case 'field': {
      // Fields of a base are declared there.
      const { type, field } = thing
      const base =
        type.kind === 'record'
          ? basesOf(contract, type).find((each) => each.fields.includes(field))
          : undefined
      const holder = Object.values(contract.types).find((each) => each === base) ?? type
      return {
        file: 'types.ts',
        finders: [exported(names.types[holder.id] ?? ''), member(field.name)],
      }
    }
  }
}

/**
 * The place of the last finder's first group; where that isn't found, of the one before it. Things
 * inside a declaration stand before the next one.
 */
function positionOf(
  lines: readonly string[],
  finders: readonly RegExp[],
): { line: number; column: number } | undefined {
  let found: { line: number; column: number } | undefined
  for (const [at, finder] of finders.entries()) {
    const start = found === undefined ? 0 : found.line - 1
    for (let index = start; index < lines.length; index += 1) {
      const line = lines[index] ?? ''
      if (at > 0 && index > start && line.startsWith('export ')) break
      const match = isComment(line)
        ? null
        : finder.exec(
            at > 0 && index === start
              ? line.replace(/^export \w+ \S+/, (text) => ' '.repeat(text.length))
              : line,
          )
      if (match === null) continue
      found = { line: index + 1, column: match.index + match[0].indexOf(match[1] ?? '') + 1 }
      break
    }
    if (found === undefined) return undefined
  }
  return found
}

function isComment(line: string): boolean {
  return /^\s*(?:\*|\/\*|\/\/)/.test(line)
}
