import type { Command } from 'commander'
import pc from 'picocolors'
import { serveContracts } from '../../app/serve-contracts.js'
import { readPort } from '../options.js'
import { globalsOf } from '../run.js'
import { print, printJson, say } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--port <number>', 'the port on 127.0.0.1 (default: any free one)')
    .option('--seed <file>', 'seed data (default: seeds/<contract>.yaml of the project, else made-up answers)')
    .addHelpText('after', '\nExamples:\n  tolmach serve berths\n  tolmach serve berths --port 4801\n  tolmach serve ./desk.wsdl --seed ./desk-seed.yaml')
    .action(async (contracts: readonly string[], options: { readonly port?: string; readonly seed?: string }) => {
      const { project, voice } = globalsOf(command)
      const standIn = await serveContracts(contracts, {
        project,
        port: options.port === undefined ? undefined : readPort(options.port),
        seed: options.seed,
        onEvent: ({ contract, operation, status }) => say(voice, `${pc.dim(new Date().toLocaleTimeString('en-GB'))}  ${contract}  ${operation}  ${status}`),
      })
      if (voice.json) printJson({ addresses: standIn.addresses })
      else for (const { contract, service, metadata } of standIn.addresses) print(`${pc.bold(contract)}  service ${service}  metadata ${metadata}`)
      say(voice, pc.dim('Ctrl-C ends it.'))
      await new Promise<void>((resolve) => {
        process.once('SIGINT', resolve)
        process.once('SIGTERM', resolve)
      })
      await standIn.stop()
    })
}
