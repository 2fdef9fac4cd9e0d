import type { Contract, Endpoint, NamedType, Operation } from '../../contract/contract.js'
import { groupOf } from '../../contract/choice.js'
import { fieldsOfOutcome, operationsOf, pathOf } from '../../contract/queries.js'
import { callLine } from '../../exercise/call-line.js'
import { sampleInput, sampleValue, type SampleOptions } from '../../exercise/sample.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { inputLines, methodOf } from '../../typescript/first-lines.js'
import {
  describeEndpoint,
  describeOperation,
  describeType,
  type Described,
  type OperationDescription,
} from '../describe/descriptions.js'
import type { FieldDescription } from '../describe/fields.js'
import { firstSentence } from '../describe/words.js'
import {
  codeBlock,
  facts,
  foldedPart,
  link,
  listed,
  meaning,
  part,
  prose,
  tag,
  thing,
  type ThingParts,
  withCode,
} from './html-parts.js'

/**
 * Samples with everything that are longer than this are left to `tolmach sample --full`, the sooner
 * the more things there are.
 */
const longestSample = { ofFew: 3000, ofMany: 600 } as const
/** On pages with more things than this, what is below a line is made when it unfolds. */
const mostAtOnce = 300
/** A call is written on one line up to this length. */
const lineLength = 90

/** Writes the things of a contract for the reference page: endpoints, operations, types. */
export class ThingWriter {
  private readonly described: Described
  private readonly contract: Contract
  private readonly name: string
  private readonly typeNames: ReadonlySet<string>
  private readonly operationNames: ReadonlySet<string>
  private readonly hasMany: boolean
  private readonly samples: Omit<SampleOptions, 'full'>

  /** @param name what the contract goes by at the prompt */
  constructor(described: Described, types: readonly NamedType[], name: string) {
    this.described = described
    this.contract = described.contract
    this.name = name
    this.typeNames = new Set(types.map((type) => type.name))
    this.operationNames = new Set(operationsOf(described.contract).map(pathOf))
    this.hasMany = this.typeNames.size + this.operationNames.size > mostAtOnce
    this.samples = { rules: described.dialect.rules?.(described.contract) }
  }

  endpoint(endpoint: Endpoint): Markup {
    const { name, protocol, address, documentation, credentials, headers, operations } =
      describeEndpoint(this.described, endpoint)
    const wanted = joined(
      credentials.map((each) =>
        each.operations === undefined
          ? inMarkup(each.wanted)
          : markup`${inMarkup(each.wanted)} (${this.allLinked(each.operations)})`,
      ),
      '<br>',
    )
    return this.thing({
      id: `endpoint-${name}`,
      title: name,
      line: [tag(protocol), markup`<code class="path">${inMarkup(address)}</code>`],
      body: [
        prose(documentation),
        facts([
          ['address', markup`<code>${inMarkup(address)}</code>`],
          ['credentials', wanted === 'none' ? markup`none that the metadata names` : wanted],
          ...(headers.length === 0
            ? []
            : [['message headers', inMarkup(headers.join(', '))] as const]),
          ['operations', markup`${operations.length}`],
        ]),
      ],
    })
  }

  /** An operation. @param isShort is it told by the last step of its name, as within its group? */
  operation(operation: Operation, isShort: boolean): Markup {
    const shown = describeOperation(this.described, operation)
    const { name, documentation, faults } = shown
    const group = groupOf(operation)
    const title = isShort && group !== undefined ? name.slice(group.length + 1) : name
    const least = sampleInput(this.contract, operation, { ...this.samples, full: false })
    return this.thing({
      id: `operation-${name}`,
      title,
      line: [
        ...requestOf(shown),
        ...(shown.deprecated ? [tag('deprecated')] : []),
        meaning(firstSentence(documentation)),
      ],
      body: [
        ...(title === name ? [] : [markup`<p class="faint"><code>${inMarkup(name)}</code></p>`]),
        prose(documentation),
        part(markup`At the prompt`, codeBlock(callLine(this.name, name, least))),
        part(markup`In TypeScript`, codeBlock(this.call(operation, least))),
        part(
          markup`Inputs`,
          shown.inputs.length === 0 ? markup`<p class="faint">none</p>` : this.fields(shown.inputs),
        ),
        part(markup`Message headers`, this.fields(shown.headers)),
        markup`<h4>Outcome: ${this.linked(shown.outcomeType)}</h4>${this.outcome(shown)}`,
        part(
          markup`Faults`,
          listed(
            ['name', 'type', 'meaning'],
            faults.map((each) => [
              inMarkup(each.name),
              this.linked(each.type),
              inMarkup(each.documentation ?? ''),
            ]),
          ),
        ),
        foldedPart(
          markup`Its types in TypeScript`,
          codeBlock([shown.signature, '', ...shown.declarations].join('\n').trim()),
        ),
        this.sampleInputs(operation, least),
        this.sampleAnswer(operation),
        this.wire(shown),
      ],
    })
  }

  private get longestSample(): number {
    return this.hasMany ? longestSample.ofMany : longestSample.ofFew
  }

  private thing(parts: ThingParts): Markup {
    return thing(parts, this.hasMany)
  }

  private call(operation: Operation, input: Record<string, unknown>): string {
    const { contract, described } = this
    const method = methodOf(described.names, operation)
    const start = `${operation.outcome.kind === 'nothing' ? '' : 'const answer = '}await ${method}(`
    const room = lineLength - start.length
    const lines = inputLines(contract, described.names, operation, () => input, room)
    return `${start}${lines.join('\n')})`
  }

  private outcome({ outcome }: OperationDescription): Markup {
    return this.fields(outcome.length === 1 ? (outcome[0]?.fields ?? []) : outcome)
  }

