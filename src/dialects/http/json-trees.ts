import type {
  Contract,
  Field,
  NamedType,
  Operation,
  ScalarType,
  Type,
  UnionType,
} from '../../contract/contract.js'
import { filled, marked, present } from '../../contract/present.js'
import { endpointsOf, membersOf, namedType, operationsOf } from '../../contract/queries.js'
import { camelCase } from '../../naming/identifiers.js'
import { form } from '../../runtime/http/forms.js'
import { readHeaders } from '../../runtime/http/headers.js'
import { lines } from '../../runtime/http/lines.js'
import { multipart } from '../../runtime/http/multipart.js'
import { prove, renew } from '../../runtime/http/security.js'
import { xml } from '../../runtime/http/xml.js'
import { brokenRule } from '../../runtime/json/rules.js'
import * as values from '../../runtime/json/values.js'
import { tokenSource } from '../../runtime/tokens.js'
import {
  Builtin,
  CodecReference,
  Elsewhere,
  LiveCodecs,
  Many,
  type CodecTree,
} from '../codec-tree.js'
import {
  bodySpecifics,
  contractSpecifics,
  faultSpecifics,
  operationSpecifics,
  parameterSpecifics,
  schemeSpecifics,
  typeSpecifics,
  type ContentSpecifics,
  type HeaderSpecifics,
  typeOfAnswer,
  type OutcomeSpecifics,
  type PagesSpecifics,
} from './specifics.js'
import { mapRule, referredRules } from './live-rules.js'
import { isStructuredText, kindOf, type ContentKind } from './media-types.js'
import type { Rule } from './rules.js'
import { XmlTrees } from './xml-trees.js'

const valuesModule = 'runtime/json/values'
const rulesModule = 'runtime/json/rules'

const builtins: Readonly<Partial<Record<ScalarType['base'], keyof typeof values>>> = {
  text: 'text',
  boolean: 'boolean',
  int8: 'int8',
  int16: 'int16',
  int32: 'int32',
  uint8: 'uint8',
  uint16: 'uint16',
  uint32: 'uint32',
  int64: 'int64',
  uint64: 'uint64',
  decimal: 'decimal',
  float: 'double',
  double: 'double',
  bytes: 'base64',
  date: 'date',
  dateTime: 'dateTime',
  time: 'time',
  duration: 'duration',
}

/** Values of formats that are not on the wire as their base is. */
const byFormat = new Map<string, keyof typeof values>([
  ['string:int64', 'int64Text'],
  ['string:uint64', 'uint64Text'],
  ['string:decimal', 'decimalText'],
  ['base64url', 'base64url'],
  ['integer', 'integer'],
])

/** Names of the runtime's values that codecs of this dialect use. */
export const valueNames: readonly string[] = [
  ...Object.values(builtins),
  'anything',
  'integer',
  'int64Text',
  'uint64Text',
  'decimalText',
  'base64url',
  'brokenRule',
]

/** Of more alternatives than these compilers are not told the types of their codecs. */
const mostTold = 50

/** Builds the JSON codecs of a contract as trees. */
export class JsonTrees {
  private readonly contract: Contract
  /** What the constants of rules.ts are called, by the id of the rule. */
  private readonly ruleNames: ReadonlyMap<string, string>
  /** The rules that others refer to, by id. */
  private readonly namedRules: Readonly<Record<string, Rule>>
  private readonly xmlTrees: XmlTrees
  /** What the constants of security.ts are called, by the name of the scheme. */
  private readonly schemeNames: ReadonlyMap<string, string>
  private readonly isAnySecured: boolean

  constructor(contract: Contract) {
    this.contract = contract
    this.namedRules = referredRules(contract, contractSpecifics(contract).rules ?? {})
    this.ruleNames = constantNames(Object.keys(this.namedRules), 'Rule')
    this.xmlTrees = new XmlTrees(contract)
    this.schemeNames = schemeNames(contract)
    this.isAnySecured = operationsOf(contract).some((operation) => operation.security !== undefined)
  }

  /** The rules that others refer to: the name of the constant, and the tree. */
  rules(): (readonly [name: string, tree: CodecTree])[] {
    return [...this.ruleNames].map(([id, name]) => [name, this.rule(this.namedRules[id] ?? true)])
  }

  private rule(rule: Rule): CodecTree {
    return mapRule(
      rule,
      (id) =>
        new Elsewhere('rules', this.ruleNames.get(id) ?? '', () =>
          this.rule(this.namedRules[id] ?? true),
        ),
    ) as CodecTree
  }

  ofNamed(type: NamedType): CodecTree {
    return this.of(type, true)
  }

