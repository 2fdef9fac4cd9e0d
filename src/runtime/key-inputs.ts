import type { Connection, Settings } from './connection.js'
import { credentialsOf } from './credentials.js'

/**
 * Takes the keys that are ordinary inputs out of the credentials of settings: they go into no
 * header.
 *
 * @param names the inputs; each takes the key whose `scheme` is its name, else the one without
 */
export function withKeyInputs(
  settings: Settings,
  names: readonly string[],
): Pick<Connection, 'settings' | 'keys'> {
  const credentials = credentialsOf(settings)
  const keys: Record<string, string> = {}
  const taken = new Set<object>()
  for (const name of names) {
    const key =
      credentials.find((each) => each.kind === 'key' && each.scheme === name) ??
      credentials.find((each) => each.kind === 'key' && each.scheme === undefined)
    if (key?.kind !== 'key') continue
    keys[name] = key.value
    taken.add(key)
  }
  const credential = credentials.filter((each) => !taken.has(each))
  return { settings: taken.size === 0 ? settings : { ...settings, credential }, keys }
}

/**
 * An input with the keys of the connection, where the caller leaves them out.
 *
 * @param names those that the operation has
 */
export function withKeys<Input extends object>(
  { keys = {} }: Connection,
  input: Input,
  names: readonly string[],
): Input {
  const missing = names.filter((name) => name in keys && !Object.hasOwn(input, name))
  return missing.length === 0
    ? input
    : { ...input, ...Object.fromEntries(missing.map((name) => [name, keys[name]])) }
}
