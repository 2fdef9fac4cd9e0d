import type { Contract, TypeId } from '../contract/contract.js'
import { namedType } from '../contract/queries.js'
import type { Names } from '../naming/names.js'
import { plainLiteral, propertyName, quoted } from '../printing/escaping.js'
import type { Page } from '../printing/page.js'
import { code, joined, type Code } from '../printing/safe-text.js'

/**
 * Codecs of a contract as trees of plain data, with leaves that name what they refer to. One tree
 * serves twice: printed, it is the generated codecs.ts; brought to life, it is what the stand-in
 * reads and writes with.
 */
export type CodecTree =
  | string
  | number
  | boolean
  | null
  | Builtin
  | CodecReference
  | LateList
  | Many
  | Elsewhere
  | readonly CodecTree[]
  | { readonly [key: string]: CodecTree }

/** A codec of the runtime: an export of one of its modules. */
export class Builtin {
  readonly module: string
  readonly name: string

  constructor(module: string, name: string) {
    this.module = module
    this.name = name
  }
}

/** The codec of a named type, perhaps not declared yet where the reference stands. */
export class CodecReference {
  readonly id: TypeId
  readonly late: boolean

  constructor(id: TypeId, late: boolean) {
    this.id = id
    this.late = late
  }
}

/** Several references as one function that gives their list. */
export class LateList {
  readonly ids: readonly TypeId[]

  constructor(ids: readonly TypeId[]) {
    this.ids = ids
  }
}

/**
 * Very many codecs as one list. Compilers give up on the union of all their types, so that they are
 * not told them: each is a function that gives some object, and a function of the runtime takes
 * their list for whatever is wanted.
 */
export class Many {
  readonly trees: readonly CodecTree[]
  /** The module of the runtime that has the function `many`. */
  readonly module: string

  constructor(trees: readonly CodecTree[], module: string) {
    this.trees = trees
    this.module = module
  }
}

/** A constant of another page, looked up when it is used. */
export class Elsewhere {
  readonly module: string
  readonly name: string
  readonly tree: () => CodecTree

  constructor(module: string, name: string, tree: () => CodecTree) {
    this.module = module
    this.name = name
    this.tree = tree
  }
}

/**
 * Brings trees to life: codecs as the runtime uses them.
 *
 * @param builtin the runtime's own codec of a name
 * @param treeOf the tree of a named type
 */
export class LiveCodecs {
  private readonly builtin: (name: string) => unknown
  private readonly treeOf: (id: TypeId) => CodecTree | undefined
  private readonly made = new Map<TypeId, unknown>()

  constructor(builtin: (name: string) => unknown, treeOf: (id: TypeId) => CodecTree | undefined) {
    this.builtin = builtin
    this.treeOf = treeOf
  }

  of(tree: CodecTree): unknown {
    if (tree instanceof Builtin) return this.builtin(tree.name)
    if (tree instanceof CodecReference)
      return tree.late ? () => this.named(tree.id) : this.named(tree.id)
    if (tree instanceof LateList) return () => tree.ids.map((id) => this.named(id))
    if (tree instanceof Many) return this.of(tree.trees)
    if (tree instanceof Elsewhere) return () => this.elsewhere(tree)
    if (Array.isArray(tree)) return tree.map((each: CodecTree) => this.of(each))
    if (typeof tree !== 'object' || tree === null) return tree
    return Object.fromEntries(Object.entries(tree).map(([key, value]) => [key, this.of(value)]))
  }

  private elsewhere(constant: Elsewhere): unknown {
    const key = `${constant.module}#${constant.name}`
    if (!this.made.has(key)) this.made.set(key, this.of(constant.tree()))
    return this.made.get(key)
  }

  private named(id: TypeId): unknown {
    if (!this.made.has(id)) {
      const tree = this.treeOf(id)
      if (tree === undefined) throw new Error(`${id} has no codec of its own`)
      // A type that is another one by a further name is that one: late, it would be a function of a
      // function.
      this.made.set(id, tree instanceof CodecReference ? this.named(tree.id) : this.of(tree))
    }
    return this.made.get(id)
  }
}

/** Prints a codec tree as an object literal. */
export class TreePrinter {
  private readonly page: Page
  private readonly contract: Contract
  private readonly names: Names
  private readonly constants: ReadonlyMap<string, Code>
  private readonly moduleOf: (contract: Contract, names: Names, id: TypeId) => string

  /**
   * @param constants texts that the page has a constant for
   * @param moduleOf the module that a type's codec is on
   */
  constructor(
    page: Page,
    contract: Contract,
    names: Names,
    constants: ReadonlyMap<string, Code> = new Map(),
    moduleOf: (contract: Contract, names: Names, id: TypeId) => string = () => 'codecs',
  ) {
    this.moduleOf = moduleOf
    this.page = page
    this.contract = contract
    this.names = names
    this.constants = constants
  }

  print(tree: CodecTree, indent: Code = code``): Code {
    if (tree instanceof Builtin) return this.page.use(tree.module, tree.name)
    if (tree instanceof CodecReference)
      return code`${tree.late ? code`() => ` : code``}${this.codec(tree.id)}`
    if (tree instanceof LateList)
      return code`() => [${joined(
        tree.ids.map((id) => this.codec(id)),
        ', ',
      )}]`
    if (tree instanceof Many) return this.many(tree, indent)
    if (tree instanceof Elsewhere) return code`() => ${this.page.use(tree.module, tree.name)}`
    if (typeof tree === 'string') return this.constants.get(tree) ?? quoted(tree)
    if (typeof tree !== 'object' || tree === null) return plainLiteral(tree)
    if (Array.isArray(tree))
      return code`[${joined(
        tree.map((each: CodecTree) => this.print(each, indent)),
        ', ',
      )}]`
    const inner = code`${indent}  `
    const rows = Object.entries(tree).map(([key, value]) => {
      const [name, text] = [propertyName(key), this.print(value, inner)]
      return value instanceof Builtin && text === name ? name : code`${name}: ${text}`
    })
    if (rows.length === 0) return code`{}`
    const line = code`{ ${joined(rows, ', ')} }`
    return indent !== '' && line.length + indent.length < 110 && !line.includes('\n')
      ? line
      : code`{\n${joined(
          rows.map((row) => code`${inner}${row},\n`),
          '',
        )}${indent}}`
  }

  private many({ trees, module }: Many, indent: Code): Code {
    const inner = code`${indent}  `
    const lines = trees.map((each) => {
      const text =
        each instanceof CodecReference ? this.codec(each.id) : code`(${this.print(each, inner)})`
      return code`${inner}(): object => ${text},\n`
    })
    const many = this.page.use(module, 'many')
    return code`/* @__PURE__ */ ${many}([\n${joined(lines, '')}${indent}])`
  }

  private codec(id: TypeId): Code {
    namedType(this.contract, id)
    return this.page.use(this.moduleOf(this.contract, this.names, id), this.names.codecs[id] ?? '')
  }
}