  /**
   * @param late codecs of named types are referred to by functions: where they may not be declared
   *   yet, and wherever the compiler knows the values only by half, so that it looks no further
   */
  of(type: Type, late: boolean): CodecTree {
    const { rule } = typeSpecifics(type)
    const shape = this.shape(type, late)
    return rule === undefined
      ? shape
      : {
          is: shape,
          obeys: { rule: this.rule(rule), broken: new Builtin(rulesModule, 'brokenRule') },
        }
  }

  private shape(type: Type, late: boolean): CodecTree {
    switch (type.kind) {
      case 'reference':
        namedType(this.contract, type.to)
        return new CodecReference(type.to, late)
      case 'scalar':
        return this.scalar(type)
      case 'enumeration':
        return { literals: type.members.map((member) => member.value) }
      case 'literal':
        return { literals: [type.value] }
      case 'nothing':
        return { literals: [] }
      case 'tuple': {
        const { minItems, maxItems, rest } = type
        return {
          tuple: type.items.map((each) => this.of(each, true)),
          ...present({ rest: rest && this.of(rest, true) }),
          ...(minItems === 0 ? {} : { min: minItems }),
          ...present({ max: maxItems }),
        }
      }
      case 'list':
        return {
          items: this.of(type.item, late),
          ...marked({ nullable: type.itemNullable === true }),
          ...present({ min: type.minItems, max: type.maxItems }),
        }
      case 'map':
        return { values: this.of(type.value, late) }
      case 'record':
        return {
          members: this.members(type.fields),
          ...marked({ open: type.open === true }),
          ...present({
            patterned:
              type.patterned &&
              type.patterned.map((each) => [each.pattern, this.of(each.type, true)]),
          }),
          ...present({ rest: type.rest && this.of(type.rest, true) }),
        }
      case 'union':
        return this.union(type)
      case 'intersection':
        return {
          allOf: type.parts.map((each) => this.of(each, true)),
          ...marked({ apart: typeSpecifics(type).apart === true }),
        }
      default:
        return new Builtin(valuesModule, 'anything')
    }
  }

  /** Everything the runtime needs to know of an operation. */
  operation(operation: Operation): { readonly [key: string]: CodecTree } {
    const specifics = operationSpecifics(operation)
    const body = operation.inputs.find((input) => input.place === 'body')
    // The choice between media types is no parameter: it decides what travels, and is not sent
    // itself.
    const parameters = operation.inputs.filter(
      (input) => input.place !== 'body' && !isChoice(input),
    )
    const { outcome } = operation
    const headers = outcome.kind === 'record' ? [] : (outcome.headers ?? [])
    const offered = Object.keys(operation.wire)
    const security = this.security(operation)
    return {
      method: specifics.method,
      path: specifics.path,
      ...(parameters.length === 0
        ? {}
        : {
            parameters: record(
              parameters.map((field) => [field.name, this.parameter(field, field.place)]),
            ),
          }),
      ...present({ body: body && this.body(body) }),
      answers: Object.fromEntries(
        Object.entries(specifics.answers).map(([status, contents], at) => [
          status,
          this.answer(operation, contents, at),
        ]),
      ),
      ...marked({ byStatus: specifics.byStatus === true }),
      ...present({ pages: specifics.pages && pagesTree(specifics.pages) }),
      ...(operation.faults.length === 0
        ? {}
        : {
            faults: Object.fromEntries(
              operation.faults.map((fault) => [
                fault.name,
                this.content(faultSpecifics(fault).content, fault.type),
              ]),
            ),
          }),
      ...(headers.length === 0
        ? {}
        : {
            headers: {
              of: record(headers.map((field) => [field.name, this.header(field)])),
              read: new Builtin('runtime/http/headers', 'readHeaders'),
            },
          }),
      ...present({ security }),
      ...(offered.length === endpointsOf(this.contract).length ? {} : { offered }),
    }
  }

  /** Shapes for XML of the types that others refer to: the name of the constant, and the tree. */
  xmlShapes(): (readonly [name: string, tree: CodecTree])[] {
    return [...this.xmlTrees.named()]
  }

  private body(body: Field): CodecTree {
    const { contents, several } = bodySpecifics(body)
    const typeOf = (content: ContentSpecifics): Type =>
      several === true && body.type.kind === 'union'
        ? (body.type.alternatives[content.at] as Type)
        : body.type
    const [first, ...others] = contents.map((content) => this.content(content, typeOf(content)))
    return {
      ...first,
      ...marked({ optional: body.optional, nullable: body.nullable }),
      ...filled({ others }),
    }
  }

