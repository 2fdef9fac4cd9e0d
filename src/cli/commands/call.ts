import { text as readAll } from 'node:stream/consumers'
import { Option, type Command } from 'commander'
import { pc } from '../colours.js'
import {
  arrange,
  cell,
  laidOut,
  maskedHeaders,
  maskedRequest,
  ServiceFault,
  toPlain,
} from '../../app/answers.js'
import { callOperation, type Called, type CallOptions } from '../../app/call-operation.js'
import { failureFacts } from '../../app/failure-facts.js'
import { csvText, prepareAnswer } from '../../app/finish-answer.js'
import { yamlText } from '../../app/yaml-text.js'
import { exitCodes, problem } from '../../app/problems.js'
import { saveHar } from '../../app/save-har.js'
import { withoutSecrets } from '../../app/secrets.js'
import type { Difference } from '../../exercise/differences.js'
import { readTextFile } from '../../app/text-files.js'
import { collect, readCount, readDuration, readHeaders, readSize } from '../options.js'
import { globalsOf, tell } from '../run.js'
import { tellOperations } from '../which-operation.js'
import { person } from '../person.js'
import { count, print, printData, printJson, say, tellAll, type Voice } from '../terminal.js'
import { exchangeText, requestText } from '../traffic.js'

type Finish = Awaited<ReturnType<typeof prepareAnswer>>

type Format = 'table' | 'json' | 'yaml' | 'csv' | 'text'

interface Options {
  readonly input?: string
  readonly with?: readonly string[]
  readonly each?: string
  readonly calls?: string
  readonly together?: boolean
  readonly fill?: string
  readonly parallel?: string
  readonly resume?: boolean
  readonly overwrite?: boolean
  readonly ask?: boolean
  readonly at?: string
  readonly url?: string
  readonly endpoint?: string
  readonly header?: readonly string[]
  readonly accept?: string
  readonly serverVariable?: readonly string[]
  readonly timeout?: string
  readonly credential?: string
  readonly retry?: string
  readonly wait?: string
  readonly mostBytes?: string
  readonly format: Format
  readonly columns?: string
  readonly all?: boolean
  readonly pick?: string
  readonly sort?: string
  readonly save?: string
  readonly exact?: boolean
  readonly against?: string
  readonly mtom?: boolean
  readonly addressing?: boolean
  readonly uncheckedInput?: boolean
  readonly uncheckedAnswer?: boolean
  readonly preview?: boolean
  readonly traffic?: boolean
  readonly har?: string
  readonly curl?: boolean
}

