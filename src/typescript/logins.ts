import type { Contract } from '../contract/contract.js'
import { declaredCredentials } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import { Page } from '../printing/page.js'
import { code, type Code } from '../printing/safe-text.js'
import { docComment, identifier } from '../printing/escaping.js'

/** What makes a login that takes more than a header: a constant of a module of the runtime. */
interface LoginConstant {
  readonly module: string
  readonly name: string
}

/** Those that services of every dialect may want, by the kind of credentials. */
const common: Readonly<Record<string, LoginConstant>> = {
  digest: { module: 'runtime/digest', name: 'digestLogin' },
  oauth2: { module: 'runtime/tokens', name: 'tokenLogin' },
}

/** The logins that a client of a dialect can make, by the kind of credentials. */
function loginsOf(dialect: Dialect): Readonly<Record<string, LoginConstant>> {
  return { ...common, ...dialect.emit.ownLogins }
}

/**
 * The logins that a client makes without being told: those that the metadata wants, or the project.
 *
 * @param wished kinds of credentials that the project has for it
 */
export function loginsMade(
  contract: Contract,
  dialect: Dialect,
  wished: readonly string[],
): readonly LoginConstant[] {
  const declared = declaredCredentials(contract)
  return Object.entries(loginsOf(dialect)).flatMap(([kind, login]) => {
    // Operations that declare tokens get them themselves.
    const isWanted =
      kind === 'oauth2'
        ? wished.includes(kind) && !declared.includes(kind)
        : wished.includes(kind) || declared.includes(kind)
    return isWanted ? [login] : []
  })
}

/**
 * The logins that a program has to give a client before it makes them, by the kind of credentials:
 * those that it does not make by itself, and whose tokens its operations do not get.
 */
export function loginsToGive(
  contract: Contract,
  dialect: Dialect,
  wished: readonly string[],
): ReadonlyMap<string, LoginConstant> {
  const made = loginsMade(contract, dialect, wished)
  const hasTokens = declaredCredentials(contract).includes('oauth2')
  return new Map(
    Object.entries(loginsOf(dialect)).filter(
      ([kind, login]) => !made.includes(login) && !(kind === 'oauth2' && hasTokens),
    ),
  )
}

/** logins.ts: nothing of the client imports it, so that only those have a login who want it. */
export function loginsPage(dialect: Dialect): Page {
  const page = new Page('logins')
  page.print(
    ...docComment([
      'Ways to prove who calls that take more than a header: `logins` of the settings takes those that are wanted.',
    ]),
  )
  for (const { module, name } of Object.values(loginsOf(dialect)))
    page.reexport(module, code`{ ${identifier(name)} }`)
  return page
}

/** The list of logins for a connection, imported on a page; nothing where there are none. */
export function loginsText(page: Page, logins: readonly LoginConstant[]): Code | undefined {
  if (logins.length === 0) return undefined
  const names = logins.map(({ module, name }) => page.use(module, name))
  return code`[${names.reduce((all, each) => code`${all}, ${each}`)}]`
}
