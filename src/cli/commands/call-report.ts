import { answerJson, type FinishedAnswer } from '../../app/calls/answer-json.js'
import {
  arrange,
  cell,
  laidOut,
  maskedRequest,
  shellWord,
  ServiceFault,
  toPlain,
} from '../../app/calls/answers.js'
import type { Called } from '../../app/call-operation.js'
import { failureFacts } from '../../app/calls/failure-facts.js'
import { csvText, type prepareAnswer } from '../../app/calls/finish-answer.js'
import { exitCodes, type Problem } from '../../app/problems.js'
import { withoutSecrets } from '../../app/auth/secrets.js'
import { yamlText } from '../../app/files/yaml-text.js'
import type { Difference } from '../../exercise/differences.js'
import { pc } from '../colours.js'
import { tell } from '../run.js'
import { count, print, printData, printJson, say, tellAll, type Output } from '../terminal.js'
import { exchangeText, requestText } from '../traffic.js'
import type { Options } from './call-options.js'

/** Finishes an answer: picks, sorts, saves, compares. */
type Finish = Awaited<ReturnType<typeof prepareAnswer>>

/** So many deviations are shown one by one. */
const mostDeviations = 10

/**
 * Shows what came of a call.
 *
 * @returns the exit code
 */
export async function report(
  called: Called,
  finish: Finish,
  options: Options,
  output: Output,
): Promise<number> {
  if (options.uncheckedInput === true)
    say(output, pc.yellow('The input is not checked against the contract.'))
  if (options.traffic === true && !output.json) await tellTraffic(called)
  if (called.problem !== undefined) return reportProblem(called, called.problem, output)
  if (options.curl === true) return reportCurl(called, output)
  if (options.preview === true) return reportPreview(called, output)
  const finished = await finish(called)
  if (output.json) printJson(answerJson(called, finished, options.uncheckedInput === true))
  else await showAnswer(called, finished, options, output)
  return (finished.differences?.length ?? 0) === 0 ? 0 : exitCodes.difference
}

async function tellTraffic({ result, request }: Called): Promise<void> {
  const sent =
    result.exchanges.length === 0 && request !== undefined
      ? [await requestText(request)]
      : await Promise.all(result.exchanges.map(exchangeText))
  tellAll(sent.map((each) => `${each}\n`).join('\n'))
}

async function reportProblem({ result }: Called, failed: Problem, output: Output): Promise<number> {
  const { failure } = result
  const fault = failure instanceof ServiceFault ? failure : undefined
  const status = fault?.status ?? result.exchanges.at(-1)?.response.status
  const exit = await tell(failed, output, failure, { status, ...failureFacts(failure) })
  if (fault !== undefined && !output.json) await reportFault(fault)
  return exit
}

async function reportPreview({ request }: Called, output: Output): Promise<number> {
  if (request === undefined) return 0
  const shown = { ...maskedRequest(request), body: withoutSecrets(request.body) }
  if (output.json) printJson({ ok: true, sent: false, request: shown })
  else print(await requestText(request))
  return 0
}

async function showAnswer(
  called: Called,
  { value, saved, differences }: FinishedAnswer,
  options: Options,
  output: Output,
): Promise<void> {
  const { result, isAccepted } = called
  sayDeviations(result.deviations, output)
  if (isAccepted)
    say(output, pc.yellow('The service accepted the call and works on it: --wait 5m waits for it.'))
  if (differences !== undefined) await printDifferences(differences, options.against ?? '')
  else if (saved === undefined) await printAnswer(value, called, options, output)
  if (saved !== undefined) {
    const rows = Array.isArray(value) ? `  ${count(value.length, 'row')}` : ''
    print(`Saved: ${saved}${rows}`)
  }
  const shown = Array.isArray(result.value) ? result.value.length : 0
  if (result.total !== undefined && result.total !== shown)
    say(output, pc.dim(`There are ${result.total} in all.`))
  if (result.more === true)
    say(output, pc.yellow(`There are more rows than these ${shown}; --all fetches every page.`))
}

function sayDeviations(deviations: Called['result']['deviations'], output: Output): void {
  for (const { path, message } of deviations.slice(0, mostDeviations))
    say(output, `${pc.yellow('deviation')} ${path === '' ? 'the answer' : path} ${message}`)
  const others = deviations.length - mostDeviations
  if (others > 0) say(output, pc.yellow(`… and ${others} more deviations`))
}