export function declare(command: Command): void {
  command
    .optionsGroup('What goes in:')
    .option('--input <file>', 'the input, JSON or YAML; - reads standard input')
    .option('--with <path=value>', 'one input, on top of --input; may be repeated', collect)
    .option('--ask', 'ask for each input, call, show the answer, ask again until you quit')
    .option('--unchecked-input', 'send the input though the contract does not allow it')
    .optionsGroup('For each row of a file:')
    .option(
      '--each <file>',
      'one call for each row of a CSV, JSON or NDJSON file; its columns are inputs',
    )
    .option(
      '--fill <input=column,...>',
      'which columns fill which inputs, like "Vessel=Ship, Nights"',
    )
    .option('--parallel <number>', 'how many calls go side by side (default: 1)')
    .option('--resume', 'go on with a run that was stopped or had failing rows')
    .option('--overwrite', 'start such a run over')
    .optionsGroup('Several calls in one request (OData):')
    .option('--calls <file>', 'a YAML or JSON list of calls, instead of an operation')
    .option('--together', 'all their changes happen, or none of them does')
    .optionsGroup('Where to, and who calls:')
    .option('--at <site>', 'the site of tolmach.yaml whose addresses count')
    .option('--url <address>', "the address to call instead of the endpoint's own")
    .option('--endpoint <name>', 'the endpoint to call')
    .option(
      '--server-variable <name=value>',
      "a variable in the endpoint's address; may be repeated",
      collect,
    )
    .option('--credential <name>', 'the credential of tolmach.yaml to use')
    .option('--header <name=value>', 'a header to send along; may be repeated', collect)
    .option('--accept <media type>', 'the media type to ask for, where there are several')
    .option('--mtom', 'send SOAP messages in parts, with bytes beside them (MTOM)')
    .option('--no-mtom', 'send them as one document')
    .option('--addressing', 'send SOAP messages with the headers of WS-Addressing')
    .option('--no-addressing', 'send them without')
    .option('--timeout <time>', 'how long the call may take, like 10s (default: 60s)')
    .option('--retry <n>', 'try again so often, where that is safe (default: 0)')
    .option('--wait <time>', 'follow what is only accepted (202) to its end, for so long at most')
    .option('--most-bytes <size>', 'how large an answer may be, like 500MB (default: 256MB)')
    .optionsGroup('The answer:')
    .addOption(
      new Option('--format <format>', 'how the answer is shown')
        .choices(['table', 'json', 'yaml', 'csv', 'text'])
        .default('table'),
    )
    .option('--columns <columns>', 'the columns of a table, like "Code, Basin=Where"')
    .option('--pick <JSONPath>', 'what of the answer counts, like "$.Lines[0].Text"')
    .option('--sort <field>', 'put rows in the order of a field, like "Dues" or "Dues desc"')
    .option('--all', 'fetch every page of a list, and not only the first hundred rows')
    .option(
      '--save <file>',
      'write the answer to a file: .json, .yaml, .csv, .html; bytes to any file',
    )
    .option(
      '--exact',
      'with --save to .csv: leave cells as they are that a spreadsheet would take for formulas',
    )
    .option('--against <file>', 'tell what is different from an earlier answer')
    .option('--unchecked-answer', 'show the answer as it came, not checked against the contract')
    .optionsGroup('To understand it:')
    .option('--preview', 'show the request and send nothing')
    .option('--traffic', 'show the request and the answer as sent')
    .option('--har <file>', 'write request and answer as an HTTP archive, secrets masked')
    .option('--curl', 'print the call as a line for curl, and send nothing')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach call berths listBerths --columns "Code, Basin=Where, Dues"\n  tolmach call berths quoteDues --with Vessel=BKM-114 --with Nights=3\n  tolmach call berths quoteDues --each stays.csv --fill "Vessel=Ship, Nights" --parallel 4\n  tolmach call berths quoteDues --ask\n  tolmach sample berths reserveBerth | tolmach call berths reserveBerth --input - --preview',
    )
    .action(async (contract: string, operation: string | undefined, options: Options) => {
      const { project, voice } = globalsOf(command)
      if (operation === undefined && options.calls === undefined) {
        await tellOperations(contract, 'call', project, voice)
        return
      }
      checkTogether(options)
      if (operation !== undefined && options.calls !== undefined)
        throw problem('TM-1010', {
          option: '--calls',
          reason: `the file says what is called, and so does "${operation}"`,
          remedy: 'Leave one of the two out.',
        })
      const wanted: CallOptions = {
        project,
        input: options.input === undefined ? undefined : await readInputText(options.input),
        with: options.with,
        at: options.at,
        url: options.url,
        endpoint: options.endpoint,
        headers: options.header === undefined ? undefined : readHeaders(options.header),
        accept: options.accept,
        serverVariables:
          options.serverVariable === undefined
            ? undefined
            : readHeaders(options.serverVariable, '--server-variable'),
        timeLimit: options.timeout === undefined ? undefined : readDuration(options.timeout),
        credential: options.credential,
        mostBytes: options.mostBytes === undefined ? undefined : readSize(options.mostBytes),
        savesBytes: options.save !== undefined,
        retries: options.retry === undefined ? undefined : readCount(options.retry, '--retry', 20),
        mtom: options.mtom,
        addressing: options.addressing,
        uncheckedInput: options.uncheckedInput,
        uncheckedAnswer: options.uncheckedAnswer,
        wait: options.wait === undefined ? undefined : readDuration(options.wait, '--wait'),
        person,
        all: options.all,
        preview: options.preview === true || options.curl === true,
      }
      if (options.calls !== undefined) {
        const { runTogether } = await import('../together.js')
        const calls = await readInputText(options.calls)
        const { together } = options
        process.exitCode = await runTogether(contract, { ...wanted, calls, together }, voice)
        return
      }
      if (operation === undefined) return
      if (options.each !== undefined) {
        const { runEach } = await import('../each.js')
        const again = options.overwrite === true ? 'overwrite' : 'start'
        const manner = options.resume === true ? 'resume' : again
        const parallel =
          options.parallel === undefined ? 1 : readCount(options.parallel, '--parallel', 1000)
        process.exitCode = await runEach(
          contract,
          operation,
          options.each,
          {
            ...wanted,
            fill: options.fill,
            parallel,
            pick: options.pick,
            manner,
            format: options.format,
            columns: options.columns,
            save: options.save,
            exact: options.exact,
          },
          voice,
        )
        return
      }
      // What can't be understood is told before anything is sent.
      const finish = await prepareAnswer(options)
      const show = async (called: Called): Promise<number> => {
        if (
          called.asideBecause !== undefined &&
          called.asideBecause !== 'it is not part of a project'
        )
          say(
            voice,
            pc.dim(`A client was built aside for this call, because ${called.asideBecause}.`),
          )
        if (options.har !== undefined && called.result.exchanges.length > 0)
          await saveHar(options.har, called)
        return report(called, finish, options, voice)
      }
      if (options.ask === true) {
        const { askAndCall } = await import('../ask.js')
        process.exitCode = await askAndCall(contract, operation, wanted, show, voice)
      } else process.exitCode = await show(await callOperation(contract, operation, wanted))
    })
}

