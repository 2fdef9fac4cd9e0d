import { addressOf } from './addresses.js'
import type { Connection } from './connection.js'
import { ContractBreach } from './failures.js'

/** Addresses that answers of a service have in them. */

/**
 * A link of the service as an address on the host that calls go to: links often name an internal
 * host, and what proves who calls is nobody else's business.
 */
export function onOurHost(connection: Connection, link: string): string {
  const base = addressOf(connection)
  const target = new URL(absolute(link, `${base}/`))
  const root = new URL(base)
  if (target.origin === root.origin) return target.href
  const folder = root.pathname.replace(/\/+$/, '')
  const last = folder.split('/').pop() ?? ''
  // A gateway may put the service elsewhere: what follows the service's own name is the same.
  const at = last === '' ? -1 : target.pathname.indexOf(`/${last}/`)
  return (
    root.origin +
    (at === -1 ? target.pathname : folder + target.pathname.slice(at + last.length + 1)) +
    target.search
  )
}

/** An address that an answer has, in full. @throws ContractBreach when it is none */
export function absolute(address: string, base: string): string {
  try {
    return new URL(address, base).href
  } catch {
    throw new ContractBreach('', 'an address', JSON.stringify(address.slice(0, 200)))
  }
}
