import { readFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import type { Contract, Endpoint, Operation } from '../../contract/contract.js'
import { present } from '../../contract/present.js'
import { problem, type Problem } from '../../contract/problem.js'
import { declaredCredentials } from '../../contract/queries.js'
import { fileReason } from '../../contract/system-error.js'
import { parseAssignment, readInput, type Assignment } from '../../exercise/input.js'
import { wasNotSent, type CallResult } from '../../exercise/run-client.js'
import type { Exchange } from '../../runtime/connection.js'
import { keysFor } from '../contracts/key-inputs.js'
import { callProblem } from './call-problems.js'
import type { ReadyOperation } from './ready-client.js'
import { milliseconds, type Time } from '../../runtime/times.js'

/** How calls are made. */
export interface CallWishes {
  /** Of a list that comes page by page: fetch every page, and not only the first hundred rows. */
  readonly all?: boolean | undefined
  /** Send nothing; tell what would be sent. */
  readonly preview?: boolean | undefined
  /** The answer is wanted as it came, not checked against the contract. */
  readonly uncheckedAnswer?: boolean | undefined
  /** How long what is only accepted (202) is followed, to its end. */
  readonly wait?: Time | undefined
}

/** What a person wrote as the input of a call. */
export interface WrittenInput {
  /** What a file says, parsed. */
  readonly plain?: unknown
  /** Changes on top of it, in order. */
  readonly assignments: readonly Assignment[]
  /** Where paths of files start from; the current folder when left out. */
  readonly folder?: string | undefined
}

/** What came of a call: with `problem`, it failed. */
export interface Called {
  readonly contract: Contract
  readonly operation: Operation
  readonly endpoint: Endpoint
  readonly address: string
  /** The input in the shapes of the client. */
  readonly input: Readonly<Record<string, unknown>>
  readonly result: CallResult
  /** The request that was made, also when nobody answered or nothing was sent. */
  readonly request: Exchange['request'] | undefined
  readonly problem: Problem | undefined
  /** It was only accepted, and the answer says where or when to ask for what becomes of it. */
  readonly isAccepted: boolean
  /** Where the client that ran came from. */
  readonly client: 'its folder' | 'built aside'
  /** Why it did not come from its folder. */
  readonly aside: ReadyOperation['aside']
}

/** So many rows of a list are fetched when nobody wants all of them. */
const usualRows = 100
/** So long a call may take when nobody says otherwise. */
const usualTimeLimit: Time = '1m'

/**
 * Calls an operation that was made ready.
 *
 * @throws Problem TM-1009, TM-1007 when the input can't be read
 */
export async function callReady(
  ready: ReadyOperation,
  written: WrittenInput,
  wishes: CallWishes & { readonly timeLimit?: Time | undefined },
): Promise<Called> {
  const { open, operation, endpoint, address, client } = ready
  const opened = wishes.preview === true ? undefined : await ready.session?.open()
  const assignments = [
    ...keysFor(operation, ready.resolved.inputs),
    ...(opened?.inputs ?? []),
    ...written.assignments,
    ...(ready.acceptInput === undefined ? [] : [parseAssignment(`accept=${ready.acceptInput}`)]),
  ]
  const input = await readInput(open.contract, operation, written.plain, assignments, (path) =>
    readBytes(resolve(written.folder ?? '.', path), path),
  )
  const result = await client.call(operation, input, {
    mostRows: wishes.all === true ? Infinity : usualRows,
    preview: wishes.preview === true,
    checkAnswer: wishes.uncheckedAnswer !== true,
    ...present({ wait: wishes.wait }),
    ...(opened === undefined ? {} : { headers: opened.headers }),
  })
  const failed = 'failure' in result && !wasNotSent(result.failure)
  // Dialects are large to load, and calls that go well need none.
  const dialect = failed
    ? await (await import('../../dialects/registry.js')).dialectNamed(open.contract.dialect)
    : undefined
  return {
    contract: open.contract,
    operation,
    endpoint,
    address,
    input,
    result,
    request: result.request,
    problem: failed
      ? await callProblem(
          result,
          operation,
          milliseconds(wishes.timeLimit ?? ready.timeLimit ?? usualTimeLimit),
          {
            contract: open.name,
            isKept: open.kept !== undefined,
            address,
            adviceOn: (status) => dialect?.adviceOn?.(status, open.name),
            kinds: ready.resolved.kinds,
            declared: declaredCredentials(open.contract),
            isInternal:
              address === endpoint.address &&
              !hostOf(address).includes('.') &&
              hostOf(address) !== 'localhost',
          },
        )
      : undefined,
    isAccepted: isAccepted(result.exchanges.at(-1)),
    client: ready.from,
    aside: ready.aside,
  }
}

function isAccepted(exchange: Exchange | undefined): boolean {
  const { status, headers = {} } = exchange?.response ?? {}
  return status === 202 && ('location' in headers || 'retry-after' in headers)
}

function hostOf(address: string): string {
  return URL.canParse(address) ? new URL(address).hostname : ''
}

async function readBytes(path: string, what: string): Promise<Uint8Array> {
  return readFile(path).then(
    (bytes) => new Uint8Array(bytes),
    (error: unknown) => {
      throw problem('TM-1007', { what, reason: fileReason(error) }, { cause: error })
    },
  )
}