/** The call as a line for curl, with what must be set before it runs. */
async function reportCurl({ request, contract }: Called, output: Output): Promise<number> {
  if (request === undefined) return 0
  const { curlLine } = await import('../../app/calls/answers.js')
  const { line, variables, masked } = curlLine(
    request,
    contract.name.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase(),
  )
  if (output.json) printJson({ ok: true, sent: false, curl: line, variables })
  else print(line)
  if (variables.length > 0) say(output, `Set before: ${variables.join(', ')}`)
  if (masked)
    say(output, pc.yellow('Secrets in the address or the body are masked with ***: put them in.'))
  return 0
}

/** What is different from an earlier answer, a line each. */
async function printDifferences(differences: readonly Difference[], file: string): Promise<void> {
  if (differences.length === 0) {
    print(`Nothing is different from ${file}.`)
    return
  }
  const { tableText } = await import('../tables.js')
  const colour = { added: pc.green, gone: pc.red, changed: pc.yellow }
  print(
    tableText(
      ['', 'row', 'field', 'before', 'now'],
      differences.map(({ kind, row, field, before, after }) => [
        colour[kind](kind),
        row,
        field ?? '',
        cell(before),
        cell(after),
      ]),
    ),
  )
  print(pc.dim(`${count(differences.length, 'difference')} from ${file}`))
}

/** The detail of a fault, for people: the declared name and its fields. */
async function reportFault(fault: ServiceFault): Promise<void> {
  const { tableText } = await import('../tables.js')
  const rows: string[][] = [
    ...(fault.fault === undefined ? [] : [['fault', fault.fault]]),
    ...(fault.code === '' ? [] : [['code', fault.code]]),
    ['status', String(fault.status)],
  ]
  const { values, ...lists } = arrange(fault.detail)
  if (fault.detail !== undefined && fault.detail !== null) {
    if (typeof fault.detail === 'string') rows.push(['detail', fault.detail.slice(0, 500)])
    else
      for (const row of values?.rows ?? [])
        rows.push(
          row.length > 1 ? [`detail.${row[0] ?? ''}`, row[1] ?? ''] : ['detail', row[0] ?? ''],
        )
  }
  for (const row of soapRows(fault)) rows.push(row)
  const indent = ' '.repeat(15)
  tellAll(`${tableText([], rows, indent)}\n`)
  const { arrangedText } = await import('../answer-text.js')
  const below = arrangedText(lists, indent)
  if (below !== '') tellAll(`${below}\n`)
}

/** What a SOAP fault says beside its code, its first reason and its first detail. */
function soapRows({ soap, detail }: ServiceFault): string[][] {
  if (soap === undefined) return []
  const { codes, reasons, role, node, details } = soap
  const [, ...otherReasons] = reasons
  return [
    ...(codes.length > 1 ? [['codes', codes.map(({ name }) => name).join(' > ')]] : []),
    ...otherReasons.map(({ language, text }) => [`reason ${language ?? ''}`.trim(), text]),
    ...(role === undefined ? [] : [['role', role]]),
    ...(node === undefined ? [] : [['node', node]]),
    ...details
      .filter(({ value }) => value !== detail)
      .map(({ element, value }) => [
        element?.name ?? 'detail',
        typeof value === 'string' ? value : JSON.stringify(toPlain(value)),
      ]),
  ]
}

/** What to do where there are no rows. */
function sayNoRows({ contract, operation }: Called, output: Output): void {
  if (operation.inputs.length > 0)
    say(
      output,
      pc.dim(
        `Other inputs may have some: tolmach show ${[contract.name, operation.path.join('.')].map(shellWord).join(' ')} tells what there is to ask for.`,
      ),
    )
}

async function printAnswer(
  value: unknown,
  called: Called,
  options: Options,
  output: Output,
): Promise<void> {
  // Whoever wants the answer alone gets a text as it came.
  const shown = (text: string): string | Promise<string> => (output.quiet ? text : laidOut(text))
  switch (options.format) {
    case 'json':
      printJson(toPlain(value))
      return
    case 'yaml':
      print(await yamlText(toPlain(value)))
      return
    case 'csv':
      printData(await csvText(value, options.columns))
      return
    case 'text':
      printData(typeof value === 'string' ? await shown(value) : valueText(value))
      return
    case 'table': {
      if (value === undefined) {
        print('Done; there is nothing in the answer.')
        return
      }
      if (typeof value === 'string') {
        print(await shown(value))
        return
      }
      const { arrangedText } = await import('../answer-text.js')
      const arranged = arrange(value, options.columns)
      print(arrangedText(arranged, '', options.columns !== undefined))
      if (arranged.rows?.rows.length === 0) sayNoRows(called, output)
    }
  }
}

function valueText(value: unknown): string {
  return typeof value === 'object' && value !== null
    ? JSON.stringify(toPlain(value), null, 2)
    : cell(value)
}
