import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { problem } from '../../contract/problem.js'
import type { PackageTerms } from '../../typescript/package-texts.js'
import type { Person } from '../auth/credentials.js'
import { nearestPackage } from '../start/project-setup.js'

/** What is wanted of a package, beside what package.json says. */
export interface TermsWishes {
  /** An SPDX expression, or `UNLICENSED`. */
  readonly license?: string | undefined
  readonly author?: string | undefined
  /** Who may be asked for what is said nowhere. */
  readonly person?: Person | undefined
}

/** Terms, and the text of the licence where the project has one. */
export interface Terms extends PackageTerms {
  readonly licenseText: string | undefined
}

/**
 * Licence and author of a package: as wished, else as the project's package.json has them, else as
 * somebody at the terminal says.
 *
 * @throws Problem TM-1045 where nobody says under which licence it is given away
 */
export async function packageTerms(projectFolder: string, wishes: TermsWishes): Promise<Terms> {
  const { folder, about = {} } = nearestPackage(projectFolder) ?? {}
  const own = textOf(about['license'])
  const { person } = wishes
  const license =
    wishes.license ??
    own ??
    (await person?.ask('Licence of the package (MIT, Apache-2.0 …; UNLICENSED for none)', true))
  if (license === undefined) throw problem('TM-1045', {})
  const author =
    wishes.author ??
    authorOf(about['author']) ??
    (await person?.ask('Author (may be left empty)', true))
  return {
    license,
    author,
    licenseText: license === own && folder !== undefined ? licenceText(folder) : undefined,
  }
}

function textOf(value: unknown): string | undefined {
  return typeof value === 'string' && value.trim() !== '' ? value.trim() : undefined
}

/** An author as npm knows it: a text, or name, address and page. */
function authorOf(value: unknown): string | undefined {
  if (typeof value !== 'object' || value === null) return textOf(value)
  const { name, email, url } = value as Readonly<Record<string, unknown>>
  const parts = [
    textOf(name),
    ...[textOf(email)].flatMap((each) => (each === undefined ? [] : `<${each}>`)),
    ...[textOf(url)].flatMap((each) => (each === undefined ? [] : `(${each})`)),
  ]
  return textOf(parts.filter((each) => each !== undefined).join(' '))
}

function licenceText(folder: string): string | undefined {
  const name = readdirSync(folder).find((each) => /^licen[cs]e(?:\.(?:md|txt))?$/i.test(each))
  return name === undefined ? undefined : readFileSync(join(folder, name), 'utf8')
}
