import type { Contract, Endpoint, Field, Operation } from '../../contract/contract.js'
import { endpointsOf, membersOf, operationsOf, resolve } from '../../contract/queries.js'
import type { LoadedDocument } from '../../documents/documents.js'
import { exactJson } from '../../runtime/json/exact-json.js'
import { checkInput, type HttpOperation } from '../../runtime/http/http.js'
import { fromJson, toJson, type JsonRef } from '../../runtime/http/json.js'
import { jsonText } from '../../runtime/json/values.js'
import { ContractBreach } from '../../runtime/failures.js'
import type { Player, PlayRequest, PlayResponse, ServedDocument, UnderstoodCall } from '../dialect.js'
import { JsonTrees, liveJson } from './json-trees.js'
import { bodyLayout, operationLayout, parameterLayout } from './layout.js'

interface Live {
  readonly operation: Operation
  readonly live: HttpOperation
  /** Matches a path; its groups are the path parameters, in order. */
  readonly pattern: RegExp
  readonly names: readonly string[]
}

/** Plays the service's side of HTTP: reads requests and writes answers with the codecs of the contract. */
export function playHttp(contract: Contract): Player {
  const trees = new JsonTrees(contract)
  const codecs = liveJson(contract, trees)
  const operations = operationsOf(contract).map((operation): Live => {
    const { path } = operationLayout(operation)
    const live = { name: operation.path.join('.'), ...(codecs.of(trees.operation(operation)) as object) } as unknown as HttpOperation
    const names = [...path.matchAll(/\{([^}]+)\}/g)].map(([, name]) => name ?? '')
    const pattern = new RegExp(`^${path.split(/\{[^}]+\}/).map((part) => part.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')).join('([^/]+)')}$`)
    return { operation, live, pattern, names }
  })
  // A path without parameters wins over one with (section 4.8.8.2).
  operations.sort((a, b) => a.names.length - b.names.length)
  return {
    understand: (request) => understand(contract, operations, request),
    metadata: (documents, address) => served(documents, address),
  }
}

function understand(contract: Contract, operations: readonly Live[], request: PlayRequest): UnderstoodCall | PlayResponse {
  const [path = '', search = ''] = request.target.split('?')
  // The stand-in plays each contract under its name: the first step of the path.
  const below = path.replace(/^\/[^/]+/, '') || '/'
  const here = operations.filter(({ pattern }) => pattern.test(below))
  const found = here.find(({ operation }) => operationLayout(operation).method === request.method)
  if (found === undefined) {
    if (here.length === 0) return refused(404, `There is no path ${below}.`)
    return { ...refused(405, `${request.method} is not offered at ${below}.`), headers: { 'content-type': 'application/problem+json', allow: here.map(({ operation }) => operationLayout(operation).method).join(', ') } }
  }
  const { operation, live, pattern, names } = found
  const values = pattern.exec(below)?.slice(1) ?? []
  const input: Record<string, unknown> = {}
  try {
    for (const field of operation.inputs) {
      const raw = field.place === 'body' ? readBody(contract, field, request) : readParameter(contract, field, live, new Map(names.map((name, at) => [name, decodeURIComponent(values[at] ?? '')])), search, request.headers)
      if (raw === undefined) continue
      const codec = field.place === 'body' ? live.body?.is : live.parameters?.[field.name]?.is
      input[field.name] = codec === undefined || raw instanceof Uint8Array ? raw : fromJson(codec, raw, field.name, () => undefined)
    }
  } catch (error) {
    if (error instanceof ContractBreach) return refused(400, error.message)
    if (error instanceof SyntaxError || error instanceof URIError) return refused(400, `The request can't be read: ${error.message}`)
    throw error
  }
  const misfits = checkInput(live, input)
  if (misfits.length > 0) return refused(400, misfits.map(({ path: place, message }) => `${place}: ${message}`).join('; '))
  return {
    operation,
    endpoint: endpointsOf(contract)[0] as Endpoint,
    input,
    answer(value) {
      const layout = operationLayout(operation)
      const chosen = layout.byStatus === true ? String((value as { status?: unknown } | undefined)?.status ?? Object.keys(layout.answers)[0]) : (Object.keys(layout.answers)[0] ?? '200')
      const body = layout.byStatus === true ? (value as { body?: unknown } | undefined)?.body : value
      const content = live.answers[chosen]
      const status = /^\d+$/.test(chosen) ? Number(chosen) : 200
      if (content?.type === undefined || body === undefined) return { status: content?.type === undefined && status === 200 ? 204 : status, headers: {}, body: '' }
      return { status, headers: { 'content-type': content.type }, body: written(content.type, content.is, body) }
    },
    fault(fault, detail, reason) {
      const status = /^\d{3}$/.test(fault.name) ? Number(fault.name) : 500
      const content = live.faults?.[fault.name]
      if (content?.type === undefined || detail === undefined) return refused(status, reason)
      return { status, headers: { 'content-type': content.type }, body: written(content.type, content.is, detail) }
    },
  }
}

function written(type: string, codec: JsonRef | undefined, value: unknown): string | Uint8Array {
  if (value instanceof Uint8Array) return value
  return /[/+]json\b/i.test(type) ? jsonText(codec === undefined ? value : toJson(codec, value)) : String(value)
}

/** A problem as RFC 9457 has it. */
function refused(status: number, detail: string): PlayResponse {
  return { status, headers: { 'content-type': 'application/problem+json' }, body: JSON.stringify({ status, title: status === 400 ? 'The request does not satisfy the contract' : 'Not possible', detail }) }
}