  /** Inputs that satisfy the contract: the least, and one with everything. */
  private sampleInputs(operation: Operation, input: Record<string, unknown>): Markup {
    if (operation.inputs.length === 0) return markup``
    const everything = sampleInput(this.contract, operation, { ...this.samples, full: true })
    const [least = '', most = ''] = [input, everything].map((each) => JSON.stringify(each, null, 2))
    const line = `tolmach sample ${this.name} ${pathOf(operation)} --full`
    const whole =
      most.length > this.longestSample
        ? markup`<p class="faint">With everything: <code>${inMarkup(line)}</code></p>`
        : foldedPart(markup`A sample input with everything`, codeBlock(most))
    return markup`${foldedPart(markup`A sample input`, codeBlock(least))}${most === least ? markup`` : whole}`
  }

  private sampleAnswer({ outcome }: Operation): Markup {
    if (outcome.kind === 'nothing') return markup``
    const made = (full: boolean): string => {
      const values = fieldsOfOutcome(outcome).map(({ name, type }) => [
        name,
        sampleValue(this.contract, type, name, { ...this.samples, full }),
      ])
      const answer: unknown = outcome.kind === 'value' ? values[0]?.[1] : Object.fromEntries(values)
      return JSON.stringify(answer, null, 2) ?? ''
    }
    const full = made(true)
    return foldedPart(
      markup`A sample answer`,
      codeBlock(full.length > this.longestSample ? made(false) : full),
    )
  }

  private wire({ wire, origin }: OperationDescription): Markup {
    const told = (pairs: readonly (readonly [string, string])[]): Markup =>
      facts(pairs.map(([label, value]) => [label, inMarkup(value)]))
    const endpoints = wire.endpoints.map(({ endpoint, facts: own }) =>
      part(inMarkup(endpoint), told(own)),
    )
    return foldedPart(
      markup`On the wire`,
      markup`${told(wire.everywhere)}${joined(endpoints, '')}<p class="faint">declared at ${inMarkup(origin)}</p>`,
    )
  }

  type(type: NamedType): Markup {
    const shown = describeType(this.described, type.id, 'own')
    const { name, documentation, fields, values, rules, usedBy, declarations, extendedBy } = shown
    const base = shown.extends
    const fieldsTitle =
      base === undefined ? markup`Fields` : markup`Fields besides those of ${this.linked(base)}`
    const valueRows = values.map((each) => [
      markup`<code>${inMarkup(each.value)}</code>`,
      inMarkup(each.documentation ?? ''),
    ])
    const ruleLines = rules.map((rule) => markup`<li>${withCode(rule)}</li>`)
    const paragraph = (lead: Markup, names: readonly string[]): Markup =>
      names.length === 0 ? markup`` : markup`<p>${lead}${this.allLinked(names)}</p>`
    return this.thing({
      id: `type-${name}`,
      title: name,
      line: [tag(shown.what), meaning(firstSentence(documentation))],
      body: [
        prose(documentation),
        paragraph(markup`extends `, base === undefined ? [] : [base]),
        paragraph(markup`extended by `, extendedBy),
        part(fieldsTitle, this.fields(fields)),
        part(markup`Values`, listed(['value', 'meaning'], valueRows)),
        ruleLines.length === 0
          ? markup``
          : part(markup`Rules`, markup`<ul>${joined(ruleLines, '')}</ul>`),
        part(markup`Used by`, paragraph(markup``, usedBy)),
        foldedPart(markup`In TypeScript`, codeBlock(declarations.join('\n'))),
        markup`<p class="faint">declared at ${inMarkup(shown.origin)}</p>`,
      ],
    })
  }

  private allLinked(names: readonly string[]): Markup {
    return joined(
      names.map((name) => this.linked(name)),
      ', ',
    )
  }

  /** Fields with those inside them; columns that would be empty are left out. */
  private fields(fields: readonly FieldDescription[]): Markup {
    if (fields.length === 0) return markup``
    const all = fields.flatMap((each) => withInner(each, 0))
    const hasRules = all.some(({ field }) => field.rules !== '')
    const hasMeaning = all.some(({ field }) => field.documentation !== undefined)
    const rows = all.map(({ field, depth }) => [
      markup`<span class="name" style="padding-left:${depth * 1.2}em">${inMarkup(field.name)}</span>`,
      this.linked(field.type),
      field.required ? markup`yes` : markup``,
      ...(hasRules ? [withCode(field.rules)] : []),
      ...(hasMeaning ? [inMarkup(field.documentation ?? '')] : []),
    ])
    const headings = [
      'name',
      'type',
      'required',
      ...(hasRules ? ['rules'] : []),
      ...(hasMeaning ? ['meaning'] : []),
    ]
    return listed(headings, rows)
  }

  /** A text in which the names of operations and types lead to them. */
  private linked(text: string): Markup {
    if (this.operationNames.has(text)) return link(`operation-${text}`, text)
    return joined(
      text
        .split(/([^\p{L}\p{N}_$.-]+)/u)
        .map((each) => (this.typeNames.has(each) ? link(`type-${each}`, each) : inMarkup(each))),
      '',
    )
  }
}

function withInner(
  field: FieldDescription,
  depth: number,
): { field: FieldDescription; depth: number }[] {
  return [{ field, depth }, ...field.fields.flatMap((inner) => withInner(inner, depth + 1))]
}

/** Method and path, where an operation is told by them. */
function requestOf({ wire }: OperationDescription): Markup[] {
  const [request] = [...wire.everywhere, ...(wire.endpoints[0]?.facts ?? [])].filter(
    ([label]) => label === 'request',
  )
  return request === undefined ? [] : [markup`<code class="path">${inMarkup(request[1])}</code>`]
}
