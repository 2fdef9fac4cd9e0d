import type { DataNode } from '../../documents/data-node.js'
import type { References } from './references.js'

/** What an answer leads to. */
export interface AnswerLink {
  readonly words: string
  /** What goes into which parameter: runtime expressions (OpenAPI 3.1, section 4.8.20.4). */
  readonly parameters: readonly (readonly [name: string, expression: string])[]
  /** It is the same operation once more. */
  readonly leadsBack: boolean
}

/**
 * Links: which operation, and what of the answer goes into it (section 4.8.20).
 *
 * @param from the operation that answers
 */
export function readAnswerLinks(
  response: DataNode,
  from: DataNode,
  references: References,
): AnswerLink[] {
  return response.entries('links').map(([name, each]) => {
    const link = references.settle(each)
    const reference = link.text('operationRef')
    const referred = reference === undefined ? undefined : references.lookUp(reference, link)
    const id = link.text('operationId') ?? referred?.text('operationId')
    const isSelf = referred === from || (id !== undefined && id === from.text('operationId'))
    const parameters = link
      .entries('parameters')
      .map(([parameter, value]) => [parameter, String(value.value)] as const)
    const said = link.text('description')?.trim()
    link.readWhole()
    return {
      words: inWords(id ?? reference ?? name, parameters, said),
      parameters,
      leadsBack: isSelf && !link.members.has('server'),
    }
  })
}

function inWords(
  operation: string,
  parameters: AnswerLink['parameters'],
  said: string | undefined,
): string {
  const given = parameters.map(([parameter, value]) => `${parameter} from ${value}`)
  const what = given.length === 0 ? operation : `${operation} (${given.join(', ')})`
  return said === undefined ? what : `${what}: ${said}`
}
