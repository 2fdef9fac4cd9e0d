import { problem } from '../contract/problem.js'
import { isPlainObject } from '../contract/plain.js'
import { fillTemplate, inPlain, plainText, stepsOf } from '../contract/templates.js'

/**
 * Seed data: what a stand-in knows and how its operations use it. docs/reference.md describes the
 * format; the words are these.
 */
export interface Seed {
  readonly seed: 1
  /** Rows by table. */
  readonly tables: Readonly<Record<string, readonly Row[]>>
  /** By operation: the rules, of which the first that fits is followed. */
  readonly operations: Readonly<Record<string, readonly Rule[]>>
}

export type Row = Readonly<Record<string, unknown>>

/** Conditions on the fields of a row. A condition on an input that was left out does not count. */
export type Where = Readonly<Record<string, unknown>>

export interface Rule {
  /** Rows that must be there: a name for the first row found. Without them the rule doesn't fit. */
  readonly find?: Readonly<Record<string, { readonly in: string; readonly where?: Where }>>
  /** Rows that may be there: a name for all rows found. */
  readonly list?: Readonly<Record<string, { readonly in: string; readonly where?: Where }>>
  /** Fields to change in rows that were found. */
  readonly set?: Readonly<Record<string, Row>>
  /** Rows to add: a name, the table and the row. */
  readonly add?: Readonly<Record<string, { readonly to: string; readonly row: Row }>>
  /** Names of found rows to remove. */
  readonly remove?: readonly string[]
  readonly answer?: unknown
  /** The declared fault to answer with, instead of an answer. */
  readonly fault?: string
  readonly reason?: string
  readonly detail?: unknown
}

/**
 * Checks seed data.
 *
 * @param plain what its file says
 * @param file its name, for messages
 * @throws Problem TM-1014 that names what is wrong
 */
export async function readSeed(plain: unknown, file: string): Promise<Seed> {
  const { default: Joi } = await import('joi')
  const place = Joi.object({ in: Joi.string().required(), where: Joi.object() })
  const rule = Joi.object({
    find: Joi.object().pattern(/^/, place),
    list: Joi.object().pattern(/^/, place),
    set: Joi.object().pattern(/^/, Joi.object()),
    add: Joi.object().pattern(
      /^/,
      Joi.object({ to: Joi.string().required(), row: Joi.object().required() }),
    ),
    remove: Joi.array().items(Joi.string()),
    answer: Joi.any(),
    fault: Joi.string(),
    reason: Joi.string(),
    detail: Joi.any(),
  }).oxor('answer', 'fault')
  const schema = Joi.object({
    seed: Joi.any()
      .custom((value: unknown) => (plainText(value) === '1' ? 1 : fail()))
      .required(),
    tables: Joi.object().pattern(/^/, Joi.array().items(Joi.object().unknown())).default({}),
    operations: Joi.object().pattern(/^/, Joi.array().items(rule)).default({}),
  })
  const { value, error } = schema.validate(plain, {
    convert: false,
    errors: { label: 'path', wrap: { label: '"' } },
  })
  if (error !== undefined)
    throw problem('TM-1014', { file, reason: error.message.replace(/^"value"/, 'the file') })
  const seed = value as Seed
  for (const [operation, rules] of Object.entries(seed.operations)) {
    for (const each of rules) {
      const tables = [...Object.values(each.find ?? {}), ...Object.values(each.list ?? {})]
        .map((found) => found.in)
        .concat(Object.values(each.add ?? {}).map((added) => added.to))
      const unknown = tables.find((table) => !Object.hasOwn(seed.tables, table))
      if (unknown !== undefined)
        throw problem('TM-1014', {
          file,
          reason: `a rule of ${operation} names the table "${unknown}", which there is not`,
        })
    }
  }
  return seed
}

function fail(): never {
  throw new Error('must be 1')
}

/** What a rule comes to. */
export type Played =
  | { readonly kind: 'answer'; readonly value: unknown }
  | {
      readonly kind: 'fault'
      readonly name: string
      readonly reason: string
      readonly detail: unknown
    }

/** The state of a stand-in: its tables, which its operations change. */
export class SeedState {
  private readonly seed: Seed
  private readonly tables: Map<string, Record<string, unknown>[]>

  constructor(seed: Seed) {
    this.seed = seed
    this.tables = new Map(
      Object.entries(seed.tables).map(([name, rows]) => [name, rows.map((row) => ({ ...row }))]),
    )
  }

