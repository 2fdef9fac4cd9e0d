import type { Person } from '../app/auth/secrets.js'
import { tellAll } from './terminal.js'

/** Whoever sits at the terminal. */
export const person: Person = {
  isThere: process.stdin.isTTY === true && process.stderr.isTTY === true,
  ask,
  tell: (text) => tellAll(`${text}\n`),
}

/**
 * Asks for a secret at the terminal: what is typed is not shown, unless it is no secret.
 *
 * @returns undefined where nobody sits at a terminal, or nothing was typed
 */
async function ask(what: string, isShown = false): Promise<string | undefined> {
  const { stdin } = process
  if (!person.isThere) return undefined
  // Only then is it asked for: what is typed at once must not be shown either.
  stdin.setRawMode(true)
  tellAll(`${what}: `)
  stdin.resume()
  stdin.setEncoding('utf8')
  try {
    return await new Promise<string | undefined>((resolve) => {
      let typed = ''
      const onData = (text: string): void => {
        for (const sign of text) {
          if (sign === '\r' || sign === '\n' || sign === '\u0004') {
            stdin.off('data', onData)
            resolve(typed === '' ? undefined : typed)
            return
          }
          if (sign === '\u0003') {
            tellAll('\n')
            process.exit(130)
          }
          if (isShown && sign >= ' ' && sign !== '\u007f') tellAll(sign)
          typed =
            sign === '\u007f' || sign === '\b' ? [...typed].slice(0, -1).join('') : typed + sign
        }
      }
      stdin.on('data', onData)
    })
  } finally {
    stdin.setRawMode(false)
    stdin.pause()
    tellAll('\n')
  }
}
