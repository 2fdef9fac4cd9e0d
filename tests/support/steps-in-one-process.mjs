// Runs command lines one after another in this process, by the entry that the program itself has:
// most of what a step costs is the start of a process. What only a process shows (signals, what the
// environment says at its start, the bundle) has tests that start the program.
import { Buffer } from 'node:buffer'
import process from 'node:process'
import { Readable } from 'node:stream'

const [{ run }, { forgetSecrets }] = await Promise.all([
  import('../../dist/cli/run.js'),
  import('../../dist/exercise/masking.js'),
])

/** Runs one command line; gives its exit code and what it printed. */
async function step({ cwd, words, env, input }) {
  process.chdir(cwd)
  for (const name of Object.keys(process.env))
    if (!(name in env)) Reflect.deleteProperty(process.env, name)
  Object.assign(process.env, env)
  Object.defineProperty(process, 'stdin', { value: Readable.from([Buffer.from(input)]) })
  const printed = { stdout: '', stderr: '' }
  for (const name of ['stdout', 'stderr'])
    process[name].write = (chunk, encoding, done) => {
      printed[name] += String(chunk)
      const told = typeof encoding === 'function' ? encoding : done
      if (told !== undefined) process.nextTick(told)
      return true
    }
  forgetSecrets()
  const code = await run(words)
  return { code, ...printed }
}

// They share a working folder: one at a time.
let previous = Promise.resolve()
process.on('message', ({ id, ...wanted }) => {
  previous = previous.then(async () => {
    const ran = await step(wanted).catch((error) => ({
      code: -1,
      stdout: '',
      stderr: `the step threw: ${error?.stack ?? error}`,
    }))
    process.send({ id, ...ran })
  })
})
process.on('disconnect', () => process.exit())
process.send('ready')
