import { endpointsOf } from '../../contract/queries.js'
import { connectionReason, isWebAddress } from '../../documents/fetching.js'
import { certificateEnd } from '../auth/certificate-facts.js'
import type { Person } from '../auth/credentials.js'
import type { OpenContract } from '../contracts/open-contract.js'
import { readAgain } from '../contracts/read-again.js'
import { findings, type Checked, type Finding } from './finding.js'

/** So many days a certificate is to hold still. */
const enoughDays = 30
/** Milliseconds that an endpoint is waited for. */
const patience = 10_000

/** Is the service there, for long enough, and still what its snapshot says? */
export async function checkReach(
  open: OpenContract,
  person: Person | undefined,
): Promise<Checked[]> {
  const addresses = [...new Set(endpointsOf(open.contract).map(({ address }) => address))].filter(
    (address) => isWebAddress(address) && URL.canParse(address),
  )
  const hosts = [
    ...new Map(
      addresses
        .filter((address) => address.startsWith('https:'))
        .map((address) => [new URL(address).host, address]),
    ).values(),
  ]
  const contract = open.name
  return [
    { contract, check: 'source', findings: await findings(() => sourceOf(open, person)) },
    {
      contract,
      check: 'endpoints',
      findings: (await Promise.all(addresses.map(answers))).flat(),
    },
    {
      contract,
      check: 'certificates',
      findings: (await Promise.all(hosts.map(holds))).flat(),
    },
  ]
}

async function sourceOf(open: OpenContract, person: Person | undefined): Promise<Finding[]> {
  const { open: now, from } = await readAgain(open, { person })
  const changed = Object.entries(now.digests).filter(
    ([label, digest]) => open.digests[label] !== digest,
  )
  return changed.length === 0
    ? []
    : [
        {
          message: `What is at ${from} is not what the snapshot has: ${changed.map(([label]) => label).join(', ')}.`,
          remedy: `See what has changed: tolmach compare ${open.name}`,
        },
      ]
}

/** Any answer will do: services say little to who only looks. */
async function answers(address: string): Promise<Finding[]> {
  try {
    const answer = await fetch(address, {
      signal: AbortSignal.timeout(patience),
      redirect: 'manual',
    })
    await answer.body?.cancel()
    return []
  } catch (error) {
    const cause: unknown = error instanceof Error ? (error.cause ?? error) : error
    return [
      {
        message: `Nobody answers at ${address}: ${connectionReason(cause)}.`,
        remedy:
          'Ask whoever runs the service, or give the right address with url of a site in tolmach.yaml.',
      },
    ]
  }
}

async function holds(address: string): Promise<Finding[]> {
  const end = await certificateEnd(address)
  const days = end === undefined ? Infinity : (end.getTime() - Date.now()) / 86_400_000
  return days >= enoughDays || end === undefined
    ? []
    : [
        {
          message: `The certificate of ${new URL(address).host} holds until ${end.toISOString().slice(0, 10)}.`,
          remedy: 'Tell whoever runs the service.',
        },
      ]
}
