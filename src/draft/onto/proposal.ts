import { isPlainObject } from '../../contract/plain.js'
import { recordedApart } from '../recorded-apart.js'
import type { Recording } from '../recording.js'
import { Description, listIn, type DescribedDocuments } from './description.js'
import { Mending, type ProposedAction } from './mending.js'
import { addOperations, noneAdded } from './new-operations.js'
import { RecordedOnto } from './recorded-onto.js'

export { isReplacement, type ProposedAction } from './mending.js'

/** What would make a description allow what was recorded. */
export interface Proposal {
  /** By the label of the document that they mend. */
  readonly actions: ReadonlyMap<string, readonly ProposedAction[]>
  /** How many exchanges were held against the description. */
  readonly exchanges: number
  /** How many were left out, by why. */
  readonly leftOut: ReadonlyMap<string, number>
  /** What can't be proposed, and why. */
  readonly troubles: readonly string[]
}

/** What was drafted may show more when it is looked at again, but not for ever. */
const mostRounds = 12

/**
 * Proposes what to change in a description so that it allows the answers that were recorded, and
 * says what they hold.
 *
 * @param only the address that everything meant begins with
 */
export function proposalOnto(
  described: DescribedDocuments,
  recordings: readonly Recording[],
  only?: string,
): Proposal {
  const actions = new Map<string, ProposedAction[]>()
  let documents = described.documents
  let first: Round | undefined
  for (let round = 0; round < mostRounds; round += 1) {
    const last = proposeOnce({ ...described, documents }, recordings, only, round === 0)
    first ??= last
    if (last.actions.size === 0) break
    for (const [document, own] of last.actions)
      actions.set(document, [...(actions.get(document) ?? []), ...own])
    documents = last.mended
  }
  const { exchanges = 0, leftOut = new Map<string, number>(), troubles = [] } = first ?? {}
  return { actions, exchanges, leftOut, troubles }
}

interface Round extends Proposal {
  readonly mended: DescribedDocuments['documents']
}

function proposeOnce(
  described: DescribedDocuments,
  recordings: readonly Recording[],
  only: string | undefined,
  isFirst: boolean,
): Round {
  const description = new Description(described)
  const { kept, leftOut } = recordedApart(recordings, only ?? addressOf(description, recordings))
  const held = new RecordedOnto(description)
  held.operations.paths.learn(
    kept.map(({ url }) => url),
    only,
  )
  for (const recording of kept) held.hold(recording)
  const work = new Mending(description, held)
  work.schemas()
  work.answers()
  work.parameters()
  work.needless()
  work.named()
  // What they are drafted from they allow.
  const added = isFirst ? addOperations(description, held, work) : noneAdded
  return {
    actions: work.actions(),
    mended: work.documents,
    exchanges: held.count + added.exchanges,
    leftOut: together(leftOut, held.leftOut, added.leftOut),
    troubles: [...held.troubles, ...held.walk.troubles, ...added.troubles],
  }
}

/** The address of the service, where the description says it and something was recorded of it. */
function addressOf(description: Description, recordings: readonly Recording[]): string | undefined {
  const origins = new Set(recordings.map(({ url }) => url.origin))
  const { servers, host, schemes } = description.objectAt({ document: description.root, path: [] })
  const addresses = listIn(servers).map((each) => (isPlainObject(each) ? String(each['url']) : ''))
  const old = (Array.isArray(schemes) ? schemes : ['https', 'http']).map(
    (scheme) => `${String(scheme)}://${String(host)}`,
  )
  return [...addresses, ...(host === undefined ? [] : old)]
    .flatMap((each) => (URL.canParse(each) ? [new URL(each).origin] : []))
    .find((origin) => origins.has(origin))
}

/** Counts by what they are of, put together. */
function together(...all: readonly ReadonlyMap<string, number>[]): Map<string, number> {
  const sums = new Map<string, number>()
  for (const each of all)
    for (const [why, count] of each) sums.set(why, (sums.get(why) ?? 0) + count)
  return sums
}