  private answer(
    operation: Operation,
    contents: readonly ContentSpecifics[],
    at: number,
  ): CodecTree {
    const { outcome } = operation
    if (outcome.kind !== 'value') return {}
    const type = typeOfAnswer(operation, outcome.field)
    const alternative =
      operationSpecifics(operation).byStatus === true && type.kind === 'union'
        ? type.alternatives[at]
        : undefined
    const item = outcome.stream === true && type.kind === 'list' ? type.item : type
    const body =
      alternative?.kind === 'record'
        ? alternative.fields.find((field) => field.name === 'body')
        : { type: item, nullable: outcome.field.nullable }
    const own = body?.type ?? type
    const nullable = body?.nullable === true ? { nullable: true } : {}
    const several = (outcome.field.specifics as OutcomeSpecifics | undefined)?.several === true
    const trees = contents.map((content) => ({
      ...this.content(
        content,
        several && own.kind === 'union' ? (own.alternatives[content.at] as Type) : own,
      ),
      ...nullable,
    }))
    const [only, ...others] = trees
    if (only === undefined) return {}
    if (others.length === 0) return only
    return trees
  }

  private content(
    specifics: ContentSpecifics | undefined,
    type: Type,
  ): Readonly<Record<string, CodecTree>> {
    if (specifics === undefined) return {}
    const { mediaType, kind, encoding } = specifics
    const format = formats[kind]
    const isUnknown =
      type.kind === 'nothing' ||
      (type.kind === 'anything' && typeSpecifics(type).rule === undefined)
    return {
      type: mediaType,
      ...(isUnknown ? {} : { is: this.of(type, false) }),
      ...(format === undefined || (kind === 'xml' && type.kind === 'scalar')
        ? {}
        : { format: new Builtin(format.module, format.name) }),
      ...marked({
        json: kind === 'json' && kindOf(mediaType) !== 'json',
        raw: kind === 'bytes' && isStructuredText(kindOf(mediaType)),
      }),
      ...present({
        encoding:
          encoding &&
          record(
            Object.entries(encoding).map(([name, each]) => [
              name,
              {
                ...each,
                ...present({ headers: each.headers && { ...each.headers } }),
              },
            ]),
          ),
      }),
      ...(kind === 'xml' && type.kind !== 'scalar'
        ? { xml: this.xmlTrees.root(type, specifics.xml ?? {}) }
        : {}),
    }
  }

  private header(field: Field): CodecTree {
    const { explode, json } = field.specifics as HeaderSpecifics
    return {
      is: this.of(field.type, true),
      ...marked({ optional: field.optional, explode: explode === true, json: json === true }),
    }
  }

  /** The security schemes that operations want: the name of the constant, and the tree. */
  schemes(): (readonly [name: string, tree: CodecTree])[] {
    const wanted = new Set(
      operationsOf(this.contract).flatMap((operation) => (operation.security ?? []).flat()),
    )
    return this.contract.security
      .filter((scheme) => wanted.has(scheme.name))
      .map((scheme) => {
        const { key, ...addresses } = schemeSpecifics(scheme)
        const tokens =
          scheme.scheme === 'oauth2' ? { tokens: new Builtin('runtime/tokens', 'tokenSource') } : {}
        return [
          this.schemeNames.get(scheme.name) ?? '',
          {
            name: scheme.name,
            kind: scheme.scheme,
            ...present({ key: key && { ...key } }),
            ...addresses,
            ...tokens,
          },
        ]
      })
  }

  /** Who may call, by the constants of security.ts. */
  private security(operation: Operation): CodecTree | undefined {
    // What is open beside operations that are not takes any credential without wanting it; with no
    // scheme anywhere there is nothing to go by.
    const security = operation.security ?? (this.isAnySecured ? [[]] : undefined)
    if (security === undefined) return undefined
    const scopes = new Map(Object.entries(operationSpecifics(operation).scopes ?? {}))
    const anyOf = security.map((alternative): CodecTree =>
      alternative.map((name) => ({
        scheme: new Builtin('security', this.schemeNames.get(name) ?? ''),
        ...(scopes.has(name) ? { scopes: [...(scopes.get(name) ?? [])] } : {}),
      })),
    )
    return {
      anyOf,
      prove: new Builtin('runtime/http/security', 'prove'),
      renew: new Builtin('runtime/http/security', 'renew'),
    }
  }

