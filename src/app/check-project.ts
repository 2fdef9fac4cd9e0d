import { resolve } from 'node:path'
import { addAll } from '../contract/lists.js'
import { compareTexts } from '../contract/ordering.js'
import { filled, present } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { matchName, nearestAdvice } from '../contract/nearest.js'
import { junitText } from '../printing/junit.js'
import type { Markup } from '../printing/safe-text.js'
import { findProject, readProject, type Project } from '../project/project-file.js'
import type { Person } from './auth/credentials.js'
import { checkContract } from './check/check-contract.js'
import { checkRehearsals, checkSamples } from './check/check-inputs.js'
import { checkReach } from './check/check-reach.js'
import { checkSecrets } from './check/check-secrets.js'
import { checkTypes } from './check/check-types.js'
import { checks, findings, type Checked } from './check/finding.js'
import { manifestOf } from './clients/client-state.js'
import { noProject, type OpenContract } from './contracts/open-contract.js'

export type { Checked, Finding } from './check/finding.js'

export interface CheckOptions {
  /** The project's folder; the nearest one upwards when left out. */
  readonly project?: string | undefined
  /** Only these contracts; all of them when left out. */
  readonly contracts?: readonly string[] | undefined
  /** Also ask the services. */
  readonly reach?: boolean | undefined
  readonly person?: Person | undefined
}

/**
 * Looks whether a project is sound: its file, snapshots, names and clients, inputs and rehearsals,
 * secrets; with `reach` also whether its services are there and still what the snapshots say.
 *
 * @returns what was looked at, with everything that is not as it should be
 * @throws Problem TM-1002 when there is no project, TM-1001 when it has no contract of a name
 */
export async function checkProject(options: CheckOptions = {}): Promise<Checked[]> {
  const folder = options.project ?? (await findProject('.'))
  if (folder === undefined) throw noProject()
  let project: Project | undefined
  const file = await findings(async () => {
    project = await readProject(folder)
    return []
  })
  const checked: Checked[] = [{ check: 'project file', findings: file }]
  if (project === undefined) return checked
  const { contracts } = project
  const wanted = wantedOf(project, options.contracts)
  const opened = new Map<string, OpenContract>()
  for (const name of wanted) {
    const { open, checked: found } = await checkContract(name, folder)
    addAll(checked, found)
    if (open === undefined) continue
    opened.set(name, open)
    checked.push(await checkSamples(open, folder))
    if (options.reach === true) addAll(checked, await checkReach(open, options.person))
  }
  const clients = await generated(folder, opened)
  addAll(checked, checkTypes(folder, clients))
  // Steps may call what was not asked for.
  if (wanted.length === Object.keys(contracts).length)
    checked.push(await checkRehearsals(folder, opened), await checkSecrets(folder))
  return inOrder(checked)
}

function wantedOf({ contracts }: Project, names: readonly string[] = []): string[] {
  const all = Object.keys(contracts)
  if (names.length === 0) return all
  return names.map((reference) => {
    const name = matchName(reference, all)
    if (name === undefined)
      throw problem('TM-1001', { name: reference, nearest: nearestAdvice(reference, all) })
    return name
  })
}

/** Contracts whose clients were written, with their folders. */
async function generated(
  project: string,
  opened: ReadonlyMap<string, OpenContract>,
): Promise<{ contract: string; folder: string }[]> {
  const found: { contract: string; folder: string }[] = []
  for (const [contract, { kept }] of opened) {
    const folder = kept?.entry.folder
    const isThere =
      folder !== undefined && (await manifestOf(resolve(project, folder))) !== undefined
    if (isThere) found.push({ contract, folder })
  }
  return found
}

function inOrder(checked: readonly Checked[]): Checked[] {
  return [...checked].sort(
    (a, b) =>
      compareTexts(a.contract ?? '', b.contract ?? '') ||
      checks.indexOf(a.check) - checks.indexOf(b.check),
  )
}

/** Is everything as it should be? */
export function isSound(checked: readonly Checked[]): boolean {
  return checked.every(({ findings: found }) => found.length === 0)
}

/** What was looked at, as programs get it: what `check --json` prints. */
export function checkSummary(checked: readonly Checked[]): object {
  return {
    sound: isSound(checked),
    checks: checked.map(({ contract, check, findings: found, skipped }) => ({
      ...present({ contract }),
      check,
      ok: found.length === 0,
      ...present({ skipped }),
      ...filled({ findings: found }),
    })),
  }
}

/** What was looked at as JUnit XML: a suite for each contract, a case for each look. */
export function checkJunit(checked: readonly Checked[]): Markup {
  const names = [...new Set(checked.map(({ contract }) => contract ?? 'project'))]
  return junitText(
    names.map((name) => ({
      name,
      cases: checked
        .filter(({ contract }) => (contract ?? 'project') === name)
        .map(({ check, findings: found, skipped }) => {
          const [first] = found
          return {
            name: check,
            className: `check.${name}`,
            skipped: first === undefined ? skipped : undefined,
            failure:
              first === undefined
                ? undefined
                : {
                    message: first.message,
                    code: first.code,
                    text: found
                      .map(({ place, message, remedy }) =>
                        [place, message, remedy]
                          .filter((each) => each !== undefined && each !== '')
                          .join('  '),
                      )
                      .join('\n'),
                  },
          }
        }),
    })),
  )
}
