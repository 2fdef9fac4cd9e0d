import type { Contract } from '../../contract/contract.js'
import { operationsOf, someType } from '../../contract/queries.js'
import { needsExactJson } from './exact-numbers.js'
import {
  operationSpecifics,
  typeSpecifics,
  type BodySpecifics,
  type FaultSpecifics,
} from './specifics.js'
import type { ContentKind } from './media-types.js'

/**
 * Which files of the runtime, and which packages, a client needs beyond those that all HTTP clients
 * have.
 */
export function runtimeNeeds(contract: Contract): {
  readonly files: readonly string[]
  readonly packages: Readonly<Record<string, string>>
} {
  const operations = operationsOf(contract)
  const kinds = new Set<ContentKind>()
  const wanted = new Set<string>()
  let isStreamed = false
  let isPaged = false
  for (const operation of operations) {
    const body = operation.inputs.find((input) => input.place === 'body')?.specifics as
      BodySpecifics | undefined
    const faults = operation.faults.map(
      (fault) => (fault.specifics as FaultSpecifics | undefined)?.content,
    )
    for (const content of [
      ...(body?.contents ?? []),
      ...Object.values(operationSpecifics(operation).answers).flat(),
      ...faults,
    ])
      if (content !== undefined) kinds.add(content.kind)
    for (const name of (operation.security ?? []).flat()) wanted.add(name)
    isStreamed ||= operation.outcome.kind === 'value' && operation.outcome.stream === true
    isPaged ||= operationSpecifics(operation).pages !== undefined
  }
  const files = [
    ...(['form', 'multipart', 'xml', 'lines'] as const)
      .filter((kind) => kinds.has(kind))
      .map((kind) => `http/${kind === 'form' ? 'forms' : kind}.ts`),
    ...(isStreamed ? ['http/json-texts.ts', 'http/streams.ts'] : []),
    ...(isPaged ? ['listing.ts', 'service-links.ts', 'http/pages.ts'] : []),
    ...(hasRules(contract) ? ['json/rules.ts'] : []),
    ...(needsExactJson(contract) ? ['json/exact-json.ts'] : []),
  ]
  return {
    files,
    packages: {
      ...(kinds.has('xml') ? { saxes: '^6.0.0' } : {}),
    },
  }
}

const rules = new WeakMap<Contract, boolean>()

/** Must values of some type satisfy more than their shape? */
function hasRules(contract: Contract): boolean {
  let found = rules.get(contract)
  if (found === undefined) {
    found = someType(contract, (type) => typeSpecifics(type).rule !== undefined)
    rules.set(contract, found)
  }
  return found
}