  private union(type: UnionType): CodecTree {
    const { discriminator } = type
    const { exactlyOne, otherwise } = typeSpecifics(type)
    const ids = type.alternatives.map((each) => (each.kind === 'reference' ? each.to : ''))
    const places = new Map(ids.map((id, at): [string, number] => [id, at]).reverse())
    const when = Object.fromEntries(
      Object.entries(discriminator?.mapping ?? {}).flatMap(([value, id]) => {
        const place = places.get(id)
        return place === undefined ? [] : [[value, place] as const]
      }),
    )
    const by =
      discriminator === undefined || Object.keys(when).length === 0
        ? undefined
        : {
            member: discriminator.field,
            when,
            ...present({ otherwise: otherwise && ids.indexOf(otherwise) }),
          }
    const alternatives = type.alternatives.map((each): CodecTree => {
      const tree = this.of(each, true)
      // Some do not declare the member that tells them apart.
      const isSilent =
        discriminator !== undefined &&
        by !== undefined &&
        !membersOf(this.contract, each).some((field) => field.name === discriminator.field)
      return isSilent
        ? {
            allOf: [
              {
                members: this.members([
                  {
                    name: discriminator.field,
                    type: { kind: 'anything' },
                    optional: true,
                    nullable: true,
                    origin: 0,
                  },
                ]),
              },
              tree,
            ],
          }
        : tree
    })
    return {
      oneOf:
        alternatives.length > mostTold ? new Many(alternatives, 'runtime/http/json') : alternatives,
      ...present({ by }),
      ...marked({ exactly: exactlyOne === true }),
    }
  }

  private parameter(field: Field, place: string): CodecTree {
    const { name, style, explode, allowReserved, json: asJson, whole } = parameterSpecifics(field)
    return {
      in: place,
      ...(name === field.name ? {} : { name }),
      is: this.of(field.type, false),
      ...marked({ optional: field.optional, nullable: field.nullable }),
      ...present({ style, explode }),
      ...marked({ allowReserved: allowReserved === true, json: asJson === true }),
      ...present({ whole }),
    }
  }

  private members(fields: readonly Field[]): CodecTree {
    return record(
      fields.map((field) => [
        field.name,
        {
          is: this.of(field.type, true),
          ...marked({ optional: field.optional, nullable: field.nullable }),
        },
      ]),
    )
  }

  private scalar(type: ScalarType): CodecTree {
    const builtin = new Builtin(valuesModule, valueName(type))
    if (type.constraints === undefined) return builtin
    const { patterns, ...bounds } = type.constraints
    return { restricts: builtin, ...bounds, ...present({ patterns }) }
  }
}

/** Which of the runtime's values a simple type is. */
export function valueName({ base, format }: ScalarType): string {
  // A text may have the format of anything.
  const own = base === 'text' ? undefined : byFormat.get(format)
  return own ?? builtins[base] ?? 'text'
}

/** Names of constants: after the last word of an id, numbered where that is not enough. */
export function constantNames(ids: readonly string[], suffix: string): Map<string, string> {
  const taken = new Set<string>()
  return new Map(
    [...ids].sort().map((id) => {
      const wished = `${camelCase(id.split('/').pop() ?? '')}${suffix}`
      let name = wished
      for (let count = 2; taken.has(name); count += 1) name = `${wished}${count}`
      taken.add(name)
      return [id, name]
    }),
  )
}

/** Formats that are not built into the runtime's own sending and reading. */
const formats: Readonly<
  Partial<Record<ContentKind, { readonly module: string; readonly name: string }>>
> = {
  form: { module: 'runtime/http/forms', name: 'form' },
  multipart: { module: 'runtime/http/multipart', name: 'multipart' },
  xml: { module: 'runtime/http/xml', name: 'xml' },
  lines: { module: 'runtime/http/lines', name: 'lines' },
}

/** Is the input a choice between media types, and no parameter? */
export function isChoice(input: Field): boolean {
  return parameterSpecifics(input).choice === true
}

/** What the constants of security.ts are called, by the name of the scheme. */
export function schemeNames(contract: Contract): ReadonlyMap<string, string> {
  return constantNames(
    contract.security.map((scheme) => scheme.name),
    'Scheme',
  )
}

function record(entries: readonly (readonly [string, CodecTree])[]): {
  readonly [key: string]: CodecTree
} {
  return Object.fromEntries(entries)
}

/** How the pages of a list are had, without what only the contract knows. */
function pagesTree({ answer: _, ...pages }: PagesSpecifics): CodecTree {
  return { ...pages }
}

/** What the runtime has besides simple values. */
const others: Readonly<Record<string, unknown>> = {
  brokenRule,
  form,
  multipart,
  xml,
  lines,
  readHeaders,
  prove,
  renew,
  tokenSource,
}

/** Codecs that work: what the stand-in reads and writes with. */
export function liveJson(contract: Contract, trees: JsonTrees): LiveCodecs {
  const schemes = new Map(trees.schemes())
  const live: LiveCodecs = new LiveCodecs(
    (name) =>
      (schemes.has(name) ? live.of(schemes.get(name) ?? {}) : others[name]) ??
      values[name as keyof typeof values],
    (id) => trees.ofNamed(namedType(contract, id)),
  )
  return live
}
