import { isSecretName } from '../../contract/secret-names.js'
import { problem } from '../../contract/problem.js'
import { fillTemplate, inPlain, stepsOf } from '../../contract/templates.js'
import { keepSecret } from '../../exercise/masking.js'
import { parsePath, type Assignment } from '../../exercise/input.js'
import { pick } from '../../exercise/pick.js'
import type { SessionEntry } from '../../project/project-file.js'
import { toPlain } from '../../runtime/plain.js'
import type { Called } from '../calls/call-ready.js'

/** What calls within a session carry: inputs, and headers. */
export interface Opened {
  readonly inputs: readonly Assignment[]
  readonly headers: Readonly<Record<string, string>>
}

type Call = (operation: string, input: Readonly<Record<string, unknown>>) => Promise<Called>

/**
 * A session of a service's own: an operation opens it before the first call, another one closes it
 * after the last.
 */
export class Session {
  private readonly entry: SessionEntry
  private readonly variables: ReadonlyMap<string, string>
  private readonly call: Call
  private opened: Promise<Opened> | undefined
  private readonly kept = new Map<string, unknown>()

  /** @param call calls an operation outside of any session */
  constructor(entry: SessionEntry, variables: ReadonlyMap<string, string>, call: Call) {
    this.entry = entry
    this.variables = variables
    this.call = call
  }

  /** Does an operation belong to opening and closing itself? */
  isOwn(operation: string): boolean {
    return operation === this.entry.open.call || operation === this.entry.close?.call
  }

  /**
   * Opens the session, once.
   *
   * @throws Problem when that fails, TM-1023 for a variable that is not set
   */
  open(): Promise<Opened> {
    this.opened ??= this.begin()
    return this.opened
  }

  /** Closes it, where it was opened; that it can't be closed is no reason for a call to fail. */
  async close(): Promise<void> {
    const { close } = this.entry
    if (this.opened === undefined || close === undefined) return
    await this.opened
      .then(
        () => this.call(close.call, this.filled(close.with ?? {})),
        () => undefined,
      )
      .catch(() => undefined)
  }

  private async begin(): Promise<Opened> {
    const { open, use } = this.entry
    const { result, problem: failed } = await this.call(open.call, this.filled(open.with ?? {}))
    if (failed !== undefined) throw failed
    const answer = toPlain(result.value)
    for (const [name, path] of Object.entries(open.keep ?? {})) {
      const value = await pick(answer, path)
      // What a session goes by is as good as a password.
      if (typeof value === 'string') keepSecret(value)
      this.kept.set(name, value)
    }
    const inputs = Object.entries(this.filled(use?.with ?? {})).map(
      ([input, plain]): Assignment => ({ written: input, path: parsePath(input), plain }),
    )
    return {
      inputs,
      headers: Object.fromEntries(
        Object.entries(this.filled(use?.headers ?? {})).map(([name, value]) => [
          name,
          String(value),
        ]),
      ),
    }
  }

  private filled(template: Readonly<Record<string, unknown>>): Record<string, unknown> {
    return fillTemplate(template, (path) => {
      const [name = '', ...rest] = stepsOf(path)
      if (this.kept.has(name)) return inPlain(this.kept.get(name), rest)
      const variable = this.variables.get(name)
      if (variable === undefined) throw problem('TM-1023', { name: 'session', variable: name })
      if (isSecretName(name, 'address')) keepSecret(variable)
      return variable
    }) as Record<string, unknown>
  }
}
