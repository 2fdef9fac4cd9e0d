import type { Command } from 'commander'
import { listen, type Heard } from '../../app/listen-between.js'
import { problem } from '../../app/problems.js'
import { pc } from '../colours.js'
import { readPort } from '../options.js'
import { globalsOf } from '../run.js'
import { count, print, printLine, say } from '../terminal.js'

interface Options {
  readonly har?: string
  readonly port?: string
  readonly host?: string
  readonly at?: string
  readonly url?: string
  readonly certificate?: string
  readonly certificateKey?: string
  readonly ca?: string
}

export function declare(command: Command): void {
  command
    .option('--har <file>', 'keep everything as an HTTP archive, without secrets')
    .option('--port <number>', 'the port (default: any free one)')
    .option('--host <address>', 'the address to listen on (default: 127.0.0.1)')
    .option('--at <site>', "the site of tolmach.yaml where the contract's service is")
    .option('--url <address>', "where the contract's service is")
    .option('--certificate <file>', 'a certificate (PEM), for programs that come by TLS')
    .option('--certificate-key <file>', 'its key (PEM)')
    .option('--ca <file>', "a private authority (PEM) of the service's certificate")
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach listen https://gauge.example/api --har gauge.har\n  tolmach listen berths --at test          say what breaks the contract\n  tolmach draft gauge.har --as gauge       a description from what was heard',
    )
    .action(async (between: string, options: Options) => {
      const { project, output } = globalsOf(command)
      const { har, host, at, url, certificate, certificateKey, ca } = options
      if ((certificate === undefined) !== (certificateKey === undefined))
        throw problem('TM-1010', {
          option: '--certificate',
          reason: 'a certificate needs its key, and a key its certificate',
          remedy: 'Give both: --certificate desk.pem --certificate-key desk.key.',
        })
      const numbers = { heard: 0, breaches: 0 }
      const listening = await listen(between, {
        project,
        at,
        url,
        host,
        har,
        ca,
        port: options.port === undefined ? undefined : readPort(options.port),
        certificate:
          certificate === undefined || certificateKey === undefined
            ? undefined
            : { cert: certificate, key: certificateKey },
        onHeard: (heard) => {
          numbers.heard += 1
          numbers.breaches += heard.breaches.length
          if (output.json) printLine(heard)
          else tellHeard(heard)
        },
      })
      if (output.json) printLine({ address: listening.address, service: listening.service })
      else print(`${pc.bold(listening.address)}  passes on to ${listening.service}`)
      say(output, pc.dim('Have the program call that address. Ctrl-C ends it.'))
      await new Promise<void>((resolve) => {
        process.once('SIGINT', resolve)
        process.once('SIGTERM', resolve)
      })
      await listening.stop()
      const broken =
        numbers.breaches === 0
          ? ''
          : `, ${count(numbers.breaches, 'breach', 'breaches')} of the contract`
      say(
        output,
        `\n${count(numbers.heard, 'exchange')} heard${broken}${har === undefined ? '' : `, kept in ${har}`}`,
      )
      if (har !== undefined)
        say(output, `Draft a description from it: ${pc.bold(`tolmach draft ${har} --as <name>`)}`)
    })
}

/** What was asked and answered, in a line; what breaks the contract below it. */
function tellHeard({
  method,
  target,
  status,
  milliseconds,
  received,
  operation,
  trouble,
  breaches,
}: Heard): void {
  const colour = status >= 400 || status === 0 ? pc.red : String
  const named = operation === undefined ? '' : `  ${pc.dim(operation)}`
  const size = pc.dim(`${String(Math.round(milliseconds))} ms, ${String(received)} bytes`)
  print(`${method.padEnd(6)} ${target}  ${colour(String(status || '—'))}  ${size}${named}`)
  if (trouble !== undefined) print(`       ${pc.yellow(trouble)}`)
  for (const breach of breaches) print(`       ${pc.red('breach')} ${breach}`)
}
