import { spawn, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'
import { repository } from './program.js'

/** The built program, listening. */
export interface Running {
  readonly address: string
  readonly child: ChildProcess
  /** Ends it as Ctrl-C does. @returns what it printed, line by line */
  end(): Promise<Record<string, unknown>[]>
}

/** Starts the built program as a listener. */
export async function startListening(cwd: string, ...words: string[]): Promise<Running> {
  const main = join(repository, 'dist/bin/main.js')
  const env = { ...process.env, NODE_OPTIONS: '' }
  const child = spawn(process.execPath, [main, 'listen', ...words, '--json'], { cwd, env })
  let printed = ''
  const lines = (): Record<string, unknown>[] =>
    printed
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>)
  const address = await new Promise<string>((done, fail) => {
    child.stdout.on('data', (chunk: Buffer) => {
      printed += chunk.toString()
      if (printed.includes('\n')) done(String(lines()[0]?.['address']))
    })
    child.on('close', () => fail(new Error(`it ended: ${printed}`)))
  })
  return {
    address,
    child,
    end: async () => {
      child.kill('SIGINT')
      await new Promise((done) => child.once('close', done))
      return lines().slice(1)
    },
  }
}
