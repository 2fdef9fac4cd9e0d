import type { Command } from 'commander'
import { pc } from '../colours.js'
import {
  findInContract,
  showContract,
  type EndpointDescription,
  type FieldDescription,
  type GroupDescription,
  type OperationDescription,
  type Shown,
  type TypeDescription,
} from '../../app/show-contract.js'
import { problem } from '../../app/problems.js'
import { foundText } from '../found-text.js'
import { overviewText } from '../overview-text.js'
import { globalsOf } from '../run.js'
import { proseLines, tableText } from '../tables.js'
import { count, print, printJson, say, sayOthers } from '../terminal.js'
import { sayNotes } from './import.js'

interface Options {
  readonly find?: string
  readonly full?: boolean
  readonly save?: string
}

export function declare(command: Command): void {
  command
    .option('--find <text>', 'look for words in names and documentation')
    .option('--full', 'the overview with every operation and type, however many')
    .option('--save <file.html>', 'write a page with everything, to browse')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach show berths\n  tolmach show berths reserveBerth\n  tolmach show registry --find "port call"\n  tolmach show ferries --save ferries.html\n  tolmach show ./desk.wsdl Berth',
    )
    .action(async (contract: string, thing: string | undefined, options: Options) => {
      const { project, output } = globalsOf(command)
      if (options.find !== undefined) {
        if (thing !== undefined)
          throw problem('TM-1010', {
            option: '--find',
            reason: 'it looks through the whole contract',
            remedy: `Leave "${thing}" out.`,
          })
        const found = await findInContract(contract, options.find, { project })
        if (output.json) printJson(found)
        else print(foundText(found))
        return
      }
      if (options.save !== undefined) {
        const { saveReferencePage } = await import('../../app/save-reference-page.js')
        const saved = await saveReferencePage(contract, options.save, { project })
        if (output.json) printJson(saved)
        else
          say(
            output,
            `Saved: ${saved.file}  ${count(saved.operations, 'operation')}, ${count(saved.types, 'type')}`,
          )
        return
      }
      const shown = await showContract(contract, thing, { project })
      if (output.json) {
        printJson(shown)
        return
      }
      print(shown.kind === 'contract' ? overviewText(shown, options.full === true) : textOf(shown))
      if (shown.kind === 'contract') {
        sayNotes(output, shown.notes)
        if (shown.counts.operations > 0)
          say(
            output,
            `\nNext: tolmach show ${contract} <operation>, or tolmach generate ${contract}`,
          )
      }
      sayOthers(output, shown.others)
    })
}

function indented(text: string): string {
  return text
    .split('\n')
    .map((line) => `  ${line}`)
    .join('\n')
}

function textOf(shown: Exclude<Shown, { readonly kind: 'contract' }>): string {
  switch (shown.kind) {
    case 'operation':
      return operationText(shown)
    case 'group':
      return groupText(shown)
    case 'type':
      return typeText(shown)
    case 'endpoint':
      return endpointText(shown)
  }
}

function groupText(shown: GroupDescription): string {
  return [
    `${pc.bold(shown.name)}  group of ${count(shown.operations.length, 'operation')}`,
    ...proseLines(shown.documentation),
    '',
    tableText(
      ['operation', 'outcome', 'meaning'],
      shown.operations.map((each) => [
        `${each.name}(${each.inputs})`,
        each.outcome,
        each.documentation ?? '',
      ]),
      '  ',
    ),
    ...(shown.types.length === 0 ? [] : section('types', `  ${shown.types.join(', ')}`)),
  ].join('\n')
}

function endpointText(shown: EndpointDescription): string {
  const [only, ...others] = shown.credentials
  const credentials =
    others.length === 0
      ? (only?.wanted ?? 'none')
      : shown.credentials
          .map(
            ({ wanted, operations = [] }) =>
              `${wanted} (${operations.length <= 6 ? operations.join(', ') : count(operations.length, 'operation')})`,
          )
          .join('\n')
  return [
    `${pc.bold(shown.name)}  endpoint`,
    ...proseLines(shown.documentation),
    '',
    tableText(
      [],
      [
        ['protocol', shown.protocol],
        ['address', shown.address],
        ['credentials', credentials === 'none' ? 'none that the metadata names' : credentials],
        ...(shown.headers.length === 0 ? [] : [['message headers', shown.headers.join(', ')]]),
        ['operations', shown.operations.join(', ')],
        ['declared at', shown.origin],
      ],
      '  ',
    ),
  ].join('\n')
}

