// The same for the second edition of the register.
import { BerthDesk } from './clients/berths/index.js'
import { VesselRegister, type VesselKind } from './clients/registry/index.js'

const desk = new BerthDesk()
const registry = new VesselRegister()

/** What a stay costs, line by line. */
export async function dues(vessel: string, nights: number): Promise<string[]> {
  const quote = await desk.quoteDues({ Vessel: vessel, Nights: nights })
  return quote.Line.map((line) => `${line.Text}: ${line.Amount}`)
}

/** How many vessels under a flag have been classed. */
export async function classed(flag: string): Promise<number> {
  let count = 0
  for await (const vessel of registry.Vessels.list({ filter: (each) => each.Flag.eq(flag) }))
    if (vessel.Class !== null) count += 1
  return count
}

export function letterOf(kind: VesselKind): string {
  switch (kind) {
    case 'Coaster':
      return 'C'
    case 'Ferry':
      return 'F'
    case 'Tug':
      return 'T'
    case 'Trawler':
      return 'W'
    case 'Yacht':
      return 'Y'
    case 'Barge':
      return 'B'
  }
}

export const christen = (key: bigint, name: string, reason: string) =>
  registry.Vessels.giveName({ key, name, reason })
