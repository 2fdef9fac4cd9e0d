import type { Document, Pair } from 'yaml'
import type { Choice, Contract, Field, Operation, Type, InputField } from '../contract/contract.js'
import { membersOf, resolve } from '../contract/queries.js'
import { dialectNamed } from '../dialects/registry.js'
import { sampleInput, type Shortfall } from '../exercise/sample.js'
import { inYamlComment } from '../printing/escaping.js'
import { findOperation, openContract, type OpenOptions } from './contracts/open-contract.js'
import { describeField } from './describe/fields.js'
import { documentText } from './files/yaml-text.js'

export interface SampleRequest extends OpenOptions {
  /** Fill the optional parts too. */
  readonly full?: boolean | undefined
}

/** A ready-to-edit input for an operation. */
export interface Sample {
  /** In plain form, as JSON and YAML can carry it. */
  readonly input: Record<string, unknown>
  /** As YAML, with what the contract says of each field as a comment. */
  readonly yaml: () => Promise<string>
  /** Values that could not be made to satisfy the contract. */
  readonly shortfalls: readonly Shortfall[]
}

/**
 * A ready-to-edit input for an operation: from examples and defaults of the metadata first, then
 * made to satisfy every constraint.
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @param operationName the operation
 * @returns the input in plain form and as YAML, and what could not be made to fit
 * @throws Problem TM-1005 when there is no such operation
 */
export async function sampleFor(
  reference: string,
  operationName: string,
  options: SampleRequest = {},
): Promise<Sample> {
  const open = await openContract(reference, options)
  const { contract } = open
  const dialect = await dialectNamed(contract.dialect)
  const operation = findOperation(open, operationName)
  const shortfalls: Shortfall[] = []
  const input = sampleInput(contract, operation, {
    full: options.full === true,
    rules: dialect.rules?.(contract),
    onShortfall: (each) => shortfalls.push(each),
  })
  return { input, shortfalls, yaml: () => commentedYaml(contract, operation, input) }
}

/** A comment longer than this stands above its field instead of behind it. */
const longestBehind = 70

async function commentedYaml(
  contract: Contract,
  operation: Operation,
  input: Record<string, unknown>,
): Promise<string> {
  const yaml = await import('yaml')
  const document: Document = new yaml.Document(input)
  const name = operation.path.join('.')
  const title = operation.documentation?.replace(/\s*\n\s*/g, '\n ')
  document.commentBefore = inYamlComment(` ${title === undefined ? name : `${name}\n ${title}`}`)
  const commenter = new Commenter(contract, yaml)
  const isHeader = ({ place }: InputField): boolean => place === 'messageHeader'
  const headers = operation.inputs.filter(isHeader)
  const others = operation.inputs.filter((input) => !isHeader(input))
  commenter.fields(document.contents, others, operation.choices ?? [], 0)
  commenter.fields(document.get('headers'), headers, [], 1)
  const { contents } = document
  const pairs = headers.length > 0 && yaml.isMap(contents) ? contents.items : []
  for (const { key } of pairs)
    if (yaml.isScalar(key) && key.value === 'headers')
      key.commentBefore = ' What goes into the header of the message.'
  return documentText(document)
}

type CommentedPair = Pair<{ value: string; commentBefore?: string }, { comment?: string } | null>

/** Writes what a contract says of fields beside their values. */
class Commenter {
  private readonly contract: Contract
  private readonly yaml: typeof import('yaml')

  constructor(contract: Contract, yaml: typeof import('yaml')) {
    this.contract = contract
    this.yaml = yaml
  }

  fields(node: unknown, fields: readonly Field[], choices: readonly Choice[], depth: number): void {
    if (!this.yaml.isMap(node)) return
    for (const { key, value } of node.items as CommentedPair[]) {
      const field = fields.find(({ name }) => name === key.value)
      if (field === undefined) continue
      const text = inYamlComment(` ${words(this.contract, field, choices)}`)
      if (this.yaml.isScalar(value) && text.length <= longestBehind) value.comment = text
      else key.commentBefore = text
      this.value(value, field.type, depth + 1)
    }
    const left = fields
      .filter((field) => field.readOnly !== true && !node.has(field.name))
      .map((field) => `${field.name} (${describeField(this.contract, field, 0).type})`)
    if (left.length > 0) node.comment = inYamlComment(` may be added: ${left.join(', ')}`)
  }

  private value(node: unknown, type: Type, depth: number): void {
    if (this.yaml.isSeq(node)) for (const item of node.items) this.value(item, type, depth)
    if (!this.yaml.isMap(node) || depth > 8) return
    const shape = shapeOf(this.contract, type, (name) => node.has(name))
    const choices = shape.kind === 'record' ? (shape.choices ?? []) : []
    this.fields(node, membersOf(this.contract, shape), choices, depth)
  }
}

/** What the contract says of a field, in one line. */
function words(contract: Contract, field: Field, choices: readonly Choice[]): string {
  const { type, required, rules, documentation } = describeField(contract, field, 0, choices)
  return [
    [type, ...(required ? ['required'] : []), ...(rules === '' ? [] : [rules])].join(', '),
    ...(documentation === undefined ? [] : [documentation]),
  ].join('. ')
}

/**
 * The type behind references and lists; of several shapes the one that has most of the members that
 * are there.
 */
function shapeOf(contract: Contract, type: Type, has: (name: string) => boolean): Type {
  const actual = resolve(contract, type)
  if (actual.kind === 'list') return shapeOf(contract, actual.item, has)
  if (actual.kind !== 'union') return actual
  const shared = (each: Type): number =>
    membersOf(contract, each).filter(({ name }) => has(name)).length
  const [best] = [...actual.alternatives].sort((a, b) => shared(b) - shared(a))
  return best === undefined ? actual : shapeOf(contract, best, has)
}
