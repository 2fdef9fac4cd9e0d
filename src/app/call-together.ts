import { problem, type Problem } from '../contract/problem.js'
import { parseInput } from '../exercise/input.js'
import type { CallResult, LoadedClient } from '../exercise/run-client.js'
import { callReady, type Called } from './calls/call-ready.js'
import { readyClient, type ClientOptions } from './calls/ready-client.js'

/** A file of calls that travel in one request. */
export interface TogetherOptions extends ClientOptions {
  /** The text of the file, with what to call it in messages. */
  readonly calls: { readonly text: string; readonly what: string }
  /** All changes happen, or none of them does. */
  readonly together?: boolean | undefined
}

/** A call of such a file. */
interface WrittenCall {
  readonly call: string
  readonly with?: Readonly<Record<string, unknown>>
  /** What later calls name the entity by that this one makes: `$owner`. */
  readonly as?: string
}

/**
 * Calls several operations in one request (OData, `$batch`).
 *
 * @returns what came of each, in the order of the file
 * @throws Problem TM-1033 when the service has no such requests, TM-1009 and TM-1034 when the file
 *   can't be understood, TM-1013 when an input does not satisfy the contract, and what making a call
 *   ready throws
 */
export async function callTogether(reference: string, options: TogetherOptions): Promise<Called[]> {
  const written = await readCalls(options.calls)
  const client = await readyClient(reference, { ...options, together: true })
  try {
    const calls = await Promise.all(
      written.map(async (each) => ({ ...each, ready: await client.operation(each.call) })),
    )
    const batch = calls[0]?.ready.client.batch?.(options.preview === true)
    if (batch === undefined) throw problem('TM-1033', { contract: client.open.name })
    const called: Promise<Called>[] = []
    const refused: Problem[] = []
    for (const { ready, with: plain = {}, as } of calls) {
      // A call is added before the next one is read, which may refer to it.
      await new Promise<void>((added, unreadable) => {
        const waiting: LoadedClient = {
          call(operation, input, manner): Promise<CallResult> {
            const result = batch.add(operation, input, manner, as)
            added()
            return result
          },
        }
        const promise = callReady(
          { ...ready, client: waiting },
          { plain, assignments: [] },
          options,
        )
        called.push(promise)
        promise.then(({ problem: wrong }) => {
          if (wrong !== undefined) refused.push(wrong)
        }, unreadable)
      })
    }
    // What does not satisfy the contract is known by now; then nothing at all is sent.
    await new Promise((settled) => setTimeout(settled))
    if (refused[0] !== undefined) throw refused[0]
    await batch.send(options.together === true).catch((error: unknown) => {
      throw error instanceof TypeError ? notTogether() : error
    })
    return await Promise.all(called)
  } finally {
    await client.close()
  }
}

const notTogether = (): Problem =>
  problem('TM-1010', {
    option: '--calls',
    reason:
      'a call refers to what another one makes, which is only known where they are sent together',
    remedy: 'Add --together.',
  })

async function readCalls({ text, what }: TogetherOptions['calls']): Promise<WrittenCall[]> {
  const { default: Joi } = await import('joi')
  const call = Joi.object({
    call: Joi.string().required(),
    with: Joi.object(),
    as: Joi.string().pattern(/^[A-Za-z_]\w*$/, 'a name of letters and digits'),
  })
  const calls = Joi.array().items(call).min(1).required().label('the file')
  const { value, error } = calls.validate(await parseInput(text, what), {
    convert: false,
    errors: { label: 'path', wrap: { label: '"' } },
  })
  if (error !== undefined) throw problem('TM-1034', { what, reason: error.message })
  return value as WrittenCall[]
}