/** Options about the one answer of a call. */
const forOneAnswer = [
  ...(['format', 'columns', 'pick', 'sort', 'save', 'exact', 'against'] as const),
  ...(['traffic', 'har', 'curl', 'accept'] as const),
]

/** Options that make no sense together are told, not passed over. */
function checkTogether(options: Options): void {
  const given = (name: keyof Options): boolean => options[name] !== undefined
  const refuse = (option: string, reason: string, remedy = 'Leave one of the two out.'): never => {
    throw problem('TM-1010', { option, reason, remedy })
  }
  if (given('each'))
    for (const name of ['ask', 'preview', 'traffic', 'har', 'curl', 'sort', 'against'] as const)
      if (given(name)) refuse(`--${name}`, 'it is for a single call, and --each makes many')
  if (!given('each'))
    for (const name of ['fill', 'parallel', 'resume', 'overwrite'] as const)
      if (given(name)) refuse(`--${name}`, 'it needs --each', 'Add --each <file>, or leave it out.')
  if (given('calls'))
    for (const name of ['each', 'ask', 'input', 'with'] as const)
      if (given(name)) refuse(`--${name}`, 'the file of --calls says what is called')
  if (given('calls'))
    for (const name of forOneAnswer)
      if (given(name) && options[name] !== 'table')
        refuse(`--${name}`, 'it is for a single call, and --calls makes several', 'Leave it out.')
  if (given('together') && !given('calls'))
    refuse('--together', 'it needs --calls', 'Add --calls <file>, or leave it out.')
  if (given('resume') && given('overwrite'))
    refuse('--resume', 'it goes on with an earlier run, and --overwrite starts over')
  if (given('ask') && options.input === '-')
    refuse('--ask', "answers and the input can't both come from standard input")
}

async function readInputText(file: string): Promise<{ text: string; what: string }> {
  if (file === '-') return { text: await readAll(process.stdin), what: 'standard input' }
  return { text: await readTextFile(file), what: file }
}

