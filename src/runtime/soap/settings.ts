import type { Settings } from '../connection.js'
import type { WriteProof } from './envelope.js'
import { present } from '../present.js'
import { settingsFrom as neutralSettingsFrom, variableGetter } from '../settings.js'

/** What clients of SOAP services can be told besides what all clients can. */
declare module '../connection.js' {
  interface Settings {
    /**
     * Are messages addressed by WS-Addressing? When left out, where the metadata asks for it.
     */
    readonly addressing?: boolean
    /**
     * Do messages travel in several parts, with bytes beside them (MTOM)? When left out, where the
     * metadata asks for it.
     */
    readonly mtom?: boolean
  }

  interface Credentials {
    /**
     * A user name token in the header of messages (WS-Security); with `digest` the password itself
     * does not travel.
     */
    readonly wsse: { readonly user: string; readonly password: string; readonly digest?: boolean }
  }

  interface Login {
    /** Makes what proves one message. */
    proofOf?(credential: Credential): Promise<WriteProof | undefined>
  }

  interface Endpoint {
    /** Messages are to be addressed by WS-Addressing. */
    readonly addressing?: boolean
    /** Messages are to travel in several parts, with bytes beside them. */
    readonly mtom?: boolean
  }
}

/**
 * Settings from variables with a common prefix, as of all clients, and of `_MTOM` and `_ADDRESSING`
 * (`true` or `false`), `_WSSE_USER` and `_WSSE_PASSWORD` with `_WSSE_DIGEST` (`true`).
 *
 * @param fitting as for all clients
 */
export function settingsFrom(
  variables: Readonly<Record<string, string | undefined>>,
  prefix: string,
  fitting?: readonly string[],
): Settings {
  const get = variableGetter(variables, prefix)
  const flag = (name: string): boolean | undefined => {
    const text = get(name)
    return text === undefined ? undefined : text === 'true'
  }
  const settings = {
    ...neutralSettingsFrom(variables, prefix, fitting),
    ...present({ mtom: flag('MTOM'), addressing: flag('ADDRESSING') }),
  }
  const user = get('WSSE_USER')
  if (user === undefined) return settings
  const password = get('WSSE_PASSWORD') ?? ''
  const digest = get('WSSE_DIGEST') === 'true'
  return { ...settings, credential: { kind: 'wsse', user, password, digest } }
}
