import type {
  Choice,
  Contract,
  Field,
  NamedType,
  Operation,
  Type,
} from '../../src/contract/contract.js'
import { groupOf } from '../../src/contract/choice.js'
import {
  basesOf,
  directSubtypes,
  fieldsOf,
  neededOf,
  operationsOf,
  pathOf,
  recordType,
  resolve,
} from '../../src/contract/queries.js'
import type { Dialect } from '../../src/dialects/dialect.js'
import { namedIn } from '../../src/compare/reach.js'
import { groupName, methodName } from '../../src/naming/methods.js'
import { operationExports, type Names } from '../../src/naming/names.js'
import { Page } from '../../src/printing/page.js'
import { propertyName, quoted } from '../../src/printing/escaping.js'
import { TypeTexts } from '../../src/typescript/types.js'

/** A line of a program, and what it uses: names of the client, with the members of them. */
export interface Line {
  readonly text: string
  readonly uses: readonly string[]
}

/**
 * A program that uses everything that a client has: every operation, every member written and read,
 * every case of every enumeration and union, one thing a line.
 *
 * @param sent types that are sent, by id; the others are read only
 */
export function everyUse(
  whole: Contract,
  names: Names,
  dialect: Dialect,
  isSent: (id: string) => boolean,
  isRead: (id: string) => boolean,
): Line[] {
  const contract = neededOf(whole)
  const texts = new TypeTexts(contract, names, dialect.emit.open)
  const page = new Page('judge')
  const lines: Line[] = []
  const imported = new Map<string, string>()
  let number = 0
  const add = (uses: readonly string[], text: (id: string) => string): void => {
    lines.push({ uses, text: `export const u${String((number += 1))} = ${text(String(number))}` })
  }
  const textOf = (type: Type): string => {
    const text = texts.of(type, page)
    for (const module of page.modules())
      for (const name of page.usesOf(module)) imported.set(name, module)
    return text
  }
  const inside = (type: Type): string[] => namedIn(type).map((id) => names.types[id] ?? '')
  const read = (field: Field): string =>
    `${textOf(field.type)}${field.optional ? ' | undefined' : ''}${field.nullable ? ' | null' : ''}`
  const write = (
    owner: string,
    all: readonly Field[],
    choices: readonly Choice[] = [],
    of = owner,
    bases: readonly string[] = [of],
  ): void => {
    for (const fields of chosen(all, choices)) writeOne(owner, fields, bases)
  }
  const writeOne = (owner: string, fields: readonly Field[], bases: readonly string[]): void => {
    for (const [how, given] of [
      ['all', fields],
      ['least', fields.filter(({ optional }) => !optional)],
    ] as const) {
      if (how === 'least' && given.length === fields.length) continue
      const inputs = given.map(
        (field, at) => `a${String(at)}: ${textOf(field.type)}${field.nullable ? ' | null' : ''}`,
      )
      const members = given.map((field, at) => `${propertyName(field.name)}: a${String(at)}`)
      add(
        bases.flatMap((of) => [of, ...given.map(({ name }) => `${of}.${name}`)]),
        () => `(${inputs.join(', ')}): ${owner} => ({ ${members.join(', ')} })`,
      )
    }
  }
  const ofType = (type: NamedType): void => {
    const name = names.types[type.id] ?? ''
    if (type.kind === 'list') return
    imported.set(name, 'index')
    if (type.kind === 'enumeration') {
      for (const { value } of type.members)
        add([name, `${name}.${value}`], () => `(): ${name} => ${quoted(value)}`)
      if (isRead(type.id)) add([name], () => `(v: ${name}): ${textOf(withoutName(type))} => v`)
      return
    }
    if (type.kind === 'record') {
      const fields = fieldsOf(contract, type)
      // What is inherited changes where it is declared.
      const bases = [type, ...basesOf(contract, type)].flatMap((each) =>
        'id' in each ? [names.types[String(each.id)] ?? ''] : [],
      )
      if (isSent(type.id) && type.abstract !== true) write(name, fields, type.choices, name, bases)
      if (isRead(type.id))
        for (const field of fields)
          add(
            [...bases.map((each) => `${each}.${field.name}`), ...inside(field.type)],
            () => `(v: ${name}): ${read(field)} => v[${quoted(field.name)}]`,
          )
      ofKinds(type, name)
      return
    }
    const text = textOf(withoutName(type))
    if (isRead(type.id)) add([name], () => `(v: ${name}): ${text} => v`)
    if (isSent(type.id)) add([name], () => `(v: ${text}): ${name} => v`)
  }
  const ofKinds = ({ id }: NamedType, name: string): void => {
    for (const kind of directSubtypes(contract).get(id) ?? []) {
      const type = recordType(contract, kind)
      if (type.abstract === true) continue
      const own = names.types[kind] ?? ''
      const $is = quoted(names.types[type.variantOf ?? kind] ?? '')
      imported.set(`Any${name}`, 'index').set(own, 'index')
      const uses = [name, `Any${name}`]
      if (isSent(id)) add(uses, () => `(v: ${own}): Any${name} => ({ ...v, $is: ${$is} })`)
      if (isRead(id)) add(uses, () => `(v: Any${name}) => v.$is === ${$is}`)
    }
  }
  for (const type of Object.values(contract.types)) ofType(type)
  for (const operation of operationsOf(contract)) ofOperation(operation)

  function ofOperation(operation: Operation): void {
    const name = names.operations[pathOf(operation)] ?? ''
    const [, input, , , guard] = operationExports(name)
    const group = groupOf(operation)
    const holder = group === undefined ? names.class : (names.groups[group] ?? '')
    const method = `${group === undefined ? '' : `[${quoted(groupName(group))}]`}[${quoted(methodName(operation))}]`
    imported.set(names.class, 'index')
    add([name, `${holder}.${methodName(operation)}`], () => `(c: ${names.class}) => c${method}`)
    const plain = operation.inputs.filter(({ place }) => place !== 'messageHeader')
    // Queries have types of their own, made of what they ask for.
    const isQuery = plain.some((each) => ['expand', 'select', 'filter'].includes(each.name))
    const given = dialect.name === 'odata' ? `Parameters<${names.class}${method}>[0]` : input
    if (dialect.name !== 'odata') imported.set(input, 'index')
    if (plain.length > 0 && !isQuery) write(given, plain, operation.choices, input)
    if (isQuery) {
      imported.set(input, 'index')
      const { outcome: rows } = operation
      const row = rows.kind === 'value' ? itemOf(contract, rows.field.type) : undefined
      const way =
        row?.kind === 'record'
          ? fieldsOf(contract, row).find(({ relation }) => relation)
          : undefined
      for (const { name: option } of plain)
        add([name, `${input}.${option}`], () =>
          option === 'expand' && way !== undefined
            ? `(): Pick<${input}, 'expand'> => ({ expand: [${quoted(way.name)}] })`
            : `(v: ${input}) => v[${quoted(option)}]`,
        )
    }
    const headers = operation.inputs.filter(({ place }) => place === 'messageHeader')
    if (headers.length > 0) {
      imported.set(input, 'index')
      write(`NonNullable<${input}['headers']>`, headers, [], input)
    }
    const { outcome } = operation
    const answer = `Awaited<ReturnType<${names.class}${method}>>`
    if (outcome.kind !== 'record' && outcome.headers !== undefined) {
      const type = operationExports(name)[5]
      imported.set(type, 'index')
      for (const field of outcome.headers)
        add(
          [type, `${type}.${field.name}`],
          () => `(v: ${type}): ${read(field)} => v[${quoted(field.name)}]`,
        )
    }
    if (outcome.kind === 'record')
      for (const field of outcome.fields)
        add(
          [`${operationExports(name)[2]}.${field.name}`, name],
          () => `(v: ${answer}): ${read(field)} => v[${quoted(field.name)}]`,
        )
    if (outcome.kind === 'value' && outcome.iterable !== true)
      add(
        [name, ...inside(outcome.field.type)],
        () => `(v: ${answer}): ${read(outcome.field)} => v`,
      )
    for (const fault of operation.faults.slice(0, 1)) {
      imported.set(guard, 'index')
      add(
        [name, `${operationExports(name)[3]}`],
        () => `(e: unknown) => ${guard}(e) && e.fault === ${quoted(fault.name)}`,
      )
    }
  }
  const words = new Set(lines.flatMap(({ text }) => text.match(/[\w$]+/g) ?? []))
  return [
    ...[...imported]
      .filter(([name]) => words.has(name))
      .map(([name, module]) => ({
        text: `import { ${name} } from './${module.startsWith('runtime/') ? module : 'CLIENT/index'}.js'`,
        uses: [name],
      })),
    ...lines,
  ]
}

/** Fields with one alternative of every choice between them, in all ways for a single choice. */
function chosen(fields: readonly Field[], choices: readonly Choice[]): Field[][] {
  const [first] = choices
  if (first === undefined) return [[...fields]]
  const all = new Set(first.alternatives.flatMap((each) => each.fields))
  return first.alternatives.map((own) =>
    fields.flatMap((field) => {
      if (!all.has(field.name)) return [field]
      if (!own.fields.includes(field.name)) return []
      return [{ ...field, optional: !own.required.includes(field.name) }]
    }),
  )
}

function itemOf(contract: Contract, type: Type): Type {
  const actual = resolve(contract, type)
  return actual.kind === 'list' ? itemOf(contract, actual.item) : actual
}

function withoutName(type: NamedType): Type {
  const { id: _id, name: _name, origin: _origin, ...rest } = type
  return rest as unknown as Type
}
