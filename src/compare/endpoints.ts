import type { Endpoint } from '../contract/contract.js'
import { addAll } from '../contract/lists.js'
import { present } from '../contract/present.js'
import { endpointsOf } from '../contract/queries.js'
import { breaks, fine, mayBreak, type Change } from './change.js'
import { compareFacts, draft, settled, type At, type Draft } from './drafts.js'
import type { Sides } from './side.js'

/** What differs of the endpoints of two contracts, which are matched by their names. */
export function endpointChanges({ before, after }: Sides): Change[] {
  const [old, now] = [before, after].map(
    ({ contract }) => new Map(endpointsOf(contract).map((each) => [each.name, each])),
  ) as [Map<string, Endpoint>, Map<string, Endpoint>]
  const drafts: Draft[] = []
  for (const [name, endpoint] of old) {
    const other = now.get(name)
    const at = endpointAt(name, endpoint, other)
    if (other === undefined) drafts.push(goneEndpoint(at, endpoint))
    else
      addAll(drafts, [
        ...endpointDifferences(at, endpoint, other),
        ...compareFacts(at, before.wire.endpoint(endpoint), after.wire.endpoint(other)),
      ])
  }
  for (const [name, endpoint] of now)
    if (!old.has(name))
      drafts.push(
        draft(
          { ...endpointAt(name, undefined, endpoint), names: [] },
          'new',
          `the endpoint ${name} is new: ${endpoint.address}`,
          [{ calls: fine('nobody calls it yet'), code: fine('nobody names it yet') }],
        ),
      )
  return drafts.map((made) => settled(made, [], () => []))
}

function endpointAt(name: string, before: Endpoint | undefined, after: Endpoint | undefined): At {
  return {
    subject: { kind: 'endpoint', name },
    words: `the endpoint ${name}`,
    directions: [],
    names: [{ name: 'endpoints', member: name }],
    ...present({ before: before?.origin, after: after?.origin }),
  }
}

function goneEndpoint(at: At, { address }: Endpoint): Draft {
  return draft(
    at,
    'gone',
    `${at.words} is gone: ${address}`,
    [
      {
        calls: mayBreak('who calls it there may find nobody'),
        code: breaks('code that chooses it does not compile'),
      },
    ],
    { was: address },
  )
}

function endpointDifferences(at: At, was: Endpoint, is: Endpoint): Draft[] {
  const seen = fine('TypeScript does not know it')
  return [
    ...(was.address === is.address
      ? []
      : [
          draft(
            at,
            'address',
            `${at.words} was at ${was.address}, is at ${is.address}`,
            [{ calls: mayBreak('running clients call the old address'), code: seen }],
            { was: was.address, is: is.address },
          ),
        ]),
    ...(was.protocol === is.protocol
      ? []
      : [
          draft(
            at,
            'wire',
            `${at.words} spoke ${was.protocol}, speaks ${is.protocol}`,
            [{ calls: breaks('running clients speak as before'), code: seen }],
            { was: was.protocol, is: is.protocol },
          ),
        ]),
  ]
}
