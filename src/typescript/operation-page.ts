import type { Field, InputField, Operation } from '../contract/contract.js'
import { addTo } from '../contract/lists.js'
import type { Declaration, Dialect, Signature } from '../dialects/dialect.js'
import { methodName } from '../naming/methods.js'
import { moduleOfOperation } from '../naming/operation-files.js'
import { docComment, propertyName } from '../printing/escaping.js'
import { Page } from '../printing/page.js'
import { choiceDeclaration, type TypeTexts } from './types.js'
import { exportedNames } from './exported-names.js'
import { code, type Code } from '../printing/safe-text.js'

/**
 * The files of the operations: of each the types of its input and outcome, and its exported
 * function.
 */
export function operationPages(
  operations: readonly Operation[],
  texts: TypeTexts,
  dialect: Dialect,
): Page[] {
  const together = new Map<string, Operation[]>()
  for (const operation of operations)
    addTo(together, moduleOfOperation(texts.contract, texts.names, operation), operation)
  return [...together].map(([module, own]) => {
    const page = new Page(module)
    const exports = own.flatMap((operation) => exportedNames(texts.names, operation))
    for (const name of [...exports, 'connection', 'input', 'thisCall', 'error']) page.declare(name)
    const constants = new Map(
      own.map((operation) => {
        const [call] = exportedNames(texts.names, operation)
        return [operation, page.declareFree(own.length === 1 ? 'operation' : `${call}Operation`)]
      }),
    )
    for (const [operation, constant] of constants)
      printOperation(page, operation, constant, texts, dialect)
    return page
  })
}

function printOperation(
  page: Page,
  operation: Operation,
  constant: Code,
  texts: TypeTexts,
  dialect: Dialect,
): void {
  const { names } = texts
  const [call, input, outcome] = exportedNames(names, operation)
  const { outcome: promised } = operation
  const isNamed = hasNamedOutcome(operation)
  const outcomeType = isNamed ? outcome : soleOutcome(operation, texts, page)
  const context = {
    contract: texts.contract,
    names,
    operation,
    page,
    inputType: input,
    outcomeType,
  }
  const declaration = dialect.emit.declaration?.(context) ?? {}
  page.print(code``, ...inputDeclaration(operation, input, declaration, texts, page))
  if (isNamed)
    page.print(
      code``,
      ...docComment([`What ${call} returns.`]),
      ...outcomeDeclaration(promised, outcome, texts, page),
    )
  dialect.emit.operation({
    ...context,
    constant,
    signature: declaration.signature ?? usualSignature(operation, input, outcomeType),
  })
}

/** Input in, promise of the outcome out. */
function usualSignature(operation: Operation, inputType: Code, outcomeType: Code): Signature {
  const allOptional = operation.inputs.every(
    (each) => each.optional || each.place === 'messageHeader',
  )
  return {
    typeParameters: code``,
    input: code`input: ${inputType}${allOptional ? code` = {}` : code``}`,
    returns: code`Promise<${outcomeType}>`,
  }
}

function soleOutcome(operation: Operation, texts: TypeTexts, page: Page): Code {
  const { outcome } = operation
  if (outcome.kind === 'nothing' && outcome.undeclared === true) return code`unknown`
  if (outcome.kind !== 'value') return code`void`
  const { field } = outcome
  const isList = field.type.kind === 'list'
  return code`${texts.of(field.type, page)}${field.nullable ? code` | null` : code``}${field.optional && !isList ? code` | undefined` : code``}`
}

function inputDeclaration(
  operation: Operation,
  name: Code,
  { inputBase }: Declaration,
  texts: TypeTexts,
  page: Page,
): Code[] {
  if (operation.inputs.length === 0)
    return [
      code`/** There is nothing to give. */`,
      code`export type ${name} = Record<string, never>`,
    ]
  const own = operation.inputs.filter((field) => inputBase?.covers.includes(field.name) !== true)
  if (inputBase !== undefined && own.length === 0)
    return [code`export type ${name} = ${inputBase.text}`]
  const plain = own.filter((input) => input.place !== 'messageHeader')
  const headers = own.filter((input) => input.place === 'messageHeader')
  const headerLines =
    headers.length === 0
      ? []
      : [
          code`  /** Message headers. */`,
          code`  headers?: {`,
          ...headers.flatMap((field: InputField) => texts.propertyLines(field, page, '    ')),
          code`  }`,
        ]
  if (operation.choices !== undefined)
    return choiceDeclaration(texts, name, plain, operation.choices, headerLines, page)
  return [
    code`export interface ${name}${inputBase === undefined ? code`` : code` extends ${inputBase.text}`} {`,
    ...plain.flatMap((field: Field) => texts.propertyLines(field, page)),
    ...headerLines,
    code`}`,
  ]
}

/**
 * An operation as a method of the class, up to its body: `quoteDues(input: QuoteDuesInput,
 * thisCall?: ThisCall): Promise<Quote>`.
 */
export function methodHead(
  operation: Operation,
  texts: TypeTexts,
  page: Page,
  dialect: Dialect,
): Code {
  const { names, contract } = texts
  const [, input, outcome] = exportedNames(names, operation)
  const module = moduleOfOperation(contract, names, operation)
  const outcomeType = hasNamedOutcome(operation)
    ? page.useType(module, outcome)
    : soleOutcome(operation, texts, page)
  const inputType = page.useType(module, input)
  const signature =
    dialect.emit.declaration?.({ contract, names, operation, page, inputType, outcomeType })
      .signature ?? usualSignature(operation, inputType, outcomeType)
  return code`${propertyName(methodName(operation))}${signature.typeParameters}(${signature.input}, thisCall?: ${signature.thisCall ?? page.useType('runtime/connection', 'ThisCall')}): ${signature.returns}`
}

/**
 * The declarations of an operation's input and outcome types, as they stand in its file; nothing
 * for an input that there is not.
 */
export function operationTypes(operation: Operation, texts: TypeTexts, dialect: Dialect): Code[] {
  const page = new Page('operations/shown')
  const [, input, outcome] = exportedNames(texts.names, operation)
  const isNamed = hasNamedOutcome(operation)
  const context = {
    contract: texts.contract,
    names: texts.names,
    operation,
    page,
    inputType: input,
    outcomeType: isNamed ? outcome : soleOutcome(operation, texts, page),
  }
  return [
    ...(operation.inputs.length === 0
      ? []
      : inputDeclaration(operation, input, dialect.emit.declaration?.(context) ?? {}, texts, page)),
    ...(isNamed ? [code``, ...outcomeDeclaration(operation.outcome, outcome, texts, page)] : []),
  ]
}

/** Has an operation several outcomes, by name or by status? Then they have a type of their own. */
function hasNamedOutcome({ outcome }: Operation): boolean {
  if (outcome.kind !== 'value') return outcome.kind === 'record'
  const { type, nullable, optional } = outcome.field
  if (nullable || optional || type.kind !== 'union') return false
  return type.alternatives.every((each) => each.kind === 'record')
}

function outcomeDeclaration(
  outcome: Operation['outcome'],
  name: Code,
  texts: TypeTexts,
  page: Page,
): Code[] {
  if (outcome.kind !== 'record') {
    const type = outcome.kind === 'value' ? texts.of(outcome.field.type, page) : code`void`
    return [code`export type ${name} = ${type}`]
  }
  return [
    code`export interface ${name} {`,
    ...outcome.fields.flatMap((field) => texts.propertyLines(field, page)),
    code`}`,
  ]
}
