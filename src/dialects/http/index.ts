import type { Dialect } from '../dialect.js'
import { httpEmitter } from './emit.js'
import type { Contract } from '../../contract/contract.js'
import { once } from '../../contract/once.js'
import { fromPlain } from '../../contract/plain.js'
import type { Violation } from '../../runtime/failures.js'
import { checkJson } from '../../runtime/http/json.js'
import type { AnyJsonRef } from '../../runtime/http/json-codec.js'
import { formatExamples } from './format-examples.js'
import { isChoice, JsonTrees, liveJson } from './json-trees.js'
import {
  bodySpecifics,
  endpointSpecifics,
  operationSpecifics,
  parameterSpecifics,
  typeSpecifics,
  type SchemeSpecifics,
} from './specifics.js'
import { paged, pagesInWords } from './paged.js'
import { playHttp } from './play.js'
import { readOpenApi } from './reader.js'
import { rulesInWords } from './rules-in-words.js'
import { candidatesOf } from './rules.js'
import { httpFacts } from './wire-facts.js'

const rules = new WeakMap<Contract, NonNullable<ReturnType<NonNullable<Dialect['rules']>>>>()

/** OpenAPI and JSON Schema. */
export const http: Dialect = {
  name: 'http',
  recognise: (text) =>
    /(?:^|[\n{,])\s*["']?(?:openapi|swagger)["']?\s*:\s*["']?\d/.test(text.slice(0, 50_000)),
  metadata: {
    addresses: ['/openapi.json', '/openapi.yaml', '/swagger.json'],
    links: /\/(?:openapi|swagger)\.(?:json|ya?ml)$/i,
    mediaTypes: ['application/json', 'application/yaml'],
  },
  read: readOpenApi,
  emit: httpEmitter,
  takesOverlays: true,

  describe(_contract, operation, endpoint) {
    const { method, path, answers } = operationSpecifics(operation)
    const body = operation.inputs.find((input) => input.place === 'body')
    const parameters = operation.inputs.filter(
      (input) => input.place !== 'body' && !isChoice(input),
    )
    return [
      ['request', `${method} ${path}`],
      ['address', endpoint.address],
      ...parameters.map(
        (each) =>
          [
            `${each.place} ${parameterSpecifics(each).name}`,
            [
              parameterSpecifics(each).style,
              parameterSpecifics(each).json === true ? 'as JSON' : undefined,
            ]
              .filter((part) => part !== undefined)
              .join(', ') || 'as usual',
          ] as const,
      ),
      ...(body === undefined
        ? []
        : [
            [
              'body',
              bodySpecifics(body)
                .contents.map((each) => each.mediaType)
                .join(' or '),
            ] as const,
          ]),
      ...Object.entries(answers).map(
        ([status, contents]) =>
          [
            `answer ${status}`,
            contents.map((each) => each.mediaType).join(' or ') || 'no content',
          ] as const,
      ),
      ...(operation.outcome.kind === 'record' ? [] : (operation.outcome.headers ?? [])).map(
        (each) => ['answer header', `${each.name}${each.optional ? '?' : ''}`] as const,
      ),
      ...pagesInWords(operation),
      ...(operation.leadsTo ?? []).map((each) => ['leads to', each] as const),
      ...(operation.incoming ?? []).map((each) => ['calls back', each.name] as const),
      ...(operation.security === undefined
        ? []
        : [
            [
              'login',
              operation.security.map((each) => each.join(' and ') || 'none').join(', or '),
            ] as const,
          ]),
    ]
  },
  rules: (contract) =>
    once(rules, contract, () => {
      const trees = new JsonTrees(contract)
      const codecs = liveJson(contract, trees)
      return {
        allows(type, plain) {
          const violations: Violation[] = []
          checkJson(
            codecs.of(trees.of(type, false)) as AnyJsonRef,
            fromPlain(contract, type, plain),
            '',
            violations,
          )
          return violations.length === 0
        },
        candidates: (type) => candidatesOf(typeSpecifics(type).rule),
        ofFormat: (format) => formatExamples.get(format),
      }
    }),
  rulesInWords,
  serverVariables(endpoint) {
    const specifics = endpointSpecifics(endpoint)
    if (specifics === undefined) return undefined
    return {
      variables: Object.fromEntries(
        Object.entries(specifics.variables).map(([name, variable]) => [
          name,
          variable.values ?? [],
        ]),
      ),
      address: (values) =>
        Object.entries(specifics.variables).reduce(
          (address, [name, variable]) =>
            address.replaceAll(`{${name}}`, () => values[name] ?? variable.default),
          specifics.template,
        ),
    }
  },
  tokenPlaces: (contract) =>
    contract.security.flatMap(({ name, specifics }) => {
      const { tokenUrl, discovery } = (specifics ?? {}) as SchemeSpecifics
      const address = tokenUrl ?? discovery
      return address === undefined
        ? []
        : [{ scheme: name, address, isDiscovery: tokenUrl === undefined }]
    }),
  paged,
  wire: httpFacts,
  play: playHttp,
}
