import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import { jsonText } from '../json/values.js'
import { entityAddress, entityPath, keyText } from './addresses.js'
import { checkKey } from './checking.js'
import { checkEntityInput, checked, type EntityOperation } from './input-checks.js'
import type { AnyStructure } from './model.js'
import { send, type Outgoing } from './sending.js'

/**
 * Links between entities that are there (Protocol, section 11.4.6; OData 2, Operations, section
 * 2.9).
 */

/** A navigation property whose links can be made and taken away. */
export interface LinkTarget {
  /** Its name on the wire, where the input calls it otherwise. */
  readonly name?: string
  /** The set that its entities are in. */
  readonly set: string
  readonly of: AnyStructure
  readonly many?: boolean
}

/**
 * An operation on the links of an entity: which one, says the one input that is given besides the
 * key.
 */
export interface LinkOperation<Entity = unknown> extends EntityOperation<Entity> {
  readonly targets: Readonly<Record<string, LinkTarget>>
}

/**
 * Links an entity to another one: adds it to many, or puts it in the place of the one that was
 * there.
 */
export async function link(
  connection: Connection,
  operation: LinkOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<void> {
  const { at, name, target, key } = chosen(connection, operation, input, false)
  const address = `${addressOf(connection)}/${entityAddress(target.set, target.of, key, operation.protocol)}`
  await send(
    connection,
    operation,
    {
      method: target.many === true ? 'POST' : 'PUT',
      url: `${at}/${operation.protocol.links(name)}`,
      body: jsonText(operation.protocol.linkTo(address)),
    },
    thisCall,
  )
}

/** Takes a link away; the entities stay. */
export async function unlink(
  connection: Connection,
  operation: LinkOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<void> {
  const { protocol } = operation
  const { at, name, target, key } = chosen(connection, operation, input, true)
  const address = `${addressOf(connection)}/${entityAddress(target.set, target.of, key, protocol)}`
  const which =
    target.many === true
      ? protocol.oneOfMany(name, keyText(target.of, key, protocol), address)
      : protocol.links(name)
  const outgoing: Outgoing = { method: 'DELETE', url: `${at}/${which}` }
  await send(connection, operation, outgoing, thisCall)
}

function chosen(
  connection: Connection,
  operation: LinkOperation,
  input: object,
  takingAway: boolean,
): { at: string; name: string; target: LinkTarget; key: unknown } {
  const { targets, protocol } = operation
  const names = Object.keys(targets)
  const values = input as Readonly<Record<string, unknown>>
  checkEntityInput(connection, operation, input, { others: names })
  const given = names.filter((each) => values[each] !== undefined)
  checked(connection, operation, input, (violations) => {
    if (given.length !== 1)
      violations.push({
        path: '',
        message: `expected exactly one of ${names.join(', ')} besides the key, got ${given.length === 0 ? 'none' : given.join(', ')}`,
      })
    for (const name of given) {
      const target = targets[name] as LinkTarget
      if (!takingAway || target.many === true) checkKey(target.of, values[name], name, violations)
      else if (values[name] !== true)
        violations.push({ path: name, message: 'expected true: there is only one' })
    }
  })
  const [name = ''] = given
  const target = targets[name] as LinkTarget
  return {
    at: `${addressOf(connection)}/${entityPath(operation, input, protocol)}`,
    name: target.name ?? name,
    target,
    key: takingAway && target.many !== true ? '' : values[name],
  }
}