function operationText(shown: OperationDescription): string {
  return [
    `${pc.bold(shown.name)}  operation${shown.deprecated ? pc.yellow('  deprecated') : ''}`,
    ...leftOutText(shown.leftOut, shown.name),
    ...proseLines(shown.documentation),
    ...section('inputs', shown.inputs.length === 0 ? '  none' : fieldTable(shown.inputs)),
    ...(shown.headers.length === 0
      ? []
      : section('headers (under "headers" in the input)', fieldTable(shown.headers))),
    ...section(`outcome  ${pc.dim(shown.outcomeType)}`, outcomeTable(shown.outcome)),
    ...(shown.faults.length === 0
      ? []
      : section(
          'faults',
          tableText(
            [],
            shown.faults.map((each) => [
              each.name,
              each.type === each.name ? '' : each.type,
              each.documentation ?? '',
            ]),
            '  ',
          ),
        )),
    ...section('at the prompt', indented(shown.call ?? '')),
    ...section('in TypeScript', `  ${shown.signature}`),
    ...section(
      'on the wire',
      [
        ...(shown.wire.everywhere.length === 0 ? [] : [factTable(shown.wire.everywhere)]),
        ...shown.wire.endpoints.map(
          ({ endpoint, facts }) => `  ${pc.bold(endpoint)}\n${factTable(facts, '    ')}`,
        ),
      ].join('\n'),
    ),
    '',
    pc.dim(`declared at ${shown.origin}`),
  ].join('\n')
}

function typeText(shown: TypeDescription): string {
  return [
    `${pc.bold(shown.name)}  ${shown.what}`,
    ...leftOutText(shown.leftOut, shown.name),
    ...proseLines(shown.documentation),
    ...(shown.extends === undefined ? [] : ['', `extends ${shown.extends}`]),
    ...(shown.extendedBy.length === 0 ? [] : ['', `extended by ${shown.extendedBy.join(', ')}`]),
    ...(shown.fields.length === 0 ? [] : section('fields', fieldTable(shown.fields))),
    ...(shown.values.length === 0
      ? []
      : section(
          'values',
          tableText(
            [],
            shown.values.map((each) => [
              each.value === '' ? '(empty)' : each.value,
              each.documentation ?? '',
            ]),
            '  ',
          ),
        )),
    ...(shown.rules.length === 0
      ? []
      : section('rules', shown.rules.map((rule) => tableText([], [[rule]], '  ')).join('\n'))),
    ...(shown.usedBy.length === 0
      ? []
      : section('used by', tableText([], [[shown.usedBy.join(', ')]], '  '))),
    ...(shown.uses.length === 0
      ? []
      : section('uses', tableText([], [[shown.uses.join(', ')]], '  '))),
    '',
    pc.dim(`declared at ${shown.origin}`),
  ].join('\n')
}

function leftOutText(leftOut: boolean, name: string): string[] {
  return leftOut ? [pc.yellow(`not chosen: "only" in tolmach.yaml leaves ${name} out`)] : []
}

/** The fields of several outputs, or those inside the only one. */
function outcomeTable(outcome: readonly FieldDescription[]): string | undefined {
  const fields = outcome.length === 1 ? (outcome[0]?.fields ?? []) : outcome
  return fields.length === 0 ? undefined : fieldTable(fields)
}

function factTable(facts: readonly (readonly [string, string])[], indent = '  '): string {
  return tableText(
    [],
    facts.map(([label, value]) => [label, value]),
    indent,
  )
}

function fieldTable(fields: readonly FieldDescription[]): string {
  const rows = (each: FieldDescription, indent: string): string[][] => [
    [
      indent + each.name,
      each.type,
      each.required ? 'yes' : '',
      each.rules,
      each.documentation ?? '',
    ],
    ...each.fields.flatMap((inner) => rows(inner, `${indent}  `)),
  ]
  return tableText(
    ['name', 'type', 'required', 'rules', 'meaning'],
    fields.flatMap((each) => rows(each, '')),
    '  ',
  )
}

function section(title: string, body: string | undefined): string[] {
  return ['', pc.bold(title), ...(body === undefined ? [] : [body])]
}
