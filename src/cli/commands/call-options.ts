import { Option, type Command } from 'commander'
import type { CallOptions } from '../../app/call-operation.js'
import { problem } from '../../app/problems.js'
import { collect, readCount, readDuration, readHeaders, readSize } from '../options.js'
import { person } from '../person.js'

/** How an answer is shown. */
export type Format = 'table' | 'json' | 'yaml' | 'csv' | 'text'

/** The options of `call`, as they were given. */
export interface Options {
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
  readonly plot?: string
  readonly inside?: string
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

/** Declares what `call` takes. */
export function declareOptions(command: Command): void {
  declareInputs(command)
  declareSeveral(command)
  declareTarget(command)
  declareAnswer(command)
  command
    .optionsGroup('To understand it:')
    .option('--preview', 'show the request and send nothing')
    .option('--traffic', 'show the request and the answer as sent')
    .option('--har <file>', 'write request and answer as an HTTP archive, secrets masked')
    .option('--curl', 'print the call as a line for curl, and send nothing')
}

function declareInputs(command: Command): void {
  command
    .optionsGroup('What goes in:')
    .option('--input <file>', 'the input, JSON or YAML; - reads standard input')
    .option('--with <path=value>', 'one input, on top of --input; may be repeated', collect)
    .option('--ask', 'ask for each input, call, show the answer, ask again until you quit')
    .option('--unchecked-input', 'send the input though the contract does not allow it')
}

/** One call for each row of a file, or several in one request. */
function declareSeveral(command: Command): void {
  command
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
}

function declareTarget(command: Command): void {
  command
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
}

function declareAnswer(command: Command): void {
  command
    .optionsGroup('The answer:')
    .addOption(
      new Option('--format <format>', 'how the answer is shown')
        .choices(['table', 'json', 'yaml', 'csv', 'text'])
        .default('table'),
    )
    .option('--columns <columns>', 'the columns of a table, like "Code, Basin=Where"')
    .option(
      '--inside <path>',
      'the document, XML or JSON, in a text of the answer, like "Answer"; . for the answer itself',
    )
    .option('--pick <JSONPath>', 'what of the answer counts, like "$.Lines[0].Text"')
    .option('--sort <field>', 'put rows in the order of a field, like "Dues" or "Dues desc"')
    .option('--all', 'fetch every page of a list, and not only the first hundred rows')
    .option(
      '--save <file>',
      'write the answer to a file: .json, .yaml, .csv, .html; bytes to any file',
    )
    .option(
      '--plot <columns>',
      'with --save to .svg, .png or .pdf: draw columns, like "Day, Dues"; the first is gone along',
    )
    .option(
      '--exact',
      'with --save to .csv: leave cells as they are that a spreadsheet would take for formulas',
    )
    .option('--against <file>', 'tell what is different from an earlier answer')
    .option('--unchecked-answer', 'show the answer as it came, not checked against the contract')
}

/**
 * What a call is to be, as the options say.
 *
 * @param input what --input names, read
 */
export function callOptionsOf(
  options: Options,
  project: string | undefined,
  input: CallOptions['input'],
): CallOptions {
  const { header, serverVariable, timeout, mostBytes, retry, wait } = options
  return {
    project,
    input,
    with: options.with,
    at: options.at,
    url: options.url,
    endpoint: options.endpoint,
    headers: header && readHeaders(header),
    accept: options.accept,
    serverVariables: serverVariable && readHeaders(serverVariable, '--server-variable'),
    timeLimit: given(timeout, readDuration),
    credential: options.credential,
    mostBytes: given(mostBytes, readSize),
    savesBytes: options.save !== undefined,
    retries: given(retry, (text) => readCount(text, '--retry', 20)),
    mtom: options.mtom,
    addressing: options.addressing,
    uncheckedInput: options.uncheckedInput,
    uncheckedAnswer: options.uncheckedAnswer,
    wait: given(wait, (text) => readDuration(text, '--wait')),
    person,
    all: options.all,
    preview: options.preview === true || options.curl === true,
  }
}

/** An option that was given, read. */
function given<Value>(text: string | undefined, read: (text: string) => Value): Value | undefined {
  return text === undefined ? undefined : read(text)
}

/** Options about the one answer of a call. */
const forOneAnswer = [
  ...(['format', 'columns', 'inside', 'pick', 'sort', 'save', 'plot', 'exact', 'against'] as const),
  ...(['traffic', 'har', 'curl', 'accept'] as const),
]

/** Options that make no sense together are told, not passed over. */
export function checkTogether(options: Options): void {
  const isGiven = (name: keyof Options): boolean => options[name] !== undefined
  const refuse = (option: string, reason: string, remedy = 'Leave one of the two out.'): never => {
    throw problem('TM-1010', { option, reason, remedy })
  }
  if (isGiven('each'))
    for (const name of [
      'ask',
      'preview',
      'traffic',
      'har',
      'curl',
      'inside',
      'sort',
      'plot',
      'against',
    ] as const)
      if (isGiven(name)) refuse(`--${name}`, 'it is for a single call, and --each makes many')
  if (!isGiven('each'))
    for (const name of ['fill', 'parallel', 'resume', 'overwrite'] as const)
      if (isGiven(name))
        refuse(`--${name}`, 'it needs --each', 'Add --each <file>, or leave it out.')
  if (isGiven('calls'))
    for (const name of ['each', 'ask', 'input', 'with'] as const)
      if (isGiven(name)) refuse(`--${name}`, 'the file of --calls says what is called')
  if (isGiven('calls'))
    for (const name of forOneAnswer)
      if (isGiven(name) && options[name] !== 'table')
        refuse(`--${name}`, 'it is for a single call, and --calls makes several', 'Leave it out.')
  if (isGiven('together') && !isGiven('calls'))
    refuse('--together', 'it needs --calls', 'Add --calls <file>, or leave it out.')
  if (isGiven('resume') && isGiven('overwrite'))
    refuse('--resume', 'it goes on with an earlier run, and --overwrite starts over')
  if (isGiven('ask') && options.input === '-')
    refuse('--ask', "answers and the input can't both come from standard input")
}
