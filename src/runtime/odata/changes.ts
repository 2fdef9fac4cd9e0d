import { expected } from '../violations.js'
import type { Connection, ThisCall } from '../connection.js'
import { InputRejected } from '../failures.js'
import { isObject } from '../json/values.js'
import { listingOf, type Listing } from '../listing.js'
import { onOurHost } from '../service-links.js'
import type { EntityOperation } from './input-checks.js'
import { fetchPage, pageOf, reading } from './pages.js'
import { readStructure } from './structure.js'

/** An entity that is not there any more, or no longer among those that were asked for. */
export interface Removed {
  /** Its address, or the part of it that the service gives. */
  readonly $removed: string
  readonly reason: 'deleted' | 'changed'
}

/**
 * What became of an entity since the changes were last asked for: as it is now, with the properties
 * that changed, or that it is gone.
 */
export type Change<Entity> = (Partial<Entity> & { readonly $removed?: undefined }) | Removed

/**
 * What changed since a list was fetched with `trackChanges` (Protocol, section 11.3; JSON Format,
 * section 15). The last page of it says in `changes` where to go on from.
 */
export function changes<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: { readonly since: string },
  thisCall: ThisCall = {},
): Listing<Change<Entity>> {
  return listingOf(async (next) => {
    const { since } = input
    if (typeof since !== 'string' || !URL.canParse(since))
      throw new InputRejected(operation.name, [
        {
          path: 'since',
          message: expected('the address that a list gave as "changes"', since),
        },
      ])
    const url = onOurHost(connection, next ?? since)
    return fetchPage(connection, operation, { method: 'GET', url }, thisCall, (json, hear) => {
      const how = reading(operation.protocol, true, hear)
      return pageOf(
        operation,
        json,
        url,
        (rows) =>
          rows.flatMap((row, at) =>
            changeOf(row, (each) => readStructure(operation.of, each, `[${String(at)}]`, how)),
          ) as Change<Entity>[],
      )
    })
  })
}

function changeOf(
  row: unknown,
  read: (row: unknown) => Record<string, unknown>,
): (Record<string, unknown> | Removed)[] {
  if (!isObject(row)) return []
  // Version 4.01 marks the entity itself, version 4.0 has an entry of another kind for it.
  const removed = row['@removed'] ?? row['@odata.removed']
  const context = String(row['@odata.context'] ?? row['@context'] ?? '')
  if (removed !== undefined || /\/\$deletedEntity$/.test(context)) {
    const reason = isObject(removed) ? removed['reason'] : row['reason']
    return [
      {
        $removed: String(row['@odata.id'] ?? row['@id'] ?? row['id'] ?? ''),
        reason: reason === 'changed' ? 'changed' : 'deleted',
      },
    ]
  }
  // Links that came or went are said of the entities at their ends only.
  return /\/\$(?:deleted)?[lL]ink$/.test(context) ? [] : [read(row)]
}
