import type { Contract, Operation, Outcome, Type } from '../contract/contract.js'
import { fieldsOf, operationsOf, pathOf, resolve } from '../contract/queries.js'
import { compareTexts } from '../contract/ordering.js'
import type { Names } from '../naming/names.js'
import { identifier, quoted } from '../printing/escaping.js'
import { code, joined, type Code } from '../printing/safe-text.js'
import {
  clientVariable,
  firstToCall,
  inputLines,
  isIterable,
  methodOf,
  type InputMaker,
} from './first-lines.js'
import { variablePrefix } from './variables.js'

/** What a first program is written with. */
export interface ProgramOptions {
  /** The name of the contract; the variables of its settings start with it. */
  readonly contractName: string
  /** The module that the class is imported from. */
  readonly from: string
  readonly sample: InputMaker
  /** In JavaScript: without types. */
  readonly isPlain?: boolean
}

/** A first program, and what it calls. */
export interface FirstProgram {
  readonly lines: readonly Code[]
  readonly operation: Operation
}

/** So many columns of a table are shown. */
const mostColumns = 5

/** So many rows of what comes piece by piece are shown. */
const mostRows = 20
const lineLength = 96

/**
 * A small program that runs as it stands: settings from the environment, one call of the first
 * useful operation with the inputs that it needs, what it answers on the screen, failures told. It
 * compiles as an ES module and as CommonJS.
 *
 * @returns undefined where there is no operation to call
 */
export function firstProgram(
  contract: Contract,
  names: Names,
  { contractName, from, sample, isPlain = false }: ProgramOptions,
): FirstProgram | undefined {
  const operations = [...operationsOf(contract)].sort((a, b) => compareTexts(pathOf(a), pathOf(b)))
  const operation = firstToCall(contract, operations)
  if (operation === undefined) return undefined
  const className = identifier(names.class)
  const variable = clientVariable(names)
  const method = methodOf(names, operation)
  const [first = code``, ...rest] = inputLines(
    contract,
    names,
    operation,
    sample,
    lineLength - method.length,
  )
  const call = [code`${method}(${first}`, ...rest]
  call.push(code`${call.pop() ?? code``})`)
  const lines = [
    code`import { ${className} } from ${quoted(from)}`,
    code``,
    code`async function main()${isPlain ? code`` : code`: Promise<void>`} {`,
    code`  // Variables of the environment say where the service is and who calls: ${identifier(variablePrefix(contractName))}_URL and others.`,
    code`  const ${variable} = ${className}.fromVariables(process.env)`,
    ...shown(contract, operation, call).map((line) => code`  ${line}`),
    code`}`,
    code``,
    code`main().catch((error${isPlain ? code`` : code`: unknown`}) => {`,
    code`  console.error(error instanceof Error ? \`\${error.name}: \${error.message}\` : error)`,
    code`  process.exitCode = 1`,
    code`})`,
  ]
  return { lines, operation }
}

/** The call with what shows its outcome. */
function shown(contract: Contract, operation: Operation, call: readonly Code[]): Code[] {
  const [first = code``, ...rest] = call
  const last = (close: Code): Code[] => [
    ...rest.slice(0, -1),
    ...rest.slice(-1).map((line) => code`${line}${close}`),
  ]
  const lines = (open: Code, close: Code): Code[] =>
    rest.length === 0 ? [code`${open}${first}${close}`] : [code`${open}${first}`, ...last(close)]
  const { outcome } = operation
  if (isIterable(operation))
    return [
      code`const rows = []`,
      ...lines(code`for await (const each of `, code`) {`),
      code`  rows.push(each)`,
      code`  if (rows.length === ${mostRows}) break`,
      code`}`,
      code`console.table(rows${columns(contract, outcome)})`,
    ]
  if (outcome.kind === 'nothing' && outcome.undeclared !== true)
    return [...lines(code`await `, code``), code`console.log('done')`]
  const isTable = rowOf(contract, outcome) !== undefined
  return [
    ...lines(code`const answer = await `, code``),
    isTable
      ? code`console.table(answer${columns(contract, outcome)})`
      : code`console.dir(answer, { depth: 6 })`,
  ]
}

/** What the rows of a list are; undefined where an outcome is none. */
function rowOf(contract: Contract, outcome: Outcome): Type | undefined {
  if (outcome.kind !== 'value') return undefined
  const type = resolve(contract, outcome.field.type)
  return type.kind === 'list' ? resolve(contract, type.item) : undefined
}

/** The columns of a table that fits a terminal, as a further argument; nothing for all of them. */
function columns(contract: Contract, outcome: Outcome): Code {
  const row = rowOf(contract, outcome)
  const fields = row?.kind === 'record' ? fieldsOf(contract, row) : []
  const plain = fields.filter(({ type, name }) => {
    const { kind } = resolve(contract, type)
    return !name.startsWith('$') && (kind === 'scalar' || kind === 'enumeration')
  })
  if (plain.length === 0 || fields.length <= mostColumns) return code``
  const shown = plain.slice(0, mostColumns).map(({ name }) => quoted(name))
  return code`, [${joined(shown, ', ')}]`
}
