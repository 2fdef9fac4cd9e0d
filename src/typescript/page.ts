import { posix } from 'node:path'

/** How a generated file is to be printed. */
export interface PrintOptions {
  /** What imports end in: `.js`, `.ts` or nothing. */
  readonly importSuffix: string
}

/**
 * A file while it is printed on: collects the imports that its lines turn out to need.
 *
 * @example
 * const page = new Page('operations/quoteDues')
 * page.print(`function f(q: ${page.useType('types', 'Quote')}) {}`)
 */
export class Page {
  /** The module below the client's folder, without ending: `operations/quoteDues`. */
  readonly module: string
  private readonly lines: (string | ((options: PrintOptions) => string))[] = []
  private readonly imports = new Map<string, Map<string, { local: string; isType: boolean }>>()
  private readonly locals = new Set<string>()
  private readonly own = new Set<string>()
  private head = ''

  constructor(module: string) {
    this.module = module
  }

  /** Text above the imports. */
  printHead(text: string): void {
    this.head += text
  }

  /** Is there nothing on it yet? */
  isEmpty(): boolean {
    return this.lines.every((line) => line === '')
  }

  /** Adds lines; an empty call adds an empty line. */
  print(...lines: string[]): void {
    if (lines.length === 0) lines = ['']
    this.lines.push(...lines)
  }

  /** Exports things of another module of the client: all of them, or those in `clause`. */
  reexport(module: string, clause = '*'): void {
    this.lines.push((options) => `export ${clause} from '${this.address(module, options)}'`)
  }

  /** Marks a name as declared on this page, so that nothing is imported under it. */
  declare(name: string): string {
    this.locals.add(name)
    return name
  }

  /** The identifier of a value of another module on this page; imports it on first use. */
  use(module: string, name: string): string {
    return this.import(module, name, false)
  }

  /** The identifier of a type of another module (a module of the client, or a package) on this page. */
  useType(module: string, name: string): string {
    return this.import(module, name, true)
  }

  /** The names of a module that this page uses; of its own module those asked for in the same way. */
  usesOf(module: string): string[] {
    return module === this.module ? [...this.own] : [...(this.imports.get(module)?.keys() ?? [])]
  }

  /** Modules of the client and packages that this page imports from. */
  modules(): string[] {
    return [...this.imports.keys()]
  }

  text(options: PrintOptions): string {
    const imports = [...this.imports].map(([module, names]) => ({ from: this.address(module, options), names })).sort((a, b) => compare(a.from, b.from))
    const rows = imports.map(({ from, names }) => {
      const all = [...names].map(([name, { local, isType }]) => ({ isType, text: name === local ? name : `${name} as ${local}` }))
      const onlyTypes = all.every(({ isType }) => isType)
      const list = all
        .sort((a, b) => compare(a.text, b.text))
        .map(({ isType, text }) => (isType && !onlyTypes ? `type ${text}` : text))
        .join(', ')
      return `import ${onlyTypes ? 'type ' : ''}{ ${list} } from '${from}'\n`
    })
    const lines = this.lines.map((line) => (typeof line === 'string' ? line : line(options)))
    const body = lines.join('\n').replace(/\n{3,}/g, '\n\n').replace(/^\n+|\n+$/g, '')
    return [this.head, rows.join(''), body === '' ? '' : `${body}\n`].filter((part) => part !== '').join('\n')
  }

  private import(module: string, name: string, isType: boolean): string {
    if (module === this.module) {
      this.own.add(name)
      return name
    }
    const names = this.imports.get(module) ?? new Map<string, { local: string; isType: boolean }>()
    this.imports.set(module, names)
    const known = names.get(name)
    if (known !== undefined) {
      known.isType &&= isType
      return known.local
    }
    let local = name
    const suffix = module.split('/').pop() ?? ''
    for (let count = 1; this.locals.has(local); count += 1) local = `${name}${suffix.charAt(0).toUpperCase()}${suffix.slice(1)}${count === 1 ? '' : count}`
    this.locals.add(local)
    names.set(name, { local, isType })
    return local
  }

  private address(module: string, options: PrintOptions): string {
    const relative = posix.relative(posix.dirname(this.module), module)
    return `${relative.startsWith('.') ? relative : `./${relative}`}${options.importSuffix}`
  }
}

function compare(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0
}
