import { Command, CommanderError } from 'commander'
import { version } from '../app/package-files.js'
import type { Problem } from '../app/problems.js'
import { commands } from './commands.js'
import type { Output } from './terminal.js'
import { usageText } from './usage-text.js'

/** The options that every command takes. */
export interface GlobalOptions {
  readonly project?: string
  readonly json?: boolean
  readonly quiet?: boolean
  readonly color: boolean
  readonly logFile?: string
}

/**
 * Runs one command line.
 *
 * @param typed what stands behind `tolmach`; `help call` is `call --help`
 * @returns the exit code
 */
export async function run(typed: readonly string[]): Promise<number> {
  process.exitCode = 0
  const words = typed[0] === 'help' ? [...typed.slice(1, 2), '--help'] : typed
  // The colour library looks at the environment when it is loaded.
  if (words.includes('--no-color')) process.env['NO_COLOR'] = '1'
  const program = await declareProgram(words)
  try {
    await program.parseAsync([...words], { from: 'user' })
    return Number(process.exitCode ?? 0)
  } catch (error) {
    if (error instanceof CommanderError && error.exitCode === 0) return 0
    // Without a command, the help was shown already.
    if (error instanceof CommanderError && error.code === 'commander.help') return 2
    const wanted = words.find((word) => commands.some(({ name }) => name === word))
    // An error about options repeats what was typed, a secret perhaps.
    return tell(
      await asProblem(error, wanted),
      outputOf(program.opts<GlobalOptions>()),
      error instanceof CommanderError ? undefined : error,
    )
  }
}

/** What the help of each command ends with. */
const ofEveryCommand =
  '\nOf every command: --project <folder>, --json, --quiet, --no-color, --log-file <file>\nIt ends with 0 where all went well, 1 the service refused, 2 the command or its input is wrong,\n3 the metadata, 4 no connection or login, 5 the answer does not fit, 6 something differs.'

async function declareProgram(words: readonly string[]): Promise<Command> {
  const program = new Command('tolmach')
  program
    .description(
      "Reads a service's metadata, writes a typed TypeScript client, and exercises its calls.",
    )
    .option(
      '--project <folder>',
      "the project's folder (default: the nearest one upwards with a tolmach.yaml)",
    )
    .option('--json', 'print one JSON document')
    .option('--quiet', 'print the answer alone')
    .option('--no-color', 'print without colours')
    .option('--log-file <file>', 'write details of failures to a file')
    .helpOption('--help', 'show help')
    .helpCommand(false)
    .exitOverride()
    .configureOutput({ outputError: () => undefined })
    .configureHelp({ showGlobalOptions: false })
    .addHelpText(
      'after',
      '\nStart with:\n  tolmach demo                              see it all work, offline\n  tolmach import <file or address>          bring in a service\n  tolmach help <command>                    options and examples',
    )
  const wanted = words.find((word) => commands.some(({ name }) => name === word))
  if (commands.find(({ name }) => name === wanted)?.ownVersion !== true)
    program.version(version(), '--version', 'print the version')
  for (const { name, usage, summary, load } of commands) {
    const command = program
      .command(`${name} ${usage}`.trim())
      .description(summary)
      .helpOption('--help', 'show help')
    if (name !== wanted) {
      command.allowUnknownOption()
      continue
    }
    ;(await load()).declare(command)
    command.addHelpText('after', ofEveryCommand)
  }
  return program
}

/** The global options of a command that runs. */
export function globalsOf(command: Command): GlobalOptions & { output: Output } {
  const options = command.optsWithGlobals<GlobalOptions>()
  return { ...options, output: outputOf(options) }
}

function outputOf(options: GlobalOptions): Output {
  return { json: options.json === true, quiet: options.quiet === true, logFile: options.logFile }
}

async function asProblem(error: unknown, command: string | undefined): Promise<Problem> {
  const { Problem, problem } = await import('../app/problems.js')
  if (error instanceof Problem) return error
  if (error instanceof CommanderError) {
    // What stands behind an option that is not known may be a secret all the same.
    const message = error.message.replace(/('--[\w-]+=)[^']*'/, "$1…'")
    return problem('TM-1011', {
      text: usageText(message),
      command: command ?? '<command>',
    })
  }
  return problem(
    'TM-9001',
    { reason: error instanceof Error ? error.message : String(error) },
    { cause: error },
  )
}

/** Tells a problem and gives its exit code. */
export async function tell(
  problem: Problem,
  output: Output,
  cause?: unknown,
  further: Readonly<Record<string, unknown>> = {},
): Promise<number> {
  const [{ exitCodes }, { problemJson }, { printJson, problemText, tellAll }] = await Promise.all([
    import('../app/problems.js'),
    import('../app/problem-json.js'),
    import('./terminal.js'),
  ])
  if (output.json) printJson(problemJson(problem, further))
  else tellAll(`${await problemText(problem)}\n`)
  if (output.logFile !== undefined) {
    const [{ appendFile }, { inspect }, { withoutSecrets }, { visible }] = await Promise.all([
      import('node:fs/promises'),
      import('node:util'),
      import('../app/auth/secrets.js'),
      import('../app/visible.js'),
    ])
    await appendFile(
      output.logFile,
      visible(
        withoutSecrets(
          `${new Date().toISOString()} ${problem.code} ${problem.message}\n${inspect(cause ?? problem, { depth: 5 })}\n`,
        ),
      ),
    )
  }
  return exitCodes[problem.kind]
}
