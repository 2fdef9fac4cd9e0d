import { readdir } from 'node:fs/promises'
import { basename, extname, join } from 'node:path'
import { addAll } from '../../contract/lists.js'
import { Problem } from '../../contract/problem.js'
import { readRehearsal } from '../../exercise/rehearsal/reading.js'
import type { Step } from '../../exercise/rehearsal/format.js'
import { InputRejected } from '../../runtime/failures.js'
import { callReady, writtenInput } from '../call-operation.js'
import { readyClient } from '../calls/ready-client.js'
import { findOperation, type OpenContract } from '../contracts/open-contract.js'
import { readTextFile } from '../files/text-files.js'
import { findingOf, findings, type Checked, type Finding } from './finding.js'

/** Do the inputs that are kept in `samples/<contract>` still fit their operations? */
export async function checkSamples(open: OpenContract, project: string): Promise<Checked> {
  const folder = join(project, 'samples', open.name)
  const files = (await readdir(folder, { withFileTypes: true }).catch(() => []))
    .filter((file) => file.isFile() && /\.(?:json|ya?ml)$/i.test(file.name))
    .map(({ name }) => name)
    .sort()
  const checked = { contract: open.name, check: 'samples' as const }
  if (files.length === 0) return { ...checked, findings: [], skipped: 'there are none' }
  // Nothing is sent: no address need be known, and no secret.
  const client = await readyClient(open.name, { project, preview: true, url: 'http://127.0.0.1/' })
  const found: Finding[] = []
  try {
    for (const file of files) {
      const place = `samples/${open.name}/${file}`
      const wanted = basename(file, extname(file))
      const trouble = await findings(async () => {
        const text = await readTextFile(join(folder, file))
        const written = await writtenInput({ input: { text, what: place } })
        // What a sample is called is its own affair, unless it is called like an operation.
        const operation = await operationOf(client, wanted)
        if (operation === undefined) return []
        const { result } = await callReady(operation, written, { preview: true })
        return result.failure instanceof InputRejected
          ? [
              {
                message: result.failure.message,
                remedy: `Make one anew: tolmach sample ${open.name} ${wanted}`,
              },
            ]
          : []
      })
      addAll(
        found,
        trouble.map((each) => ({ ...each, place })),
      )
    }
  } finally {
    await client.close()
  }
  return { ...checked, findings: found }
}

type ReadyClient = Awaited<ReturnType<typeof readyClient>>

async function operationOf(
  client: ReadyClient,
  wanted: string,
): Promise<Awaited<ReturnType<ReadyClient['operation']>> | undefined> {
  return client.operation(wanted).catch((error: unknown) => {
    if (error instanceof Problem && error.code === 'TM-1005') return undefined
    throw error
  })
}

/** Can every step of the rehearsals be called? */
export async function checkRehearsals(
  project: string,
  contracts: ReadonlyMap<string, OpenContract>,
): Promise<Checked> {
  const folder = join(project, 'rehearsals')
  const files = (await readdir(folder).catch(() => []))
    .filter((name) => /\.ya?ml$/i.test(name))
    .sort()
  if (files.length === 0) return { check: 'rehearsals', findings: [], skipped: 'there are none' }
  const found: Finding[] = []
  for (const file of files) {
    const place = `rehearsals/${file}`
    const trouble = await findings(async () => {
      const rehearsal = await readRehearsal(await readTextFile(join(folder, file)), place)
      return [...rehearsal.steps, ...rehearsal.afterwards].flatMap((step) =>
        stepFindings(step, rehearsal.contract, contracts, place),
      )
    })
    addAll(
      found,
      trouble.map((each) => ({ place, ...each })),
    )
  }
  return { check: 'rehearsals', findings: found }
}

function stepFindings(
  step: Step,
  usual: string | undefined,
  contracts: ReadonlyMap<string, OpenContract>,
  file: string,
): Finding[] {
  if (step.kind === 'loop')
    return step.steps.flatMap((each) => stepFindings(each, usual, contracts, file))
  if (step.kind !== 'call') return []
  const name = step.contract ?? usual ?? [...contracts.keys()][0] ?? ''
  const open = contracts.get(name)
  const place = `${file}:${String(step.line)}`
  if (open === undefined)
    return [
      {
        message: `There is no contract "${name}" in the project.`,
        remedy: 'Import it, or change the step.',
        place,
      },
    ]
  try {
    findOperation(open, step.operation)
    return []
  } catch (error) {
    if (error instanceof Problem) return [{ ...findingOf(error), place }]
    throw error
  }
}
