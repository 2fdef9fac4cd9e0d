import { resolve } from 'node:path'
import pMap from 'p-map'
import { Problem } from '../contract/problem.js'
import { countTypes, endpointsOf, operationsOf } from '../contract/queries.js'
import { noNames } from '../contract/kept-names.js'
import { findProject } from '../project/project-file.js'
import { clientStateWithRuntime, type ClientState } from './clients/client-state.js'
import {
  inputsDigest,
  noProject,
  openContract,
  readProjectCached,
  type OpenOptions,
} from './contracts/open-contract.js'

/** One contract of a project, for the list. */
export interface Listed {
  readonly contract: string
  readonly dialect: string
  readonly endpoints: number
  readonly operations: number
  readonly types: number
  readonly from: string
  /** When the snapshot was taken, ISO 8601. */
  readonly taken: string
  readonly client:
    'current' | 'older than the contract' | 'edited by hand' | 'files are missing' | 'not generated'
  /** What is wrong with it, when it can't be read. */
  readonly problem?: string
}

/** The contracts of a project. @throws Problem TM-1002 when there is no project */
export async function listContracts(options: OpenOptions = {}): Promise<Listed[]> {
  const folder = options.project ?? (await findProject('.'))
  if (folder === undefined) throw noProject()
  const { contracts } = await readProjectCached(folder)
  return pMap(
    Object.entries(contracts),
    async ([name, entry]): Promise<Listed> => {
      try {
        const open = await openContract(name, { ...options, project: folder })
        const { contract } = open
        const operations = operationsOf(contract)
        const state = await clientStateWithRuntime(resolve(folder, entry.folder))
        const client = stateInWords(state, inputsDigest(open, open.kept?.names ?? noNames))
        return {
          contract: name,
          dialect: contract.dialect,
          endpoints: endpointsOf(contract).length,
          operations: operations.length,
          types: countTypes(contract, operations),
          from: entry.from,
          taken: open.kept?.index.taken ?? '',
          client,
        }
      } catch (error) {
        if (!(error instanceof Problem)) throw error
        return {
          contract: name,
          dialect: '',
          endpoints: 0,
          operations: 0,
          types: 0,
          from: entry.from,
          taken: '',
          client: 'not generated',
          problem: error.message,
        }
      }
    },
    { concurrency: 4 },
  )
}

function stateInWords(
  { manifest, edited, missing }: ClientState,
  inputs: string,
): Listed['client'] {
  if (manifest === undefined) return 'not generated'
  if (edited.length > 0) return 'edited by hand'
  if (missing.length > 0) return 'files are missing'
  return manifest.inputs === inputs ? 'current' : 'older than the contract'
}
