import { basename } from 'node:path'
import { filled, present } from '../contract/present.js'
import { draftOf, type Draft } from '../draft/draft.js'
import type { Doubt } from '../draft/schemas.js'
import { readRecordings } from '../draft/read-recordings.js'
import type { Recording } from '../draft/recording.js'
import { plainOf } from '../draft/remarked.js'
import { yamlDraft } from '../draft/yaml-draft.js'
import { evidenceOf, evidenceText, widenedFile } from './draft/widened-file.js'
import { readTextFile, saveText } from './files/text-files.js'

export interface DraftOptions {
  /** What the service is called; the file that is written has that name, too. */
  readonly as?: string | undefined
  /** Where the description is written; nowhere when left out, and without a name. */
  readonly save?: string | undefined
  /** `GET https://…`: what answers alone belong to. */
  readonly request?: string | undefined
  /** The address that everything meant begins with. */
  readonly only?: string | undefined
  /**
   * Is asked of every doubtful place what it is to be; undefined lets it be as it was worked out.
   */
  readonly decide?: ((doubt: Doubt) => Promise<Doubt['proposed'] | undefined>) | undefined
  /** Write over a file that is there. */
  readonly overwrite?: boolean | undefined
}

/** A description that was drafted, as text. */
export interface DraftedDescription extends Omit<Draft, 'description'> {
  /** OpenAPI 3.1 in YAML, with a reason beside every line that was worked out. */
  readonly yaml: string
  /** Where it was written. */
  readonly file?: string
  /** What became of a description that was there: it was widened by what was recorded later. */
  readonly widened?: {
    /** Places that were added or widened. */
    readonly changed: readonly string[]
    /** What came and what was written by hand does not allow; it stays as it is written. */
    readonly contradictions: readonly string[]
  }
}

/**
 * Drafts a description in OpenAPI 3.1 of a service that publishes none, from what was recorded of
 * it: HTTP archives (HAR 1.2) and answers in JSON. No secret of the recordings is in it.
 *
 * @param files paths of the recordings
 * @throws Problem TM-1007 where a file can't be read, TM-1049, TM-1050 for what is no recording,
 *   TM-1051 where none of it is a call of a service, TM-1052 where there is a file already that is
 *   no description
 */
export async function draftDescription(
  files: readonly string[],
  options: DraftOptions = {},
): Promise<DraftedDescription> {
  const { as: title, request, only, overwrite = false } = options
  const file = options.save ?? (title === undefined ? undefined : `${title}.yaml`)
  const recordings = await recordingsIn(files, request)
  const first = draftOf(recordings, { title, only })
  const decisions = await decided(first.doubts, options.decide)
  const { description, ...draft } =
    decisions.size === 0 ? first : draftOf(recordings, { title, only, decisions })
  const widened = file === undefined || overwrite ? undefined : await widenedFile(file, description)
  const yaml = widened?.yaml ?? yamlDraft(description, headOf(draft))
  if (file !== undefined) {
    await saveText(file, yaml)
    await saveText(evidenceOf(file), evidenceText(widened?.drafted ?? plainOf(description)))
  }
  return {
    ...draft,
    yaml,
    ...present({ file }),
    ...(widened === undefined ? {} : { widened: widened.told }),
  }
}

/**
 * Reads what was recorded in files.
 *
 * @param request what answers alone belong to
 * @throws Problem TM-1007, TM-1049, TM-1050
 */
export async function recordingsIn(
  files: readonly string[],
  request?: string,
): Promise<Recording[]> {
  const all = await Promise.all(
    files.map(async (path) => readRecordings(await readTextFile(path), basename(path), request)),
  )
  return all.flat()
}

async function decided(
  doubts: readonly Doubt[],
  decide: DraftOptions['decide'],
): Promise<Map<string, Doubt['proposed']>> {
  const decisions = new Map<string, Doubt['proposed']>()
  for (const doubt of decide === undefined ? [] : doubts) {
    const decision = await decide?.(doubt)
    if (decision !== undefined) decisions.set(doubt.where, decision)
  }
  return decisions
}

function headOf({ exchanges }: Omit<Draft, 'description'>): string[] {
  return [
    `Drafted by Tolmach from ${String(exchanges)} recorded exchange${exchanges === 1 ? '' : 's'}. What stands behind a line says why it is so;`,
    'whoever knows better writes it otherwise.',
  ]
}

/** What was drafted, as programs get it: what `draft --json` prints. */
export function draftSummary(drafted: DraftedDescription): object {
  const { leftOut, doubts, troubles, yaml, ...facts } = drafted
  return {
    ...facts,
    ...(drafted.file === undefined ? { yaml } : {}),
    ...filled({ leftOut: Object.fromEntries(leftOut), doubts, troubles }),
  }
}
