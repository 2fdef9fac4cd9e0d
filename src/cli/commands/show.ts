import type { Command } from 'commander'
import pc from 'picocolors'
import { showContract, type FieldDescription, type OperationDescription, type Overview, type Shown, type TypeDescription } from '../../app/show-contract.js'
import { globalsOf } from '../run.js'
import { tableText } from '../tables.js'
import { count, print, printJson, terminalWidth } from '../terminal.js'
import { sayNotes } from './import.js'

export function declare(command: Command): void {
  command
    .addHelpText('after', '\nExamples:\n  tolmach show berths\n  tolmach show berths reserveBerth\n  tolmach show ./desk.wsdl Berth')
    .action(async (contract: string, thing: string | undefined) => {
      const { project, voice } = globalsOf(command)
      const shown = await showContract(contract, thing, { project })
      if (voice.json) {
        printJson(shown)
        return
      }
      print(textOf(shown))
      if (shown.kind === 'contract') sayNotes(voice, shown.notes)
    })
}

function textOf(shown: Shown): string {
  switch (shown.kind) {
    case 'contract':
      return overviewText(shown)
    case 'operation':
      return operationText(shown)
    case 'group':
      return [
        `${pc.bold(shown.name)}  group of ${count(shown.operations.length, 'operation')}`,
        '',
        tableText(['operation', 'outcome', 'meaning'], shown.operations.map((each) => [`${each.name}(${each.inputs})`, each.outcome, each.documentation ?? '']), '  '),
        ...(shown.types.length === 0 ? [] : section('types', `  ${shown.types.join(', ')}`)),
      ].join('\n')
    case 'type':
      return typeText(shown)
    case 'endpoint':
      return [
        `${pc.bold(shown.name)}  endpoint`,
        ...prose(shown.documentation),
        '',
        tableText([], [['protocol', shown.protocol], ['address', shown.address], ['operations', shown.operations.join(', ')], ['declared at', shown.origin]], '  '),
      ].join('\n')
  }
}

function overviewText(shown: Overview): string {
  const { counts } = shown
  const lines = [
    `${pc.bold(shown.contract)}  ${shown.dialect}  ${shown.title}`,
    ...prose(shown.documentation),
    `${count(counts.endpoints, 'endpoint')}, ${count(counts.operations, 'operation')}, ${count(counts.types, 'type')}, ${count(counts.notes, 'note')}`,
    '',
  ]
  const branches: [string, [string, string][]][] = []
  for (const service of shown.services) {
    const title = shown.services.length > 1 ? `${service.name}: ` : ''
    branches.push([`${title}endpoints`, service.endpoints.map((each) => [`${each.name}  ${pc.dim(each.protocol)}  ${each.address}`, each.preferred ? '(calls go here)' : ''])])
    branches.push([`${title}operations`, service.operations.map((each) => [`${pc.bold(each.name)}(${each.inputs}) ${pc.dim('→')} ${each.outcome}`, each.documentation ?? ''])])
  }
  branches.push(['types', shown.types.map((each) => [`${each.name}  ${pc.dim(each.what)}`, each.documentation ?? ''])])
  branches.forEach(([title, leaves], at) => {
    const last = at === branches.length - 1
    lines.push(`${last ? '└─' : '├─'} ${pc.bold(title)}`)
    // Remarks stand below each other, unless a long leaf would push them all away.
    const widths = leaves.map(([leaf]) => plainLength(leaf)).filter((width) => width <= 48)
    const column = Math.max(0, ...widths)
    leaves.forEach(([leaf, remark], index) => {
      const padded = leaf + ' '.repeat(Math.max(0, column - plainLength(leaf)))
      lines.push(cutLine(`${last ? '  ' : '│ '} ${index === leaves.length - 1 ? '└─' : '├─'} ${remark === '' ? leaf : padded}`, remark))
    })
  })
  return lines.join('\n')
}

function operationText(shown: OperationDescription): string {
  return [
    `${pc.bold(shown.name)}  operation`,
    ...prose(shown.documentation),
    ...section('inputs', shown.inputs.length === 0 ? '  none' : fieldTable(shown.inputs)),
    ...(shown.headers.length === 0 ? [] : section('headers (under "headers" in the input)', fieldTable(shown.headers))),
    ...section(`outcome  ${pc.dim(shown.outcomeType)}`, outcomeTable(shown.outcome)),
    ...(shown.faults.length === 0 ? [] : section('faults', tableText([], shown.faults.map((each) => [each.name, each.documentation ?? '']), '  '))),
    ...section('in the client', `  ${shown.signature}`),
    ...section('on the wire', [
      ...(shown.wire.everywhere.length === 0 ? [] : [factTable(shown.wire.everywhere)]),
      ...shown.wire.endpoints.map(({ endpoint, facts }) => `  ${pc.bold(endpoint)}\n${factTable(facts, '    ')}`),
    ].join('\n')),
    '',
    pc.dim(`declared at ${shown.origin}`),
  ].join('\n')
}

function typeText(shown: TypeDescription): string {
  return [
    `${pc.bold(shown.name)}  ${shown.what}`,
    ...prose(shown.documentation),
    ...(shown.extends === undefined ? [] : ['', `extends ${shown.extends}`]),
    ...(shown.extendedBy.length === 0 ? [] : ['', `extended by ${shown.extendedBy.join(', ')}`]),
    ...(shown.fields.length === 0 ? [] : section('fields', fieldTable(shown.fields))),
    ...(shown.values.length === 0 ? [] : section('values', tableText([], shown.values.map((each) => [each.value === '' ? '(empty)' : each.value, each.documentation ?? '']), '  '))),
    ...(shown.usedBy.length === 0 ? [] : section('used by', `  ${shown.usedBy.join(', ')}`)),
    '',
    pc.dim(`declared at ${shown.origin}`),
  ].join('\n')
}

/** The fields of several outputs, or those inside the only one. */
function outcomeTable(outcome: readonly FieldDescription[]): string | undefined {
  const fields = outcome.length === 1 ? (outcome[0]?.fields ?? []) : outcome
  return fields.length === 0 ? undefined : fieldTable(fields)
}

function factTable(facts: readonly (readonly [string, string])[], indent = '  '): string {
  return tableText([], facts.map(([label, value]) => [label, value]), indent)
}

function fieldTable(fields: readonly FieldDescription[]): string {
  const rows = (each: FieldDescription, indent: string): string[][] => [
    [indent + each.name, each.type, each.required ? 'required' : '', each.rules, each.documentation ?? ''],
    ...each.fields.flatMap((inner) => rows(inner, `${indent}  `)),
  ]
  return tableText(['name', 'type', '', 'rules', 'meaning'], fields.flatMap((each) => rows(each, '')), '  ')
}

function section(title: string, body: string | undefined): string[] {
  return ['', pc.bold(title), ...(body === undefined ? [] : [body])]
}

function prose(documentation: string | undefined): string[] {
  return documentation === undefined ? [] : documentation.split('\n').map((line) => pc.dim(line))
}

/** A line of the tree with a remark behind it, cut where the terminal ends. */
function cutLine(line: string, remark: string): string {
  const room = terminalWidth() - plainLength(line) - 2
  if (remark === '' || room < 12) return line
  return `${line}  ${pc.dim(remark.length > room ? `${remark.slice(0, room - 1)}…` : remark)}`
}

/** The length of a text without its colours, which take no room. */
function plainLength(text: string): number {
  return text.replace(/\u001b\[\d+m/g, '').length
}
