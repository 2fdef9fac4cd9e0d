import { compareTexts } from '../contract/ordering.js'
import { neededOf } from '../contract/queries.js'
import { verdicts, type Change } from './change.js'
import { settled, type At } from './drafts.js'
import { endpointChanges } from './endpoints.js'
import { incomingDrafts } from './incoming.js'
import { loginChanges } from './logins.js'
import { aliasChanges, typeChanges } from './named-types.js'
import { OperationComparer } from './operations.js'
import type { Side, Sides } from './side.js'
import { TypeComparer } from './types.js'

/**
 * Everything that differs between two contracts of one service, and what each difference does: to
 * clients that were made from the one and run against the other, and to source that is compiled
 * with a client made from the other. Things are matched by what they are on the wire.
 *
 * @param before what callers have
 * @param after what there is now; its names are to be those of `before` where things are the same
 * @returns the changes, what hurts callers most first; what does nothing to anybody is `quiet`
 */
export function compareContracts(before: Side, after: Side): Change[] {
  const sides: Sides = { before: needed(before), after: needed(after) }
  const types = new TypeComparer(sides)
  const changes = [
    ...endpointChanges(sides),
    ...loginChanges(sides),
    ...incomingDrafts(
      types,
      sides.before.contract.incoming,
      sides.after.contract.incoming,
      wholeContract(sides),
    ).map((made) => settled(made, [], () => [])),
    ...new OperationComparer(types)
      .compare()
      .map(({ operation, draft: made }) => settled(made, [operation], () => [operation])),
    ...typeChanges(sides, types),
    ...aliasChanges(sides),
  ]
  return sorted(changes)
}

function wholeContract({ before }: Sides): At {
  const { name, title } = before.contract
  return { subject: { kind: 'contract', name }, words: title, directions: ['received'], names: [] }
}

function needed(side: Side): Side {
  return { ...side, contract: neededOf(side.contract) }
}

/** What hurts most first; then operations before types, as the contract has them. */
function sorted(changes: readonly Change[]): Change[] {
  const rank = ({ calls, code, quiet }: Change): number =>
    quiet === true
      ? 1000
      : 10 * Math.min(verdicts.indexOf(calls.verdict), verdicts.indexOf(code.verdict)) +
        verdicts.indexOf(calls.verdict) +
        verdicts.indexOf(code.verdict)
  return [...changes].sort(
    (a, b) =>
      rank(a) - rank(b) ||
      subjects.indexOf(a.subject.kind) - subjects.indexOf(b.subject.kind) ||
      compareTexts(a.subject.name, b.subject.name) ||
      compareTexts(a.subject.part ?? '', b.subject.part ?? '') ||
      compareTexts(a.text, b.text),
  )
}

const subjects = ['contract', 'endpoint', 'login', 'operation', 'type'] as const
