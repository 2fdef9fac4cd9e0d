import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import type { Response } from '../exchange.js'
import { notTooDeep } from '../failures.js'
import type { Hear } from '../hearing.js'
import { jsonText } from '../json/values.js'
import type { ListingPage } from '../listing.js'
import { present } from '../present.js'
import { onOurHost } from '../service-links.js'
import { encodeSegment, entityPath, resourcePath, type Resource } from './addresses.js'
import { checkKey, checkProperty, unknownName } from './checking.js'
import { checkTag, checkWithin, checked, ifMatchOf } from './input-checks.js'
import {
  isStructure,
  type AnyProperty,
  type AnyStructure,
  type Holder,
  type Property,
  type Single,
} from './model.js'
import { isPartial, pageAsItCame, readPage, reading } from './pages.js'
import type { Protocol } from './protocol.js'
import { checkQuery, queryString, type AnyQuery } from './query.js'
import { answered, parsed, type Facts, type Outgoing } from './sending.js'
import { readProperty, writeProperty } from './structure.js'

/**
 * A function or an action: some of its input are parameters.
 *
 * @typeParam Names their names
 */
export interface Invocation<
  Input,
  Returned,
  Names extends keyof Input = never,
> extends AnyInvocation {
  readonly parameters?: {
    readonly [Name in Names]-?: Property<Input[Name]> & { readonly name?: string }
  }
  readonly returns?: Property<Returned>
  readonly asks?: {
    readonly of: AnyStructure & Holder<Single<Returned>>
    readonly options: readonly string[]
  }
}

/** A function or an action whose types are not known to the compiler. */
export interface AnyInvocation extends Facts {
  /** Its name in the address. */
  readonly call: string
  readonly method: 'GET' | 'POST'
  /**
   * Parameters stand in brackets behind the name (functions of version 4), in a body (actions), or
   * behind the question mark (version 2).
   */
  readonly passing: 'inline' | 'body' | 'query'
  /** What it is bound to. With `many` to the whole set; `cast` is the type that it wants. */
  readonly on?: Resource & { readonly many?: boolean; readonly cast?: string }
  readonly parameters?: Readonly<Record<string, AnyProperty & { readonly name?: string }>>
  readonly returns?: AnyProperty
  /** What a query can ask of the entities that it returns. */
  readonly asks?: { readonly of: AnyStructure; readonly options: readonly string[] }
}

type Input = Readonly<Record<string, unknown>>

/** Calls a function or an action. A collection is fetched to its end. */
export async function invoke<Outcome>(
  connection: Connection,
  operation: AnyInvocation,
  input: object = {},
  thisCall: ThisCall = {},
): Promise<Outcome> {
  const { returns } = operation
  checkInvocation(connection, operation, input as Input)
  const { target, body } = invocationTarget(operation, input as Input)
  const url = `${addressOf(connection)}/${target}`
  const outgoing = {
    method: operation.method,
    url,
    headers: ifMatchOf(input),
    ...present({ body }),
  }
  if (returns?.many === true)
    return (await allRows(connection, operation, returns, outgoing, {
      isPart: isPartial(askedOf(operation, input as Input)),
      thisCall,
    })) as Outcome
  return (await answered(connection, operation, outgoing, thisCall, (response, hear) => {
    if (returns === undefined) return undefined
    if (response.body.length > 0) return readReturned(operation, returns, response, hear)
    if (returns.nullable !== true)
      hear({ path: '', message: 'is empty, where the contract promised a value' })
    return null
  })) as Outcome
}

/** The one value that an operation returns. */
function readReturned(
  operation: AnyInvocation,
  returns: AnyProperty,
  response: Response,
  hear: Hear,
): unknown {
  const { protocol, call } = operation
  const result = protocol.result(parsed(operation, response), call, isStructure(returns.is))
  return notTooDeep(() => readProperty(returns, result, '', reading(protocol, false, hear)))
}

/** The rows of all pages that an operation returns; null where there are none at all. */
async function allRows(
  connection: Connection,
  operation: AnyInvocation,
  returns: AnyProperty,
  outgoing: Outgoing,
  { isPart, thisCall }: { readonly isPart: boolean; readonly thisCall: ThisCall },
): Promise<unknown[] | null> {
  const rows: unknown[] = []
  for (let request = outgoing; ;) {
    const page = await answered<ListingPage<unknown> | null>(
      connection,
      operation,
      request,
      thisCall,
      (response, hear) => {
        const how = reading(operation.protocol, isPart, hear)
        if (response.body.length > 0)
          return readPage(operation, returns, parsed(operation, response), outgoing.url, how)
        if (returns.nullable !== true)
          hear({ path: '', message: 'is empty, where the contract promised a value' })
        return null
      },
      pageAsItCame(operation, outgoing.url),
    )
    if (page === null) return null
    for (const row of page.rows) rows.push(row)
    if (page.next === undefined) return rows
    request = { method: 'GET', url: onOurHost(connection, page.next) }
  }
}