  /**
   * Follows the first rule of an operation that fits its input (in plain form); undefined when it
   * has none that does.
   */
  play(operation: string, input: Readonly<Record<string, unknown>>): Played | undefined {
    for (const rule of this.seed.operations[operation] ?? []) {
      const names = new Map<string, unknown>([['input', input]])
      if (!this.bind(rule, names)) continue
      for (const [name, { to, row }] of Object.entries(rule.add ?? {})) {
        const added = this.fill(row, names) as Record<string, unknown>
        this.table(to).push(added)
        names.set(name, added)
      }
      for (const [name, fields] of Object.entries(rule.set ?? {}))
        Object.assign(names.get(name) as object, this.fill(fields, names))
      const played: Played =
        rule.fault === undefined
          ? { kind: 'answer', value: this.fill(rule.answer, names) }
          : {
              kind: 'fault',
              name: rule.fault,
              reason: String(this.fill(rule.reason ?? rule.fault, names)),
              detail: this.fill(rule.detail, names),
            }
      for (const name of rule.remove ?? []) this.removeRow(names.get(name))
      return played
    }
    return undefined
  }

  private bind(rule: Rule, names: Map<string, unknown>): boolean {
    for (const [name, { in: table, where }] of Object.entries(rule.find ?? {})) {
      const row = this.table(table).find((each) => this.fits(each, where ?? {}, names))
      if (row === undefined) return false
      names.set(name, row)
    }
    for (const [name, { in: table, where }] of Object.entries(rule.list ?? {}))
      names.set(
        name,
        this.table(table).filter((each) => this.fits(each, where ?? {}, names)),
      )
    return true
  }

  private fits(row: Row, where: Where, names: ReadonlyMap<string, unknown>): boolean {
    return Object.entries(where).every(([field, wanted]) => {
      // A name with a dot lies inside another field.
      const value = Object.hasOwn(row, field)
        ? row[field]
        : field
            .split('.')
            .reduce<unknown>((at, step) => (isPlainObject(at) ? at[step] : undefined), row)
      if (isPlainObject(wanted)) {
        const least = this.fill(wanted['atLeast'], names)
        const most = this.fill(wanted['atMost'], names)
        return (
          (least === undefined || Number(plainText(value)) >= Number(plainText(least))) &&
          (most === undefined || Number(plainText(value)) <= Number(plainText(most)))
        )
      }
      const filled = this.fill(wanted, names)
      return filled === undefined || plainText(value) === plainText(filled)
    })
  }

  private fill(template: unknown, names: ReadonlyMap<string, unknown>): unknown {
    return fillTemplate(template, (path) => this.lookUp(path, names))
  }

  private lookUp(path: string, names: ReadonlyMap<string, unknown>): unknown {
    const [first = '', ...rest] = stepsOf(path)
    return first === 'next'
      ? this.next(rest[0] ?? '', rest[1] ?? '')
      : inPlain(names.get(first), rest)
  }

  private next(table: string, field: string): string {
    const numbers = this.table(table)
      .map((row) => plainText(row[field]))
      .filter((text) => /^\d+$/.test(text))
      .map(BigInt)
    return String(numbers.reduce((most, each) => (each > most ? each : most), 0n) + 1n)
  }

  private removeRow(row: unknown): void {
    for (const rows of this.tables.values()) {
      const at = rows.findIndex((each) => each === row)
      if (at !== -1) rows.splice(at, 1)
    }
  }

  /** Remembers how all rows are now. @returns what puts them back */
  remember(): () => void {
    const copies = [...this.tables].map(([name, rows]) => ({
      name,
      rows,
      held: rows.map((row) => ({ row, copy: { ...row } })),
    }))
    return () => {
      for (const { rows, held } of copies) {
        rows.length = 0
        for (const { row } of held) rows.push(row)
        // The rows stay the same objects: others hold on to them.
        for (const { row, copy } of held) {
          for (const name of Object.keys(row)) Reflect.deleteProperty(row, name)
          Object.assign(row, copy)
        }
      }
    }
  }

  /** The rows of a table, live; undefined when there is no such table. */
  rows(name: string): Record<string, unknown>[] | undefined {
    return this.tables.get(name)
  }

  private table(name: string): Record<string, unknown>[] {
    return this.tables.get(name) ?? []
  }
}
