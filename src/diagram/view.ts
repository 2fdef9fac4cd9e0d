import type { Contract, TypeId } from '../contract/contract.js'
import { matchName, nearestAdvice } from '../contract/nearest.js'
import { problem } from '../contract/problem.js'
import { drawnTypes, neighboursOf } from './graph.js'
import type { Point } from './shapes.js'

/**
 * A selection and arrangement of types. Names are those of types; `*` stands for any characters.
 */
export interface View {
  /** What to start from when it is not around something. Default `everything`. */
  readonly start?: 'everything' | 'nothing'
  /** Start from these types, and what hangs together with them. */
  readonly around?: readonly string[]
  /** Over how many links. Default 1. */
  readonly steps?: number
  /** Types to add to that, and to take away. */
  readonly add?: readonly string[]
  readonly remove?: readonly string[]
  /** Where links lead. Default `right`. */
  readonly towards?: 'right' | 'down'
  /** Where somebody put types: x and y of the left upper corners, in pixels. */
  readonly places?: Readonly<Record<string, readonly [x: number, y: number]>>
}

/**
 * The types of a view.
 *
 * @returns their ids; undefined when these are all
 * @throws Problem TM-3004 when a name fits no type
 */
export function typesOfView(contract: Contract, view: View): ReadonlySet<TypeId> | undefined {
  const { start = 'everything', around, steps = 1, add = [], remove = [] } = view
  if (around === undefined && start === 'everything' && remove.length === 0) return undefined
  const types = drawnTypes(contract)
  const meant = (name: string): TypeId[] => typesNamed(types, name, contract.name)
  const atFirst = start === 'everything' ? types.map(({ id }) => id) : []
  const shown = new Set<TypeId>(around === undefined ? atFirst : around.flatMap(meant))
  if (around !== undefined) {
    const neighbours = neighboursOf(contract)
    let edge = [...shown]
    for (let step = 0; step < steps; step += 1) {
      edge = edge.flatMap((id) => [...(neighbours.get(id) ?? [])]).filter((id) => !shown.has(id))
      for (const id of edge) shown.add(id)
    }
  }
  for (const id of add.flatMap(meant)) shown.add(id)
  for (const id of remove.flatMap(meant)) shown.delete(id)
  return shown
}

/**
 * Where a view says that types are, by their ids. Names that fit no type any more are passed over:
 * a service loses types, and the picture of the others stays as it was.
 */
export function placesOfView(contract: Contract, { places = {} }: View): Map<TypeId, Point> {
  const types = drawnTypes(contract)
  const byName = new Map(types.map(({ id, name }) => [name, id]))
  const ids = new Set(types.map(({ id }) => id))
  return new Map(
    Object.entries(places).flatMap(([name, [x, y]]) => {
      const id = ids.has(name) ? name : byName.get(name)
      return id === undefined ? [] : [[id, { x, y }]]
    }),
  )
}

function typesNamed(
  types: readonly { readonly id: TypeId; readonly name: string }[],
  wanted: string,
  contract: string,
): TypeId[] {
  const names = types.map(({ name }) => name)
  if (wanted.includes('*')) {
    const pattern = new RegExp(
      `^${wanted
        .split('*')
        .map((part) => part.replace(/[\\^$.+?()[\]{}|]/g, '\\$&'))
        .join('.*')}$`,
      'iu',
    )
    const found = types.filter(({ name }) => pattern.test(name))
    if (found.length > 0) return found.map(({ id }) => id)
  } else {
    const name = matchName(wanted, [...new Set(names)])
    const found = types.filter((type) => type.name === name || type.id === wanted)
    if (found.length > 0) return found.map(({ id }) => id)
  }
  throw problem('TM-3004', { name: wanted, contract, nearest: nearestAdvice(wanted, names) })
}
