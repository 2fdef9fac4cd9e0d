import type { Connection } from './connection.js'

/**
 * The address that calls go to: that of the settings, else of the endpoint chosen, else of the
 * preferred one. Without a slash at its end, and without a login, which goes into a header instead.
 *
 * @param offered the endpoints that the operation is offered at, where that is not all of them
 */
export function addressOf(connection: Connection, offered?: readonly string[]): string {
  return withoutLogin(wholeAddress(connection, offered))
}

/** An address without the login in it, which goes into a header instead. */
export function withoutLogin(address: string): string {
  return address.replace(userPart, '$1')
}

/** Scheme, host and port of an address; undefined for what is none. */
export function originOf(address: string): string | undefined {
  try {
    return new URL(address).origin
  } catch {
    return undefined
  }
}

/** What stands before the host of an address: a user, or a user and a password. */
export const userPart: RegExp = /^(https?:\/\/)([^/?#]*)@/i

/** The address that calls go to, with the login that may stand in it. */
export function wholeAddress(connection: Connection, offered?: readonly string[]): string {
  const { settings, endpoints } = connection
  const preferred = Object.keys(endpoints).find((name) => offered?.includes(name) !== false)
  const isChosen = settings.endpoint !== undefined && offered?.includes(settings.endpoint) !== false
  const endpoint = endpoints[(isChosen ? settings.endpoint : preferred) ?? '']
  let address = settings.url ?? endpoint?.address ?? ''
  for (const [name, preset] of Object.entries(endpoint?.variables ?? {}))
    address = address.replaceAll(`{${name}}`, () => settings.serverVariables?.[name] ?? preset)
  return address.replace(/\/+$/, '')
}
