import type { Command } from 'commander'
import { problem } from '../../app/problems.js'
import {
  misbehaviours,
  serveContracts,
  type Event,
  type Misbehaviour,
  type Temper,
  type Served,
} from '../../app/serve-contracts.js'
import { pc } from '../colours.js'
import { namesIn, readDuration, readPort, readShare } from '../options.js'
import { globalsOf } from '../run.js'
import { count, print, printJson, say, terminalWidth } from '../terminal.js'

interface Options {
  readonly port?: string
  readonly host?: string
  readonly seed?: string
  readonly recorded?: string
  readonly delay?: string
  readonly fail?: string
  readonly misbehave?: string
}

export function declare(command: Command): void {
  command
    .option('--port <number>', 'the port (default: any free one)')
    .option(
      '--host <address>',
      'the address to listen on (default: 127.0.0.1, which only this machine reaches)',
    )
    .option(
      '--seed <file>',
      'seed data (default: seeds/<contract>.yaml of the project, else made-up answers)',
    )
    .option(
      '--recorded <file>',
      'recorded answers, a HAR file or a folder of them (default: recorded/<contract>.har of the project)',
    )
    .option('--delay <time>', 'wait before each answer, like 300ms')
    .option(
      '--fail <share>',
      'fail so often: 0.1 or 10% is each tenth request (default with --misbehave: always)',
    )
    .option(
      '--misbehave <ways>',
      `how to fail, several with commas: ${misbehaviours.join(', ')} (default: faulty)`,
    )
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach serve berths\n  tolmach serve berths --port 4801\n  tolmach serve ./desk.wsdl --seed ./desk-seed.yaml\n  tolmach serve berths --fail 10% --misbehave busy,hang-up --delay 200ms',
    )
    .action(async (contracts: readonly string[], options: Options) => {
      const { project, output } = globalsOf(command)
      const { host } = options
      const standIn = await serveContracts(contracts, {
        project,
        port: options.port === undefined ? undefined : readPort(options.port),
        host,
        seed: options.seed,
        recorded: options.recorded,
        delay: options.delay === undefined ? undefined : readDuration(options.delay, '--delay'),
        temper: temperOf(options),
        onEvent: (event) => say(output, eventLine(event)),
      })
      if (output.json) printJson({ addresses: standIn.addresses })
      else tellAddresses(standIn)
      if (host !== undefined && !/^(?:127\.|::1$|localhost$)/.test(host))
        say(output, pc.yellow('Others on the network can reach it.'))
      say(output, pc.dim('Ctrl-C ends it.'))
      await new Promise<void>((resolve) => {
        process.once('SIGINT', resolve)
        process.once('SIGTERM', resolve)
      })
      await standIn.stop()
    })
}

function tellAddresses({ addresses, sources }: Served): void {
  for (const { contract, service, metadata } of addresses) {
    const source = sources.find((each) => each.contract === contract)
    const plays = [
      ...(source?.recorded === undefined ? [] : [count(source.recorded, 'recorded answer')]),
      ...(source?.seed === true ? ['seed data'] : []),
      'made-up answers',
    ]
    const played = pc.dim(`plays ${plays.join(', then ')}`)
    print(`${pc.bold(contract)}  service ${service}  metadata ${metadata}  ${played}`)
  }
}

function temperOf({ fail, misbehave }: Options): Temper | undefined {
  if (fail === undefined && misbehave === undefined) return undefined
  const kinds = namesIn(misbehave ?? 'faulty')
  const unknown = kinds.find((each) => !(misbehaviours as readonly string[]).includes(each))
  if (unknown !== undefined || kinds.length === 0)
    throw problem('TM-1010', {
      option: '--misbehave',
      reason: `"${unknown ?? misbehave ?? ''}" is no way to fail`,
      remedy: `There are ${misbehaviours.join(', ')}.`,
    })
  return {
    kinds: kinds as Misbehaviour[],
    rate: fail === undefined ? 1 : readShare(fail, '--fail'),
  }
}

/** When, what was asked, with what, and what came of it. */
function eventLine({
  contract,
  operation,
  input,
  status,
  answered,
  misbehaviour,
  reason,
  milliseconds = 0,
}: Event): string {
  const time = pc.dim(new Date().toLocaleTimeString('en-GB'))
  const how = misbehaviour ?? answered
  const outcome =
    status >= 400 || misbehaviour !== undefined ? pc.red(String(status)) : pc.green(String(status))
  const asked = input === undefined || JSON.stringify(input) === '{}' ? '' : JSON.stringify(input)
  const took = `${String(milliseconds)} ms`
  const room = Math.max(
    20,
    terminalWidth() - `00:00:00  ${contract}  ${operation}  ${status}  ${took}  ${how}  `.length,
  )
  const shown = asked.length > room ? `${asked.slice(0, room - 1)}…` : asked
  return (
    `${time}  ${contract}  ${pc.bold(operation)}  ${outcome}  ${took}  ${pc.dim(how)}  ${pc.dim(shown)}`.trimEnd() +
    (reason === undefined ? '' : `\n          ${pc.yellow(reason)}`)
  )
}
