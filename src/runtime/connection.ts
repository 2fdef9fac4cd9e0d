/// <reference lib="esnext.disposable" />
import { type Request } from './exchange.js'
import type { Deviation } from './failures.js'
import type { Sender } from './sender.js'
import type { Time } from './times.js'

/** How the service is reached, and who wants to hear of what. All of it may be left out. */
export interface Settings {
  /** The address to call instead of the one in the metadata. */
  readonly url?: string
  /** The name of the endpoint to call, where the service offers several. */
  readonly endpoint?: string
  /** Headers that every request carries. */
  readonly headers?: Readonly<Record<string, string>>
  /**
   * What proves who calls; several where the service wants several, or different ones for different
   * operations.
   */
  readonly credential?: Credential | readonly Credential[]
  /**
   * Ways to prove who calls that take more than a header, beside those that the client has itself.
   */
  readonly logins?: readonly Login[]
  /** Values for the variables in a server's address, where the metadata has such. */
  readonly serverVariables?: Readonly<Record<string, string>>
  /**
   * How long a whole call may take: seconds, or like `200ms`; `Infinity` for as long as it likes.
   * Default `1m`.
   */
  readonly timeLimit?: Time
  /**
   * How often a call is tried again, where that is safe: after an answer that asks for it (429,
   * 503), without a connection, and reading calls also after 502 and 504. Default 0.
   */
  readonly retries?: number
  /**
   * No answer is read beyond so many bytes, counted as they are unpacked; `Infinity` for no limit.
   * Default 256 MiB. What is read as a stream has none.
   */
  readonly mostBytes?: number
  /** Is every input checked against the contract before it is sent? Default true. */
  readonly checkInputs?: boolean
  /** What sends the requests, instead of the platform's own `fetch`. */
  readonly fetch?: typeof fetch
  /** Hears of every request with its answer, for logging and tracing. */
  readonly onExchange?: (exchange: Exchange) => void
  /** Hears of differences between an answer and the contract that did no harm. */
  readonly onDeviation?: (deviation: Deviation) => void
}

/** What proves who calls. */
export type Credential = {
  readonly [Kind in keyof Credentials]: Credentials[Kind] & {
    readonly kind: Kind
    /** The security scheme of the metadata that it is for, where its kind alone does not tell. */
    readonly scheme?: string
  }
}[keyof Credentials]

/** The kinds of credentials, and what each has. A dialect may have more of its own. */
export interface Credentials {
  readonly basic: { readonly user: string; readonly password: string }
  /** HTTP Digest: the password itself does not travel. */
  readonly digest: { readonly user: string; readonly password: string }
  readonly bearer: { readonly token: string }
  readonly key: { readonly value: string }
  /**
   * Tokens of OAuth 2.0 are had with it: by the client's own credentials, or with `user` by that
   * user's password.
   */
  readonly oauth2: {
    readonly clientId: string
    readonly clientSecret?: string
    readonly user?: string
    readonly password?: string
    readonly scopes?: readonly string[]
    readonly tokenUrl?: string
    /** For one who logged in before: what new tokens are had with. */
    readonly refreshToken?: string
  }
}

/** A way to prove who calls that takes more than a header. */
export interface Login {
  /** The kind of credentials that it is for. */
  readonly kind: Credential['kind']
  /**
   * What sends a request with such a credential; undefined where it proves already who calls.
   *
   * @param send sends it as it is
   */
  sender?(
    connection: Connection,
    credential: Credential,
    request: Request,
    headers: Readonly<Record<string, string>>,
    thisCall: ThisCall,
    send: Sender,
  ): Sender | undefined
}

/** What holds for one call alone. */
export interface ThisCall {
  /** Ends the call when it is aborted. */
  readonly signal?: AbortSignal
  /** How long this call may take: seconds, or like `200ms`. */
  readonly timeLimit?: Time
  readonly headers?: Readonly<Record<string, string>>
  readonly onExchange?: (exchange: Exchange) => void
  readonly onDeviation?: (deviation: Deviation) => void
  /**
   * With `false` the outcome is the answer as it came: decoded as far as its media type says, not
   * checked, and so not what the types say.
   */
  readonly checkAnswer?: boolean
  /**
   * How long what is only accepted (202) is followed, to its end: where the answer says that it can
   * be asked for. Not at all when left out.
   */
  readonly wait?: Time
}

/** One request with its response, as sent on the wire. */
export interface Exchange {
  readonly request: {
    readonly method: string
    readonly url: string
    readonly headers: Readonly<Record<string, string>>
    readonly body: string
  }
  readonly response: {
    readonly status: number
    readonly headers: Readonly<Record<string, string>>
    readonly body: string
  }
  readonly milliseconds: number
}

/** An endpoint of the metadata: its address and whatever the protocol needs to know. */
export interface Endpoint {
  readonly address: string
  readonly protocol: string
  /** Variables in the address, with the values they have when the settings give none. */
  readonly variables?: Readonly<Record<string, string>>
}

/** An open door to a service. Made by `connect` in settings.ts; passed to every operation. */
export interface Connection {
  readonly settings: Settings
  /** The endpoints of the metadata, the preferred one first. */
  readonly endpoints: Readonly<Record<string, Endpoint>>
  /** Aborts when the connection is closed. */
  readonly closed: AbortController
  /** The logins that the metadata or the project wants. */
  readonly logins?: readonly Login[]
  /** Keys that are ordinary inputs, by the name of the input. */
  readonly keys?: Readonly<Record<string, string>>
}

/** Ends all calls that are under way, and refuses later ones. */
export function close(connection: Connection): Promise<void> {
  connection.closed.abort(new Error('the connection was closed'))
  return Promise.resolve()
}
