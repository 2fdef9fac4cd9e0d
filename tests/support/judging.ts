import type { Change } from '../../src/compare/change.js'
import { addTo } from '../../src/contract/lists.js'
import { brokenLines, type Edition, type Pair } from './pairs.js'
import { bundled, callsAgainst } from './wire.js'

/**
 * Where what is said of code and what the compiler says do not agree.
 *
 * @param folder for the programs
 */
export async function codeDisagreements(folder: string, pairs: readonly Pair[]): Promise<string[]> {
  const broken = await brokenLines(folder, pairs)
  return pairs.flatMap(({ name, changes }, at) => {
    const lines = broken[at] ?? []
    const isForeseen = (uses: readonly string[]): boolean =>
      changes.some((change) => change.code.verdict !== 'fine' && touches(change, uses))
    return [
      ...lines
        .filter(({ uses, isSilent }) => isSilent !== true && !isForeseen(uses))
        .map(({ text, said }) => `${name}: not foreseen: ${text}\n    ${said}`),
      ...changes
        .filter(({ code }) => code.verdict === 'break')
        .filter((change) => !lines.some(({ uses }) => touches(change, uses)))
        .map(({ text }) => `${name}: compiles all the same: ${text}`),
    ]
  })
}

/** Does a change say something of what a line uses: of the member itself, or of the whole? */
function touches({ names }: Change, uses: readonly string[]): boolean {
  return names.some(({ name, member }) =>
    member === undefined
      ? uses.some((use) => use === name || use.startsWith(`${name}.`))
      : uses.includes(`${name}.${member}`) || uses.includes(name),
  )
}

/** What the wire says of pairs; clients and what fails at home are kept from pair to pair. */
export class WireJudge {
  private readonly folder: string
  private readonly rounds: number
  private readonly clients = new Map<Edition, Promise<string>>()
  private readonly atHome = new Map<Edition, ReadonlyMap<string, ReadonlySet<string>>>()

  private readonly more: number

  /**
   * @param rounds so many inputs and answers at random for every operation
   * @param more so many for those of which something is said, until it shows
   */
  constructor(folder: string, rounds: number, more = 0) {
    this.more = more
    this.folder = folder
    this.rounds = rounds
  }

  /** What went wrong with calls of the client before, by the paths of operations. */
  async troubles(pair: Pair): Promise<Map<string, string[]>> {
    const { before, after } = pair
    const known = this.clients.get(before) ?? bundled(this.folder, before)
    this.clients.set(before, known)
    const client = await known
    // What the stand-in does not play fails at home, too.
    const usual =
      this.atHome.get(before) ?? (await callsAgainst(client, before, before, this.rounds))
    this.atHome.set(before, usual)
    const strange = [...usual.values()]
      .flatMap((each) => [...each])
      .filter((each) => !/not played here/.test(each))
    if (strange.length > 0) throw new Error(`at home: ${strange.join('; ')}`)
    const found = await callsAgainst(client, before, after, this.rounds, {
      paths: new Set(saidOfCalls(pair).keys()),
      rounds: this.more,
    })
    return new Map(
      [...found].flatMap(([path, troubles]) => {
        const own = [...troubles].filter((each) => usual.get(path)?.has(each) !== true)
        return own.length === 0 ? [] : [[path, own] as const]
      }),
    )
  }
}

/** By the paths of operations, what is said to do something to their calls. */
export function saidOfCalls({ changes }: Pair): Map<string, Change[]> {
  const said = new Map<string, Change[]>()
  for (const change of changes)
    if (change.calls.verdict !== 'fine')
      for (const path of change.callers) addTo(said, path, change)
  return said
}