/** Where an invocation goes, below the service root, and what it carries. */
export function invocationTarget(
  operation: AnyInvocation,
  input: Input,
): { target: string; body?: string } {
  const { protocol, parameters = {}, passing } = operation
  const path = boundPath(operation, input) + operation.call
  const given = Object.entries(parameters)
    .filter(
      ([name, property]) =>
        input[name] !== undefined || (passing === 'inline' && property.optional !== true),
    )
    .map(([name, property]) => ({
      name: property.name ?? name,
      property,
      value: input[name] ?? null,
    }))
  const literal = ({ property, value }: Given): string => protocol.literal(property, value)
  if (passing === 'body') return { target: path, ...present({ body: bodyOf(given, protocol) }) }
  if (passing === 'query')
    return { target: path + queryString(given.map((each) => [each.name, literal(each)])) }
  const inline = given.map((each) => {
    const value = isAliased(each) ? `@${each.name}` : encodeSegment(literal(each))
    return `${each.name}=${value}`
  })
  const aliases = given.filter(isAliased).map((each) => [`@${each.name}`, literal(each)] as const)
  const { asks } = operation
  const asked = asks === undefined ? [] : protocol.query(askedOf(operation, input), asks.of)
  return { target: `${path}(${inline.join(',')})${queryString([...aliases, ...asked])}` }
}

/** A parameter as it is called on the wire, with its value. */
interface Given {
  readonly name: string
  readonly property: AnyProperty
  readonly value: unknown
}

/** The address of what an invocation is bound to, with a slash behind it; empty for nothing. */
function boundPath({ on, protocol }: AnyInvocation, input: Input): string {
  if (on === undefined) return ''
  const place =
    on.many === true ? resourcePath(on, input, protocol) : entityPath(on, input, protocol)
  return on.cast === undefined ? `${place}/` : `${place}/${on.cast}/`
}

function bodyOf(given: readonly Given[], protocol: Protocol): string | undefined {
  if (given.length === 0) return undefined
  const members = given.map(
    ({ name, property, value }) => [name, writeProperty(property, value, protocol)] as const,
  )
  return jsonText(Object.fromEntries(members))
}

/**
 * What is not simple, or has a slash that servers stumble over, goes behind the question mark (URL
 * Conventions, section 5.3.2).
 */
function isAliased({ property, value }: Given): boolean {
  if (property.many === true || (isStructure(property.is) && value !== null)) return true
  return typeof value === 'string' && /[/\\]/.test(value)
}

/** The part of an input that asks something of the entities that are returned. */
function askedOf({ asks }: AnyInvocation, input: Input): Input & AnyQuery {
  return Object.fromEntries((asks?.options ?? []).map((name) => [name, input[name]]))
}

function checkInvocation(connection: Connection, operation: AnyInvocation, input: Input): void {
  checked(connection, operation, input, (violations) => {
    const { on, parameters = {} } = operation
    const hasKey = on !== undefined && on.many !== true && on.singleton !== true
    if (hasKey) checkKey(on.of, input['key'], 'key', violations)
    const outer = on === undefined ? [] : checkWithin(on, input, violations)
    for (const [name, property] of Object.entries(parameters)) {
      const value = Object.hasOwn(input, name) ? input[name] : undefined
      if (value !== undefined) checkProperty(property, value, name, 'value', violations)
      else if (property.optional !== true && property.nullable !== true)
        violations.push({ path: name, message: 'is missing' })
    }
    const guards = on === undefined || on.many === true ? [] : ['ifMatch']
    if (guards.length > 0) checkTag(input, 'ifMatch', violations)
    const { asks, protocol } = operation
    const options = asks?.options ?? []
    if (asks !== undefined)
      checkQuery(askedOf(operation, input), asks.of, protocol, options, [], '', violations)
    const names = [
      ...options,
      ...outer,
      ...(hasKey ? ['key'] : []),
      ...Object.keys(parameters),
      ...guards,
    ]
    for (const name of Object.keys(input))
      if (!names.includes(name) && input[name] !== undefined)
        violations.push({ path: name, message: unknownName(name, names) })
  })
}
