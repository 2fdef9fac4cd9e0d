import { dialectNamed } from '../dialects/registry.js'
import { noNames } from '../contract/kept-names.js'
import { assignNames, type Names } from '../naming/names.js'
import type { OpenContract } from './open-contract.js'

/** The identifiers of a contract's client. The endpoint chosen in the project has no part in them. */
export async function namesFor(open: OpenContract): Promise<Names> {
  const dialect = await dialectNamed(open.contract.dialect)
  return assignNames(open.contract, open.kept?.names ?? noNames, dialect.emit.reservedNames, open.kept?.entry.class)
}