async function report(
  called: Called,
  finish: Finish,
  options: Options,
  voice: Voice,
): Promise<number> {
  const { result } = called
  if (options.uncheckedInput === true)
    say(voice, pc.yellow('The input is not checked against the contract.'))
  if (options.traffic === true && !voice.json) {
    const sent =
      result.exchanges.length === 0 && called.request !== undefined
        ? [requestText(called.request)]
        : result.exchanges.map(exchangeText)
    const text = sent.map((each) => `${each}\n`).join('\n')
    tellAll(text)
  }
  if (called.problem !== undefined) {
    const { failure } = result
    const fault = failure instanceof ServiceFault ? failure : undefined
    const status = fault?.status ?? result.exchanges.at(-1)?.response.status
    const exit = await tell(called.problem, voice, failure, { status, ...failureFacts(failure) })
    if (fault !== undefined && !voice.json) await reportFault(fault)
    return exit
  }
  if (options.curl === true) return reportCurl(called, voice)
  if (options.preview === true) {
    if (called.request === undefined) return 0
    if (voice.json)
      printJson({
        ok: true,
        sent: false,
        request: { ...maskedRequest(called.request), body: withoutSecrets(called.request.body) },
      })
    else print(requestText(called.request))
    return 0
  }
  const { value, saved, differences } = await finish(called)
  const exit = (differences?.length ?? 0) === 0 ? 0 : exitCodes.difference
  if (voice.json) {
    const response = result.exchanges.at(-1)?.response
    const { more, total, deviations, milliseconds } = result
    printJson({
      ok: true,
      status: response?.status,
      headers: response === undefined ? undefined : maskedHeaders(response.headers),
      value: toPlain(value),
      ...(more === true ? { more } : {}),
      ...(total === undefined ? {} : { total }),
      ...(called.isAccepted ? { accepted: true } : {}),
      ...(saved === undefined ? {} : { saved }),
      ...(differences === undefined ? {} : { differences }),
      ...(options.uncheckedInput === true ? { uncheckedInput: true } : {}),
      deviations,
      milliseconds,
    })
    return exit
  }
  for (const { path, message } of result.deviations.slice(0, 10))
    say(voice, `${pc.yellow('deviation')} ${path === '' ? 'the answer' : path} ${message}`)
  if (result.deviations.length > 10)
    say(voice, pc.yellow(`… and ${result.deviations.length - 10} more deviations`))
  if (called.isAccepted)
    say(voice, pc.yellow('The service accepted the call and works on it: --wait 5m waits for it.'))
  const shown = Array.isArray(result.value) ? result.value.length : 0
  if (differences !== undefined) await printDifferences(differences, options.against ?? '')
  else if (saved === undefined) await printAnswer(value, options, voice)
  if (saved !== undefined)
    print(`Saved: ${saved}${Array.isArray(value) ? `  ${count(value.length, 'row')}` : ''}`)
  if (result.total !== undefined && result.total !== shown)
    say(voice, pc.dim(`There are ${result.total} in all.`))
  if (result.more === true)
    say(voice, pc.yellow(`There are more rows than these ${shown}; --all fetches every page.`))
  return exit
}

/** The call as a line for curl, with what must be set before it runs. */
async function reportCurl({ request, contract }: Called, voice: Voice): Promise<number> {
  if (request === undefined) return 0
  const { curlLine } = await import('../../app/answers.js')
  const { line, variables, masked } = curlLine(
    request,
    contract.name.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase(),
  )
  if (voice.json) printJson({ ok: true, sent: false, curl: line, variables })
  else print(line)
  if (variables.length > 0) say(voice, `Set before: ${variables.join(', ')}`)
  if (masked)
    say(voice, pc.yellow('Secrets in the address or the body are masked with ***: put them in.'))
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
  const { values, rows: list } = arrange(fault.detail)
  if (fault.detail !== undefined && fault.detail !== null) {
    if (typeof fault.detail === 'string') rows.push(['detail', fault.detail.slice(0, 500)])
    else
      for (const row of values?.rows ?? [])
        rows.push(
          row.length > 1 ? [`detail.${row[0] ?? ''}`, row[1] ?? ''] : ['detail', row[0] ?? ''],
        )
  }
  for (const row of soapRows(fault)) rows.push(row)
  tellAll(`${tableText([], rows, '               ')}\n`)
  if (list !== undefined) tellAll(`${tableText(list.headings, list.rows, '               ')}\n`)
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

async function printAnswer(value: unknown, options: Options, voice: Voice): Promise<void> {
  // Whoever wants the answer alone gets a text as it came.
  const shown = (text: string): string | Promise<string> => (voice.quiet ? text : laidOut(text))
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
      const { tableText } = await import('../tables.js')
      if (value === undefined) {
        print('Done; there is nothing in the answer.')
        return
      }
      if (typeof value === 'string') {
        print(await shown(value))
        return
      }
      const { values, rows } = arrange(value, options.columns)
      if (values !== undefined)
        print(
          values.headings.length === 0
            ? (values.rows[0]?.[0] ?? '')
            : tableText(values.headings, values.rows),
        )
      if (values !== undefined && rows !== undefined) print('')
      if (rows !== undefined) {
        print(rows.rows.length === 0 ? '(no rows)' : tableText(rows.headings, rows.rows))
        if (rows.rows.length > 0)
          print(pc.dim(`${rows.rows.length} ${rows.rows.length === 1 ? 'row' : 'rows'}`))
      }
    }
  }
}

function valueText(value: unknown): string {
  return typeof value === 'object' && value !== null
    ? JSON.stringify(toPlain(value), null, 2)
    : cell(value)
}
