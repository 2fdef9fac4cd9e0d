/**
 * What can go wrong with a call. Every failure is a class of its own with a common base;
 * `instanceof` looks at a brand, so it also works when two copies of this file are loaded.
 */

/** An answer as it came, kept with the failure that came of it. */
export interface KeptAnswer {
  readonly status: number
  readonly headers: Readonly<Record<string, string>>
  /** Its body, or the first 64 KiB of a longer one. */
  readonly bytes: Uint8Array
  /** The same as text, by the charset that it names. */
  readonly text: string
  readonly isWhole: boolean
}

/** The common base of all failures of a call. */
export abstract class CallFailure extends Error {
  /** What happened, in one word that scripts can rely on. */
  abstract readonly kind: 'fault' | 'unreachable' | 'timeout' | 'login' | 'breach' | 'input'
  /** The names of the failure's classes; what `instanceof` looks at. */
  readonly brand: readonly string[] = ['CallFailure']
  /** The answer that it came of, where there was one. */
  answer?: KeptAnswer

  static override [Symbol.hasInstance](value: unknown): boolean {
    return hasBrand(value, 'CallFailure')
  }
}

/** What a SOAP fault says (SOAP 1.1, section 4.4; SOAP 1.2 part 1, section 5.4). */
export interface SoapFault {
  /** Its code, and the subcodes of SOAP 1.2 from the outermost in. */
  readonly codes: readonly { readonly namespace: string; readonly name: string }[]
  /** Its reason, in every language that it came in. */
  readonly reasons: readonly { readonly language?: string; readonly text: string }[]
  /** Who is at fault: the actor of SOAP 1.1, the role of SOAP 1.2. */
  readonly role?: string
  /** Where it happened (SOAP 1.2). */
  readonly node?: string
  /** Everything in its detail: elements, decoded where they are declared, and text. */
  readonly details: readonly SoapDetail[]
}

/** One thing in the detail of a SOAP fault. */
export interface SoapDetail {
  /** Its element; text has none. */
  readonly element?: { readonly namespace: string; readonly name: string }
  /** Which of the operation's declared faults it is. */
  readonly fault?: string
  readonly value: unknown
}

/**
 * The service itself refused the call. `Name` is the declared fault it sent, if it is one of those,
 * and `Detail` its content.
 */
export class ServiceFault<
  Name extends string | undefined = string | undefined,
  Detail = unknown,
> extends CallFailure {
  override readonly kind = 'fault'
  override readonly brand: readonly string[] = ['CallFailure', 'ServiceFault']
  /** Which of the operation's declared faults it is; undefined when it is none of them. */
  readonly fault: Name
  /** The detail: decoded when the fault is a declared one, else the text as it came. */
  readonly detail: Detail
  /** The service's code for it: a SOAP fault code, for example `Client`. */
  readonly code: string
  readonly status: number
  /** Of a SOAP fault: all that it says. */
  readonly soap: SoapFault | undefined

  constructor(
    reason: string,
    facts: { fault: Name; detail: Detail; code: string; status: number; soap?: SoapFault },
  ) {
    super(reason)
    this.name = 'ServiceFault'
    this.fault = facts.fault
    this.detail = facts.detail
    this.code = facts.code
    this.status = facts.status
    this.soap = facts.soap
  }

  static override [Symbol.hasInstance](value: unknown): boolean {
    return hasBrand(value, 'ServiceFault')
  }
}

/** Is a caught error a fault of one of these names? */
export function isDeclaredFault(error: unknown, names: readonly string[]): boolean {
  return error instanceof ServiceFault && error.fault !== undefined && names.includes(error.fault)
}

/**
 * The call did not reach the service, or no answer came back: no connection, no answer in time, or
 * a login was wanted.
 */
