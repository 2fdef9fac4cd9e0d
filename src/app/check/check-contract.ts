import { resolve } from 'node:path'
import { noNames } from '../../contract/kept-names.js'
import { operationsOf, pathOf } from '../../contract/queries.js'
import { nameClashesIn } from './name-clashes.js'
import { clientStateWithRuntime } from '../clients/client-state.js'
import { namesFor } from '../clients/client-names.js'
import { inputsDigest, openContract, type OpenContract } from '../contracts/open-contract.js'
import { findings, type Checked, type Finding } from './finding.js'

/**
 * Looks at what a project keeps of a contract: its snapshot, what is chosen of it, the names that
 * were given, and its client.
 *
 * @returns the contract where it can be opened, and what was found
 */
export async function checkContract(
  name: string,
  project: string,
): Promise<{ open: OpenContract | undefined; checked: Checked[] }> {
  let open: OpenContract | undefined
  const snapshot = await findings(async () => {
    open = await openContract(name, { project })
    await open.documents()
    return []
  })
  if (open === undefined || snapshot.length > 0)
    return { open: undefined, checked: [{ contract: name, check: 'snapshot', findings: snapshot }] }
  const ready: OpenContract = open
  return {
    open,
    checked: [
      { contract: name, check: 'snapshot', findings: [] },
      { contract: name, check: 'choice', findings: vanished(ready) },
      { contract: name, check: 'names', findings: await findings(() => namesOf(ready)) },
      await clientOf(ready),
    ],
  }
}

/** What the project file names, and the service has no more. */
function vanished({ contract }: OpenContract): Finding[] {
  return contract.notes
    .filter(({ code }) => code === 'TM-3011')
    .map(({ code, message }) => ({
      code,
      message,
      remedy: 'Take it out of tolmach.yaml when nothing calls it.',
      place: 'tolmach.yaml',
    }))
}

/** Names that were given: all of them fit, no two are the same, none is missing. */
async function namesOf(open: OpenContract): Promise<Finding[]> {
  const remedy = `Write them anew: tolmach generate ${open.name}`
  const place = `snapshots/${open.name}/names.json`
  const kept = open.kept?.names ?? noNames
  const decided = await namesFor(open)
  const missing = operationsOf(open.contract)
    .map(pathOf)
    .filter((path) => kept.operations[path] === undefined)
  const entryClass = open.kept?.entry.class
  return [
    ...nameClashesIn(kept).map((message) => ({ message, remedy, place })),
    ...(missing.length === 0
      ? []
      : [{ message: `No name is kept for ${missing.slice(0, 5).join(', ')}.`, remedy, place }]),
    ...(entryClass === undefined || entryClass === decided.class
      ? []
      : [{ message: `The class is ${decided.class}, and not ${entryClass}.`, remedy, place }]),
  ]
}

async function clientOf(open: OpenContract): Promise<Checked> {
  const { name, kept } = open
  const checked = { contract: name, check: 'client' as const }
  if (kept === undefined) return { ...checked, findings: [] }
  const { folder } = kept.entry
  const { manifest, edited, missing } = await clientStateWithRuntime(
    resolve(kept.project.folder, folder),
  )
  if (manifest === undefined)
    return { ...checked, findings: [], skipped: 'it was not generated yet' }
  const remedy = `Write it anew: tolmach generate ${name}`
  const isCurrent = manifest.inputs === inputsDigest(open, kept.names)
  return {
    ...checked,
    findings: [
      ...edited.map((file) => ({
        message: `${file} was edited by hand.`,
        remedy: `Move the changes elsewhere, then: tolmach generate ${name} --overwrite`,
        place: `${folder}/${file}`,
      })),
      ...missing.map((file) => ({
        message: `${file} is missing.`,
        remedy,
        place: `${folder}/${file}`,
      })),
      ...(isCurrent
        ? []
        : [
            {
              message:
                'The client is older than the contract, the project file, or this version of Tolmach.',
              remedy,
              place: folder,
            },
          ]),
    ],
  }
}
