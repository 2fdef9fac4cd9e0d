// Uses both clients, as the first editions of the services have them.
import { BerthDesk } from './clients/berths/index.js'
import { VesselRegister, type VesselKind } from './clients/registry/index.js'

const desk = new BerthDesk()
const registry = new VesselRegister()

/** What a stay costs, line by line. */
export async function dues(vessel: string, nights: number): Promise<string[]> {
  const quote = await desk.quoteDues({ Vessel: vessel, Nights: nights })
  return quote.Line.map((line) => `${line.Text}: ${line.Amount}`)
}

/** The tonnage of everything under a flag. */
export async function tonnage(flag: string): Promise<number> {
  let sum = 0
  for await (const vessel of registry.Vessels.list({ filter: (each) => each.Flag.eq(flag) }))
    sum += vessel.Tonnage ?? 0
  return sum
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
  }
}

export const christen = (key: bigint, name: string) => registry.Vessels.rename({ key, name })
