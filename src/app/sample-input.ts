import type { Document, Pair, YAMLMap } from 'yaml'
import type { Choice, Contract, Field, Operation, Type } from '../contract/contract.js'
import { membersOf, resolve } from '../contract/queries.js'
import { dialectNamed } from '../dialects/registry.js'
import { sampleInput, type Shortfall } from '../exercise/sample.js'
import { findOperation, openContract, type OpenOptions } from './open-contract.js'
import { describeField } from './show/fields.js'
import { inYamlComment } from '../printing/escaping.js'
import { documentText } from './yaml-text.js'

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
  const { Document: YamlDocument, isMap, isScalar, isSeq } = await import('yaml')
  const document: Document = new YamlDocument(input)
  const title = operation.documentation?.replace(/\s*\n\s*/g, '\n ')
  document.commentBefore = inYamlComment(
    ` ${operation.path.join('.')}${title === undefined ? '' : `\n ${title}`}`,
  )
  const commentValue = (node: unknown, type: Type, depth: number): void => {
    if (isSeq(node)) for (const item of node.items) commentValue(item, type, depth)
    if (!isMap(node) || depth > 8) return
    const shape = shapeOf(contract, type, (name) => node.has(name))
    comment(
      node,
      membersOf(contract, shape),
      shape.kind === 'record' ? (shape.choices ?? []) : [],
      depth,
    )
  }
  const comment = (
    node: unknown,
    fields: readonly Field[],
    choices: readonly Choice[],
    depth: number,
  ): void => {
    if (!isMap(node)) return
    for (const pair of node.items as Pair<
      { value: string; commentBefore?: string },
      { comment?: string } | null
    >[]) {
      const field = fields.find(({ name }) => name === pair.key.value)
      if (field === undefined) continue
      const text = inYamlComment(` ${words(contract, field, choices)}`)
      if (isScalar(pair.value) && text.length <= longestBehind) pair.value.comment = text
      else pair.key.commentBefore = text
      commentValue(pair.value, field.type, depth + 1)
    }
    const left = fields
      .filter((field) => field.readOnly !== true && !node.has(field.name))
      .map((field) => `${field.name} (${describeField(contract, field, 0).type})`)
    if (left.length > 0)
      (node as YAMLMap).comment = inYamlComment(` may be added: ${left.join(', ')}`)
  }
  const headers = operation.inputs.filter(({ place }) => place === 'messageHeader')
  comment(
    document.contents,
    operation.inputs.filter(({ place }) => place !== 'messageHeader'),
    operation.choices ?? [],
    0,
  )
  comment(document.get('headers'), headers, [], 1)
  const headerPair =
    headers.length === 0 || !isMap(document.contents)
      ? undefined
      : document.contents.items.find(({ key }) => isScalar(key) && key.value === 'headers')
  if (isScalar(headerPair?.key))
    headerPair.key.commentBefore = ' What goes into the header of the message.'
  return documentText(document)
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
