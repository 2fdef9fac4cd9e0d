import { posix } from 'node:path'
import { compareTexts } from '../contract/ordering.js'
import { pascalCase } from '../naming/identifiers.js'
import { identifier, modulePath } from './escaping.js'
import { code, joined, type Code } from './safe-text.js'
import { wrapped } from './wrapping.js'

/** How a generated file is to be printed. */
export interface PrintOptions {
  /** What imports end in: `.js`, `.ts` or nothing. */
  readonly importSuffix: ImportSuffix
  /** Where the runtime is, from the client's folder; in it when left out. */
  readonly runtimeFolder?: '../runtime' | undefined
}

export type ImportSuffix = '.js' | '.ts' | ''

/**
 * A file while it is printed on: collects the imports that its lines turn out to need.
 *
 * @example
 * const page = new Page('operations/quoteDues')
 * page.print(code`function f(q: ${page.useType('types', 'Quote')}) {}`)
 */
export class Page {
  /** The module below the client's folder, without ending: `operations/quoteDues`. */
  readonly module: string
  private readonly lines: (Code | ((options: PrintOptions) => Code))[] = []
  private readonly imports = new Map<string, Map<string, { local: Code; isType: boolean }>>()
  private readonly locals = new Set<string>()
  private readonly own = new Set<string>()
  private head: Code = code``

  constructor(module: string) {
    this.module = modulePath(module)
  }

  /** Text above the imports. */
  printHead(text: Code): void {
    this.head = code`${this.head}${text}`
  }

  /** Is there nothing on it yet? */
  isEmpty(): boolean {
    return this.lines.every((line) => line === '')
  }

  /** Adds lines; an empty call adds an empty line. */
  print(...lines: readonly Code[]): void {
    if (lines.length === 0) this.lines.push(code``)
    for (const text of lines)
      for (const line of text.split('\n') as Code[])
        for (const part of wrapped(line)) this.lines.push(part)
  }

  /** Exports things of another module of the client: all of them, or those in `clause`. */
  reexport(module: string, clause: Code = code`*`): void {
    this.lines.push((options) => code`export ${clause} from '${this.address(module, options)}'`)
  }

  /** Marks a name as declared on this page, so that nothing is imported under it. */
  declare(name: string): Code {
    this.locals.add(name)
    return identifier(name)
  }

  /** Marks a name as declared on this page; one like it where that is taken. */
  declareFree(name: string): Code {
    let free = name
    for (let count = 2; this.locals.has(free); count += 1) free = `${name}${count}`
    return this.declare(free)
  }

  /** The identifier of a value of another module on this page; imports it on first use. */
  use(module: string, name: string): Code {
    return this.import(module, name, false)
  }

  /**
   * The identifier of a type of another module (a module of the client, or a package) on this page.
   */
  useType(module: string, name: string): Code {
    return this.import(module, name, true)
  }

  /**
   * The names of a module that this page uses; of its own module those asked for in the same way.
   */
  usesOf(module: string): string[] {
    return module === this.module ? [...this.own] : [...(this.imports.get(module)?.keys() ?? [])]
  }

  /** Modules of the client and packages that this page imports from. */
  modules(): string[] {
    return [...this.imports.keys()]
  }

  text(options: PrintOptions): Code {
    const body = this.body(options)
    // Only what stands on the page in the end: lines may have been asked for and left out.
    const mentioned = namesIn(body)
    const imports = [...this.imports]
      .map(([module, names]) => ({
        from: this.address(module, options),
        names: [...names].filter(([, { local }]) => mentioned.has(local)),
      }))
      .filter(({ names }) => names.length > 0)
      .sort((a, b) => compareTexts(a.from, b.from))
    const rows = imports.map(({ from, names }) => {
      const all = names.map(([name, { local, isType }]) => ({
        isType,
        text: name === local ? local : code`${identifier(name)} as ${local}`,
      }))
      const onlyTypes = all.every(({ isType }) => isType)
      const list = all
        .sort((a, b) => compareTexts(a.text, b.text))
        .map(({ isType, text }) => (isType && !onlyTypes ? code`type ${text}` : text))
      const line = code`import ${onlyTypes ? code`type ` : code``}{ ${joined(list, ', ')} } from '${from}'`
      return code`${joined(wrapped(line), '\n')}\n`
    })
    return joined(
      [this.head, joined(rows, ''), body === '' ? body : code`${body}\n`].filter(
        (part) => part !== '',
      ),
      '\n',
    )
  }

  /** The lines, with no more than one empty one between two others. */
  private body(options: PrintOptions): Code {
    const lines = this.lines.map((line) => (typeof line === 'string' ? line : line(options)))
    return joined(lines, '\n')
      .replace(/\n{3,}/g, '\n\n')
      .replace(/^\n+|\n+$/g, '') as Code
  }

  private import(module: string, name: string, isType: boolean): Code {
    if (module === this.module) {
      this.own.add(name)
      return identifier(name)
    }
    const names = this.imports.get(module) ?? new Map<string, { local: Code; isType: boolean }>()
    this.imports.set(module, names)
    const known = names.get(name)
    if (known !== undefined) {
      known.isType &&= isType
      return known.local
    }
    const suffix = pascalCase(module.split('/').pop() ?? '')
    let local = identifier(name)
    for (let count = 1; this.locals.has(local); count += 1)
      local = identifier(`${name}${suffix}${count === 1 ? '' : count}`)
    this.locals.add(local)
    names.set(name, { local, isType })
    return local
  }

  private address(module: string, options: PrintOptions): Code {
    const path = modulePath(module)
    // Below a root, so that what is beside the client's folder has a place, too.
    const place = (each: string): string => posix.join('/clients/client', each)
    const isShared = options.runtimeFolder !== undefined && path.startsWith('runtime/')
    const target = isShared ? posix.join('..', path) : path
    const relative = posix.join(
      posix.relative(place(posix.dirname(this.module)), place(posix.dirname(target))) || '.',
      posix.basename(target),
    )
    return `${relative.startsWith('.') ? relative : `./${relative}`}${options.importSuffix}` as Code
  }
}

/** Comments and texts, and names with what stands around them. */
const tokens =
  /\/\*[\s\S]*?\*\/|\/\/[^\n]*|'(?:[^'\\\n]|\\.)*'|(?<before>(?<!\.)\.|)(?<name>[\p{ID_Start}$_][\p{ID_Continue}$]*)(?<after>\??:)?/gu

/** The names that code mentions otherwise than as a member: `Berth`, but not `.Berth`, `Berth:`. */
function namesIn(text: Code): ReadonlySet<string> {
  const found = new Set<string>()
  for (const { groups } of text.matchAll(tokens))
    if (groups?.['name'] !== undefined && groups['before'] === '' && groups['after'] === undefined)
      found.add(groups['name'])
  return found
}