function readBody(contract: Contract, field: Field, request: PlayRequest): unknown {
  if (request.body.length === 0) return undefined
  const { mediaType } = bodyLayout(field)
  const text = new TextDecoder().decode(request.body)
  if (/[/+]json\b/i.test(mediaType)) return exactJson(text)
  if (/x-www-form-urlencoded|multipart\/form-data/i.test(mediaType)) {
    const members = membersOf(contract, field.type)
    const parts = /multipart/i.test(mediaType) ? readMultipart(request) : formMembers(text)
    const memberOf = (name: string): Field | undefined => members.find((each) => each.name === name)
    const value = (name: string, part: unknown): unknown => (typeof part === 'string' ? typed(contract, part, memberOf(name)) : Array.isArray(part) ? part.map((each: unknown) => value(name, each)) : part)
    const listed = (name: string, part: unknown): unknown => (memberOf(name)?.type.kind === 'list' && !Array.isArray(part) ? [part] : part)
    return Object.fromEntries(Object.entries(parts).map(([name, part]) => [name, listed(name, value(name, part))]))
  }
  return mediaType.startsWith('text/') ? text : request.body
}

function formMembers(text: string): Record<string, unknown> {
  const form = new URLSearchParams(text)
  return Object.fromEntries([...new Set(form.keys())].map((name) => [name, form.getAll(name).length > 1 ? form.getAll(name) : form.get(name)]))
}

/** The parts of a multipart body; files as base64, as their codec reads them. */
function readMultipart(request: PlayRequest): Record<string, unknown> {
  const boundary = /boundary="?([^";]+)/.exec(request.headers['content-type'] ?? '')?.[1] ?? ''
  const binary = Array.from(request.body, (byte) => String.fromCharCode(byte)).join('')
  const parts: Record<string, unknown> = {}
  for (const part of binary.split(`--${boundary}`).slice(1, -1)) {
    const [head = '', ...rest] = part.slice(2).split('\r\n\r\n')
    const content = rest.join('\r\n\r\n').replace(/\r\n$/, '')
    const name = /name="([^"]*)"/.exec(head)?.[1] ?? ''
    const value: unknown = /filename=/.test(head) ? btoa(content) : /application\/json/.test(head) ? exactJson(decodeBinary(content)) : decodeBinary(content)
    parts[name] = name in parts ? [parts[name], value].flat() : value
  }
  return parts
}

function decodeBinary(text: string): string {
  return new TextDecoder().decode(Uint8Array.from(text, (c) => c.charCodeAt(0)))
}

function readParameter(contract: Contract, field: Field & { readonly place?: string }, live: HttpOperation, path: ReadonlyMap<string, string>, search: string, headers: Readonly<Record<string, string>>): unknown {
  const { name, style, explode, json } = parameterLayout(field)
  const place = live.parameters?.[field.name]?.in
  const query = new URLSearchParams(search)
  const isList = resolve(contract, field.type).kind === 'list'
  if (place === 'query') {
    if (style === 'deepObject') {
      const members = [...query].filter(([key]) => key.startsWith(`${name}[`) && key.endsWith(']')).map(([key, value]) => {
        const member = key.slice(name.length + 1, -1)
        return [member, typed(contract, value, membersOf(contract, field.type).find((each) => each.name === member))] as const
      })
      return members.length === 0 ? undefined : Object.fromEntries(members)
    }
    const all = query.getAll(name)
    if (all.length === 0) return undefined
    if (json === true) return exactJson(all[0] ?? '')
    if (!isList) return typed(contract, all[0] ?? '', field)
    const items = explode === false || (style !== undefined && style !== 'form') ? (all[0] ?? '').split(style === 'pipeDelimited' ? '|' : style === 'spaceDelimited' ? ' ' : ',') : all
    return items.map((item) => typed(contract, item, field))
  }
  const cookie = Object.fromEntries((headers['cookie'] ?? '').split('; ').map((pair) => pair.split('=') as [string, string]))
  const text = place === 'path' ? path.get(name) : place === 'header' ? headers[name.toLowerCase()] : cookie[name]
  if (text === undefined) return undefined
  return isList ? text.split(',').map((item) => typed(contract, item, field)) : typed(contract, text, field)
}

/** Texts of addresses and headers as the JSON they stand for, where the type wants a number or a flag. */
function typed(contract: Contract, text: string, field?: Field): unknown {
  const whole = field === undefined ? undefined : resolve(contract, field.type)
  const type = whole?.kind === 'list' ? resolve(contract, whole.item) : whole
  if (type?.kind !== 'scalar') return text
  if (type.base === 'boolean') return text === 'true' ? true : text === 'false' ? false : text
  return ['text', 'date', 'dateTime', 'time', 'duration', 'bytes'].includes(type.base) || !/^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(text) ? text : exactJson(text)
}

/** The documents as the stand-in serves them: the description with its own address as the only server. */
function served(documents: readonly LoadedDocument[], address: string): ServedDocument[] {
  const { pathname } = new URL(address)
  return documents.map((document, at) => {
    let { text } = document
    for (const [reference, label] of document.refers) text = text.replaceAll(reference, label)
    const name = at === 0 ? `openapi${/\.json$/.test(document.label) ? '.json' : '.yaml'}` : document.label
    if (at === 0) text = text.replace(/(["']?url["']?\s*:\s*)(?:"[^"\n]*"|'[^'\n]*'|[^\s,}#]+)/, (_, before: string) => `${before}${JSON.stringify(address)}`)
    return { target: `${pathname}/${name}`, mediaType: name.endsWith('.json') ? 'application/json' : 'application/yaml', text }
  })
}
