import type {
  Contract,
  Field,
  InputField,
  NamedType,
  Operation,
  Origin,
  ScalarBase,
  Type,
} from '../../src/contract/contract.js'
import { problem } from '../../src/contract/problem.js'
import type { Dialect } from '../../src/dialects/dialect.js'
import { http } from '../../src/dialects/http/index.js'
import type { Documents, LoadedDocument } from '../../src/documents/documents.js'

/**
 * A made-up dialect: a description of calls over HTTP with JSON, a line for each thing.
 *
 * - `line-calls` begins it; `title` and `at` say what the service is called, and where it is.
 * - `record Lamp: name text, height number?` is a type; what ends in `?` may be left out.
 * - `call lamps.light POST /lamps/{name} Lamp -> Lamp[] or Broken: Lights a lamp.` is an operation:
 *   what it takes beside the path, what it answers, what it fails with, what it does.
 *
 * It is written and read as the dialect of OpenAPI is, which is what a call over HTTP with JSON is.
 */
export const lineCalls: Dialect = {
  ...http,
  name: 'line-calls',
  recognise: (text) => text.startsWith('line-calls\n'),
  metadata: { addresses: ['/calls.txt'], links: /calls\.txt$/, mediaTypes: ['text/plain'] },
  read: (documents, name) => Promise.resolve(contractOf(documents, name)),
  adviceOn: (status) =>
    status === 418
      ? { words: 'It is a lamp, and makes no tea.', advice: 'Ask a teapot.' }
      : undefined,
  play: (contract) => ({
    ...http.play(contract),
    metadata: ([document]: readonly LoadedDocument[], address) => [
      {
        target: '/calls.txt',
        mediaType: 'text/plain',
        text: (document?.text ?? '').replace(/^at .*$/m, `at ${address}`),
      },
    ],
  }),
}

const bases: Readonly<Record<string, readonly [base: ScalarBase, format: string]>> = {
  text: ['text', 'string'],
  number: ['double', 'number'],
  flag: ['boolean', 'boolean'],
}

function contractOf({ root }: Documents, name: string): Contract {
  const lines = root.text.split('\n')
  const word = (key: string): string =>
    lines.find((line) => line.startsWith(`${key} `))?.slice(key.length + 1) ?? ''
  const origin = 0
  let next = 0
  const types: Record<string, NamedType> = {}
  const operations: Operation[] = []
  for (const [index, line] of lines.entries()) {
    const here = next
    next += line.length + 1
    const record = /^record (\w+): (.*)$/.exec(line)
    if (record !== null) {
      const [, id = '', members = ''] = record
      const fields = members.split(', ').map((member) => fieldOf(member, here))
      types[id] = { kind: 'record', id, name: id, fields, origin: here }
    }
    const call =
      /^call (\S+) ([A-Z]+) (\S+)(?: (\w+))?(?: -> ([\w[\]]+))?(?: or (\w+))?(?:: (.*))?$/.exec(
        line,
      )
    if (call !== null) operations.push(operationOf(call, here))
    else if (line.startsWith('call '))
      throw problem(
        'TM-2009',
        { found: `the line "${line}" is no call` },
        {
          place: { document: root.label, line: index + 1, column: 1 },
        },
      )
  }
  return {
    name,
    dialect: 'line-calls',
    title: word('title'),
    services: [
      {
        name: word('title'),
        endpoints: [{ name: 'house', address: word('at'), protocol: 'HTTP', origin }],
        operations,
        origin,
      },
    ],
    types,
    security: [],
    notes: [],
    origin,
  }
}

const json = { mediaType: 'application/json', kind: 'json', at: 0 } as const

function fieldOf(member: string, origin: Origin): Field {
  const [, name = '', type = '', mark] = /^(\w+) ([\w[\]]+)(\?)?$/.exec(member) ?? []
  return { name, type: typeOf(type, origin), optional: mark !== undefined, nullable: false, origin }
}

function typeOf(text: string, origin: Origin): Type {
  if (text.endsWith('[]')) return { kind: 'list', item: typeOf(text.slice(0, -2), origin) }
  const [base, format] = bases[text] ?? []
  return base === undefined || format === undefined
    ? { kind: 'reference', to: text }
    : { kind: 'scalar', base, format }
}

function operationOf(call: RegExpExecArray, origin: Origin): Operation {
  const [, name = '', method = '', path = '', takes, answers, fails, documentation] = call
  const parameters = [...path.matchAll(/\{(\w+)\}/g)].map(([, parameter = '']): InputField => ({
    ...fieldOf(`${parameter} text`, origin),
    place: 'path',
    specifics: { name: parameter },
  }))
  const body = (takes === undefined ? [] : [takes]).map((type): InputField => ({
    ...fieldOf(`body ${type}`, origin),
    place: 'body',
    specifics: { contents: [json] },
  }))
  return {
    path: name.split('.'),
    inputs: [...parameters, ...body],
    outcome:
      answers === undefined
        ? { kind: 'nothing' }
        : { kind: 'value', field: fieldOf(`answer ${answers}`, origin) },
    faults: (fails === undefined ? [] : [fails]).map((type) => ({
      name: '409',
      type: typeOf(type, origin),
      specifics: { content: json },
      origin,
    })),
    wire: { house: {} },
    ...(documentation === undefined ? {} : { documentation }),
    origin,
    specifics: { method, path, answers: answers === undefined ? { 204: [] } : { 200: [json] } },
  }
}