export class TransportFailure extends CallFailure {
  override readonly kind: 'unreachable' | 'timeout' | 'login'
  override readonly brand: readonly string[] = ['CallFailure', 'TransportFailure']
  readonly url: string
  /**
   * The status of the answer, where there was one: 401, 403, 407; 202 where it was only accepted.
   */
  readonly status: number | undefined
  /** The service's own words, where it gave a reason for wanting a login. */
  readonly reason: string | undefined
  /** Who was asked: the service, or whoever has tokens for it. */
  readonly asked: 'service' | 'tokens'

  constructor(
    kind: 'unreachable' | 'timeout' | 'login',
    message: string,
    facts: { url: string; status?: number; reason?: string; cause?: unknown; asked?: 'tokens' },
  ) {
    super(message, facts.cause === undefined ? undefined : { cause: facts.cause })
    this.name = 'TransportFailure'
    this.kind = kind
    this.url = facts.url
    this.status = facts.status
    this.reason = facts.reason
    this.asked = facts.asked ?? 'service'
  }

  static override [Symbol.hasInstance](value: unknown): boolean {
    return hasBrand(value, 'TransportFailure')
  }
}

/** The answer can't be represented in the client's types. */
export class ContractBreach extends CallFailure {
  override readonly kind = 'breach'
  override readonly brand: readonly string[] = ['CallFailure', 'ContractBreach']
  /** Where in the answer, as a path of names; `''` is the whole. */
  readonly place: string
  readonly promised: string
  readonly came: string
  /** Everything that was found not to be as promised, this place last. */
  misfits: readonly Violation[]

  constructor(place: string, promised: string, came: string) {
    super(
      `${place === '' ? 'the answer' : place}: promised was ${promised}, but there came ${came}`,
    )
    this.name = 'ContractBreach'
    this.place = place
    this.promised = promised
    this.came = came
    this.misfits = [{ path: place, message: `promised was ${promised}, but there came ${came}` }]
  }

  static override [Symbol.hasInstance](value: unknown): boolean {
    return hasBrand(value, 'ContractBreach')
  }
}

/** One place of an input, or of an answer, that doesn't satisfy the contract. */
export interface Violation {
  /** The path to it, for example `Lines[0].Amount`. */
  readonly path: string
  /** What is wrong there. */
  readonly message: string
}

/** The input doesn't satisfy the contract. Nothing was sent. */
export class InputRejected extends CallFailure {
  override readonly kind = 'input'
  override readonly brand: readonly string[] = ['CallFailure', 'InputRejected']
  /** Every place that doesn't fit. */
  readonly misfits: readonly Violation[]

  constructor(operation: string, violations: readonly Violation[]) {
    super(
      `the input of ${operation} does not satisfy the contract: ${violations.map(({ path, message }) => (path === '' ? message : `${path}: ${message}`)).join('; ')}`,
    )
    this.name = 'InputRejected'
    this.misfits = violations
  }

  static override [Symbol.hasInstance](value: unknown): boolean {
    return hasBrand(value, 'InputRejected')
  }
}

/** Is an error what the platform throws when something is nested more deeply than it can follow? */
export function isTooDeep(error: unknown): boolean {
  return error instanceof RangeError && /call stack/i.test(error.message)
}

/** The breach that an answer is which is nested too deeply to be read. */
export function tooDeep(): ContractBreach {
  return new ContractBreach('', 'an answer that can be read', 'one that is nested too deeply')
}

/** Reads something that is nested as it came. @throws ContractBreach when that is too deep */
export function notTooDeep<Value>(read: () => Value): Value {
  try {
    return read()
  } catch (error) {
    throw isTooDeep(error) ? tooDeep() : error
  }
}

/**
 * A difference between an answer and what the contract promised that could still be represented.
 * The call succeeds.
 */
export interface Deviation {
  /** Where in the answer. */
  readonly path: string
  readonly message: string
}

function hasBrand(value: unknown, name: string): boolean {
  return (
    value instanceof Error &&
    'brand' in value &&
    Array.isArray(value.brand) &&
    value.brand.includes(name)
  )
}
