import { isJsonText } from '../../contract/plain.js'
import { isWebAddress } from '../../documents/fetching.js'
import { parsePath } from '../../exercise/input.js'
import type { Called, CallOptions } from '../call-operation.js'

/** Methods of HTTP by which a plain exchange is told from an operation. */
const methods = /^(?:GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS)$/

/** Is what is to be called an address, and no operation of a contract? */
export function isPlainExchange(reference: string, wanted: string): boolean {
  return isWebAddress(reference) && methods.test(wanted)
}

/** What the only operation of a plain exchange is called. */
const operation = 'exchange'

/**
 * Makes a call of an address of which there is no contract: a description that allows whatever is
 * sent and answered there, and the input with what stands in the address.
 *
 * @param address with a query, perhaps, which is sent along
 * @param method `GET`
 * @param options in them `with` names parts of the query, or `body.…`; `input` is the body
 */
export function plainExchange(
  address: string,
  method: string,
  options: CallOptions,
): { readonly operation: string; readonly options: CallOptions } {
  const url = new URL(address)
  const inAddress = new Map<string, string[]>()
  for (const [name, value] of url.searchParams)
    inAddress.set(name, [...(inAddress.get(name) ?? []), value])
  const named = (options.with ?? []).map((each) => firstStep(each))
  const names = [...new Set([...inAddress.keys(), ...named])].filter((name) => name !== 'body')
  const hasBody = options.input !== undefined || named.includes('body')
  const query = Object.fromEntries(
    [...inAddress].map(([name, values]) => [name, values.length === 1 ? values[0] : values]),
  )
  return {
    operation,
    options: {
      ...options,
      described: describe(url, method, names, inAddress, hasBody),
      input: { text: inputText(query, options.input?.text), what: options.input?.what ?? address },
    },
  }
}

/** What is answered in these is shown as it came. */
const texts = ['text/plain', 'text/html', 'text/csv']
const asTheyAre = ['application/xml', 'text/xml', 'application/octet-stream']

/** The first step of what stands before the `=` of `--with`. */
function firstStep(assignment: string): string {
  const [first = ''] = parsePath(assignment.slice(0, Math.max(0, assignment.indexOf('='))))
  return String(first)
}

function describe(
  { origin, pathname, host }: URL,
  method: string,
  names: readonly string[],
  inAddress: ReadonlyMap<string, readonly string[]>,
  hasBody: boolean,
): string {
  const parameters = names.map((name) => ({
    name,
    in: 'query',
    schema:
      (inAddress.get(name)?.length ?? 1) > 1
        ? { type: 'array', items: { type: 'string' } }
        : { type: 'string' },
  }))
  const content = {
    'application/json': {},
    ...Object.fromEntries(texts.map((type) => [type, { schema: { type: 'string' } }])),
    ...Object.fromEntries(
      asTheyAre.map((type) => [type, { schema: { type: 'string', format: 'binary' } }]),
    ),
  }
  return JSON.stringify({
    openapi: '3.1.0',
    info: { title: host, version: '' },
    servers: [{ url: origin }],
    paths: {
      [pathname.replaceAll('{', '%7B').replaceAll('}', '%7D')]: {
        [method.toLowerCase()]: {
          operationId: operation,
          parameters,
          ...(hasBody
            ? { requestBody: { required: true, content: { 'application/json': { schema: {} } } } }
            : {}),
          responses: { '2XX': { description: 'an answer', content } },
        },
      },
    },
  })
}

/** The whole input: what stands in the address, and the body as it was written. */
function inputText(query: object, written: string | undefined): string {
  const body = written?.replace(/^\uFEFF/, '')
  if (body === undefined || body.trim() === '') return JSON.stringify(query)
  const others = JSON.stringify(query).slice(1, -1)
  if (isJsonText(body)) return `{${others}${others === '' ? '' : ','}"body":${body}}`
  const indented = body.replace(/^(?=.)/gm, '  ')
  return `${Object.entries(query)
    .map(([name, value]) => `${JSON.stringify(name)}: ${JSON.stringify(value)}\n`)
    .join('')}body:\n${indented}`
}

/** A plain exchange whose answer in XML is text, for whoever looks at it. */
export function withText(called: Called): Called {
  const { result } = called
  const { headers = {}, body } = result.exchanges.at(-1)?.response ?? {}
  return result.value instanceof Uint8Array && /xml/i.test(headers['content-type'] ?? '')
    ? { ...called, result: { ...result, value: body } }
    : called
}
