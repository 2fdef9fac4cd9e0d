import { posix } from 'node:path'
import type { ContractEntry } from './project-file.js'

/** What the folder is called that clients beside each other share. */
export const sharedName = 'runtime'

/** The folder that the runtime of a client would be shared in, from the project's folder. */
export function folderBeside({ folder }: ContractEntry): string {
  return posix.join(posix.dirname(plainPath(folder)), sharedName)
}

/**
 * The folder that holds what a client shares with those beside it, from the project's folder;
 * undefined where it has its own copy: `runtime: own` in the project file, or imports that end
 * otherwise than those of the first client there.
 */
export function sharedRuntimeFolder(
  contracts: Readonly<Record<string, ContractEntry>>,
  entry: ContractEntry,
): string | undefined {
  if (entry.runtime === 'own') return undefined
  const folder = folderBeside(entry)
  const first = Object.values(contracts).find(
    (each) => each.runtime !== 'own' && folderBeside(each) === folder,
  )
  return (first ?? entry).importSuffix === entry.importSuffix ? folder : undefined
}

/** The names of the contracts that share the runtime in a folder. */
export function sharingRuntime(
  contracts: Readonly<Record<string, ContractEntry>>,
  folder: string,
): string[] {
  return Object.entries(contracts)
    .filter(([, entry]) => sharedRuntimeFolder(contracts, entry) === folder)
    .map(([name]) => name)
}

/** A folder of the project file with `/` between its steps, and none at its end. */
export function plainPath(folder: string): string {
  return posix.normalize(folder.replaceAll('\\', '/')).replace(/\/+$/, '')
}
