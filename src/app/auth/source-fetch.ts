import { isWebAddress } from '../../documents/fetching.js'
import type { Project } from '../../project/project-file.js'
import { noCredential, resolveCredential, type Person } from './credentials.js'
import { metadataFetch, type AskingFetch } from './metadata-fetch.js'

/** Who asks for metadata. */
export interface Asking {
  /** The credential of the project file that the metadata is had with. */
  readonly credential?: string | undefined
  /** Whoever can be asked for a login where the metadata wants one. */
  readonly person?: Person | undefined
}

/** What metadata is fetched with, where somebody may have to log in for it. */
export async function sourceFetch(
  project: Project,
  location: string,
  { credential, person }: Asking,
): Promise<AskingFetch | undefined> {
  const resolved =
    credential === undefined ? noCredential : await resolveCredential(project, credential, person)
  const isFetched = isWebAddress(location) && URL.canParse(location)
  const canProve = credential !== undefined || person !== undefined
  return isFetched && canProve ? metadataFetch(location, resolved, person) : undefined
}
