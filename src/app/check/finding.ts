import { Problem } from '../../contract/problem.js'

/** What is looked at, in the order in which it is told. */
export const checks = [
  'project file',
  'snapshot',
  'choice',
  'names',
  'client',
  'types',
  'samples',
  'rehearsals',
  'secrets',
  'source',
  'endpoints',
  'certificates',
] as const
export type Check = (typeof checks)[number]

/** Something that is not as it should be. */
export interface Finding {
  readonly message: string
  /** What to do. */
  readonly remedy: string
  /** The code of the message, where there is one. */
  readonly code?: string
  /** The file and line, where it is at one. */
  readonly place?: string
}

/** What came of one look at one thing. */
export interface Checked {
  /** Left out for what belongs to the project as a whole. */
  readonly contract?: string
  readonly check: Check
  readonly findings: readonly Finding[]
  /** Why nothing could be looked at. */
  readonly skipped?: string
}

/** A problem as a finding. */
export function findingOf({ message, advice, code, place, details }: Problem): Finding {
  const where = place === undefined ? undefined : placeText(place)
  return {
    message: [message, ...details].join(' '),
    remedy: advice,
    code,
    ...(where === undefined ? {} : { place: where }),
  }
}

function placeText({ document, line }: NonNullable<Problem['place']>): string {
  return line === undefined ? document : `${document}:${String(line)}`
}

/** What a look finds; a problem that it meets is a finding itself. */
export async function findings(look: () => Promise<readonly Finding[]>): Promise<Finding[]> {
  try {
    return [...(await look())]
  } catch (error) {
    if (error instanceof Problem) return [findingOf(error)]
    throw error
  }
}
