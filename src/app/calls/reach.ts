import { matchName, nearestAdvice } from '../../contract/nearest.js'
import { present } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import type { CredentialChoice, SiteEntry } from '../../project/project-file.js'
import { variablesOf } from '../auth/credentials.js'
import type { OpenContract } from '../contracts/open-contract.js'

/** How the project has a service reached: at a site, or as it says of the contract alone. */
export interface Reach extends SiteEntry {
  /** The site whose settings count. */
  readonly site?: string
}

/** The variable that names the site to call when nobody says otherwise. */
const siteVariable = 'TOLMACH_SITE'

/**
 * What the project says of how a contract's service is reached: of the contract, above that of the
 * site, and below both the credential of the whole project.
 *
 * @param at the site that somebody names; else that of the variable TOLMACH_SITE, or `site` of the
 *   project file, where that says something of the contract
 * @throws Problem TM-1041 where there is no such site, TM-1010 where the one that is named says
 *   nothing of the contract
 */
export async function reachOf(open: OpenContract, at: string | undefined): Promise<Reach> {
  const { kept } = open
  if (kept === undefined) {
    if (at === undefined) return {}
    const reason = 'sites belong to a project, and this contract is not in one'
    throw problem('TM-1010', { option: '--at', reason, remedy: '' })
  }
  const { project, entry } = kept
  const variable = (await variablesOf(project.folder)).get(siteVariable)
  const usual = variable === undefined || variable === '' ? project.site : variable
  const site = at ?? usual
  const found = site === undefined ? undefined : siteNamed(open, site, at === undefined)
  const { endpoint, headers, timeLimit, retries, mostBytes, serverVariables } = entry
  const { mtom, addressing, ca, proxy } = entry
  const ofContract = {
    ...present({ endpoint, headers, timeLimit, retries, mostBytes, serverVariables }),
    ...present({ mtom, addressing, ca, proxy }),
  }
  const credential: CredentialChoice | undefined =
    found?.entry.credential ?? entry.credential ?? project.credential
  return {
    ...ofContract,
    ...found?.entry,
    ...present({ credential, site: found?.name }),
  }
}

/**
 * What a site says of a contract.
 *
 * @param isUsual nobody named it for this call: it may say nothing of the contract
 */
function siteNamed(
  open: OpenContract,
  site: string,
  isUsual: boolean,
): { readonly name: string; readonly entry: SiteEntry } | undefined {
  const sites = open.kept?.project.sites ?? {}
  const name = matchName(site, Object.keys(sites))
  if (name === undefined)
    throw problem('TM-1041', {
      by: isUsual ? `The variable ${siteVariable}` : '--at',
      site,
      nearest: nearestAdvice(site, Object.keys(sites)),
    })
  const entry = sites[name]?.[open.name]
  if (entry !== undefined) return { name, entry }
  if (isUsual) return undefined
  throw problem('TM-1010', {
    option: '--at',
    reason: `the site "${name}" of tolmach.yaml says nothing of ${open.name}`,
    remedy: `Add it there: { ${open.name}: { url: … } }.`,
  })
}
