import { inAttribute, inMarkup } from './escaping.js'
import { joined, markup, type Markup } from './safe-text.js'

/** One case of a report, as build servers show them. */
export interface JunitCase {
  readonly name: string
  readonly className: string
  readonly file?: string | undefined
  readonly line?: number | undefined
  readonly milliseconds?: number | undefined
  /** Why it was left out. */
  readonly skipped?: string | undefined
  /** Why it failed: in a line, the code of the message, and everything. */
  readonly failure?:
    | { readonly message: string; readonly code?: string | undefined; readonly text: string }
    | undefined
}

/** Cases that belong together. */
export interface JunitSuite {
  readonly name: string
  readonly file?: string | undefined
  readonly milliseconds?: number | undefined
  readonly cases: readonly JunitCase[]
}

/** Reports as JUnit XML, which build servers show. */
export function junitText(suites: readonly JunitSuite[]): Markup {
  const all = suites.flatMap(({ cases }) => cases)
  const time = seconds(suites.reduce((total, { milliseconds = 0 }) => total + milliseconds, 0))
  const failures = all.filter(({ failure }) => failure !== undefined).length
  return joined(
    [
      markup`<?xml version="1.0" encoding="UTF-8"?>`,
      markup`<testsuites tests="${all.length}" failures="${failures}" time="${time}">`,
      ...suites.map(suiteText),
      markup`</testsuites>`,
      markup``,
    ],
    '\n',
  )
}

function suiteText({ name, file, milliseconds = 0, cases }: JunitSuite): Markup {
  const count = (is: (each: JunitCase) => boolean): number => cases.filter(is).length
  const names = markup`name=${inAttribute(name)}${fileText(file)}`
  const counts = markup`tests="${cases.length}" failures="${count(({ failure }) => failure !== undefined)}" skipped="${count(({ skipped }) => skipped !== undefined)}" errors="0" time="${seconds(milliseconds)}"`
  return joined(
    [markup`  <testsuite ${names} ${counts}>`, ...cases.map(caseText), markup`  </testsuite>`],
    '\n',
  )
}

function caseText(each: JunitCase): Markup {
  const { name, className, file, line, milliseconds = 0, skipped, failure } = each
  const place = markup`${fileText(file)}${line === undefined ? markup`` : markup` line="${line}"`}`
  const head = markup`    <testcase name=${inAttribute(name)} classname=${inAttribute(className)}${place} time="${seconds(milliseconds)}"`
  if (failure !== undefined) {
    const kind = failure.code === undefined ? markup`` : markup` type=${inAttribute(failure.code)}`
    return markup`${head}>\n      <failure message=${inAttribute(failure.message)}${kind}>${inMarkup(failure.text)}</failure>\n    </testcase>`
  }
  return skipped === undefined
    ? markup`${head}/>`
    : markup`${head}>\n      <skipped message=${inAttribute(skipped)}/>\n    </testcase>`
}

function fileText(file: string | undefined): Markup {
  return file === undefined ? markup`` : markup` file=${inAttribute(file)}`
}

function seconds(milliseconds: number): Markup {
  return inMarkup((milliseconds / 1000).toFixed(3))
}
