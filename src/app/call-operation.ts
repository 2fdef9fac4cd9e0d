import { present } from '../contract/present.js'
import { parseAssignment, parseInput } from '../exercise/input.js'
import { callReady, type Called, type CallWishes, type WrittenInput } from './calls/call-ready.js'
import { mostTimesAsked, notTaken, type Person } from './auth/credentials.js'
import { readyClient, type ClientOptions } from './calls/ready-client.js'

export {
  callReady,
  type Called,
  type CallWishes as Manner,
  type WrittenInput,
} from './calls/call-ready.js'

export interface CallOptions extends ClientOptions, CallWishes {
  /** The text of an input, with what to call it in messages. */
  readonly input?: { readonly text: string; readonly what: string } | undefined
  /** `path=value`, on top of the input. */
  readonly with?: readonly string[] | undefined
}

/**
 * Calls an operation through the generated client itself: the one in its folder when that is
 * current and unedited, else a fresh one built aside.
 *
 * @param reference the contract's name in the project, or the location of its metadata
 * @throws Problem for what is wrong before anything is sent (the input of the wrong shape
 *   excepted: that is told in the result)
 */
export async function callOperation(
  reference: string,
  wanted: string,
  options: CallOptions,
): Promise<Called> {
  for (let times = 1; ; times += 1) {
    const asked = noting(options.person)
    const called = await callOnce(reference, wanted, { ...options, ...present({ person: asked }) })
    // What was typed can be wrong; what stands in variables is as it is.
    if (called.problem?.kind !== 'login' || asked?.wasAsked() !== true || times === mostTimesAsked)
      return called
    asked.tell(notTaken)
  }
}

async function callOnce(reference: string, wanted: string, options: CallOptions): Promise<Called> {
  const client = await readyClient(reference, options)
  try {
    return await callReady(await client.operation(wanted), await writtenInput(options), options)
  } finally {
    await client.close()
  }
}

/** Somebody of whom it is known whether they were asked for anything. */
function noting(person: Person | undefined): (Person & { wasAsked(): boolean }) | undefined {
  if (person === undefined) return undefined
  let isAsked = false
  return {
    isThere: person.isThere,
    tell: (text) => person.tell(text),
    ask: async (what, isShown) => {
      const answer = await person.ask(what, isShown)
      isAsked ||= answer !== undefined
      return answer
    },
    wasAsked: () => isAsked,
  }
}

/**
 * What was written as an input: a text that was read, and what stands on top of it.
 *
 * @throws Problem TM-1009, TM-1010 when it can't be understood
 */
export async function writtenInput({
  input,
  with: changes = [],
}: Pick<CallOptions, 'input' | 'with'>): Promise<WrittenInput> {
  const plain =
    input === undefined || input.text.trim() === ''
      ? undefined
      : await parseInput(input.text, input.what)
  return { plain, assignments: changes.map(parseAssignment) }
}
