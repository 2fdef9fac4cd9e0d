import type { DescribedPlace } from './description.js'

/** Reasons by the places that they are for. */
export class Reasons {
  private readonly byPlace = new Map<string, string[]>()
  /** The places in which some of them lie. */
  private readonly around = new Map<string, string[]>()

  constructor(all: readonly { readonly place: DescribedPlace; readonly reason: string }[]) {
    for (const { place, reason } of all) {
      push(this.byPlace, place.path, reason)
      for (const [at] of place.path.entries()) push(this.around, place.path.slice(0, at), reason)
    }
  }

  /** The reasons of changes: those of the nearest place around them, else of what lies in them. */
  of(touched: readonly (readonly string[])[]): string {
    const found = touched.flatMap((path) => this.ofPlace(path))
    return [...new Set(found)].join('; ')
  }

  private ofPlace(path: readonly string[]): readonly string[] {
    for (let length = path.length; length > 0; length -= 1) {
      const own = this.byPlace.get(JSON.stringify(path.slice(0, length)))
      if (own !== undefined) return own
      if (length === path.length) {
        const within = this.around.get(JSON.stringify(path))
        if (within !== undefined) return within
      }
    }
    return []
  }
}

function push(all: Map<string, string[]>, path: readonly string[], reason: string): void {
  const key = JSON.stringify(path)
  const known = all.get(key)
  if (known === undefined) all.set(key, [reason])
  else known.push(reason)
}
