import { cell, maskedRequest, toPlain } from '../app/calls/answers.js'
import type { Called } from '../app/call-operation.js'
import { callTogether, type TogetherOptions } from '../app/call-together.js'
import { problemJson } from '../app/problem-json.js'
import { exitCodes } from '../app/problems.js'
import { withoutSecrets } from '../app/auth/secrets.js'
import { pc } from './colours.js'
import { tableText } from './tables.js'
import { print, printJson, say, type Output } from './terminal.js'
import { requestText } from './traffic.js'

/**
 * Calls several operations in one request, and tells what came of each.
 *
 * @returns the exit code: that of the first call that failed
 */
export async function runTogether(
  contract: string,
  options: TogetherOptions,
  output: Output,
): Promise<number> {
  const calls = await callTogether(contract, options)
  const failed = calls.find(({ problem }) => problem !== undefined)?.problem
  const exit = failed === undefined ? 0 : exitCodes[failed.kind]
  const request = calls.find((each) => each.request !== undefined)?.request
  if (options.preview === true && failed === undefined && request !== undefined) {
    if (output.json) {
      const body = withoutSecrets(request.body)
      printJson({ ok: true, sent: false, request: { ...maskedRequest(request), body } })
    } else print(await requestText(request))
    return 0
  }
  for (const { operation, result } of calls)
    for (const { path, message } of output.json ? [] : result.deviations) {
      const place = [operation.path.join('.'), path].filter((each) => each !== '').join(': ')
      say(output, `${pc.yellow('deviation')} ${place} ${message}`)
    }
  if (output.json) printJson(calls.map(asJson))
  else print(tableText(['#', 'call', 'outcome'], calls.map(asRow)))
  return exit
}

function asJson({ operation, result, problem }: Called): object {
  const call = operation.path.join('.')
  return problem === undefined
    ? { call, ok: true, value: toPlain(result.value), deviations: result.deviations }
    : { call, ...problemJson(problem) }
}

function asRow({ operation, result, problem }: Called, at: number): string[] {
  const outcome =
    problem === undefined
      ? cell(toPlain(result.value))
      : pc.red(`${problem.code} ${problem.message}`)
  return [String(at + 1), operation.path.join('.'), outcome]
}
