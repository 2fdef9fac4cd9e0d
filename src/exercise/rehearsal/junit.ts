import { inAttribute, inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import type { RehearsalReport, StepReport } from './playing.js'
import { rowText } from './playing.js'

/**
 * Reports as JUnit XML, which build servers show: a suite for each rehearsal, a case for each step.
 */
export function junitXml(reports: readonly RehearsalReport[]): Markup {
  const all = reports.flatMap(({ steps }) => steps)
  const time = seconds(reports.reduce((total, { milliseconds }) => total + milliseconds, 0))
  const head = markup`<testsuites tests="${all.length}" failures="${all.filter(({ outcome }) => outcome === 'failed').length}" time="${time}">`
  return joined(
    [
      markup`<?xml version="1.0" encoding="UTF-8"?>`,
      head,
      ...reports.map(testSuite),
      markup`</testsuites>`,
      markup``,
    ],
    '\n',
  )
}

function testSuite({ file, title, milliseconds, steps }: RehearsalReport): Markup {
  const count = (outcome: StepReport['outcome']): number =>
    steps.filter((step) => step.outcome === outcome).length
  const names = markup`name=${inAttribute(title)} file=${inAttribute(file)}`
  const counts = markup`tests="${steps.length}" failures="${count('failed')}" skipped="${count('left out')}" errors="0" time="${seconds(milliseconds)}"`
  return joined(
    [
      markup`  <testsuite ${names} ${counts}>`,
      ...steps.map((step) => testCase(step, file)),
      markup`  </testsuite>`,
    ],
    '\n',
  )
}

function testCase(step: StepReport, file: string): Markup {
  const { title, contract, operation, outcome, milliseconds, line, trouble, row } = step
  const name = row === undefined ? title : `${title} (${rowText(row)})`
  const className = [contract, operation].filter((each) => each !== undefined).join('.') || file
  const head = markup`    <testcase name=${inAttribute(name)} classname=${inAttribute(className)} file=${inAttribute(file)} line="${line}" time="${seconds(milliseconds)}"`
  if (outcome === 'passed') return markup`${head}/>`
  if (outcome === 'left out')
    return markup`${head}>\n      <skipped message=${inAttribute(trouble?.message ?? '')}/>\n    </testcase>`
  const lines = failureLines(step)
  const kind = trouble?.code === undefined ? markup`` : markup` type=${inAttribute(trouble.code)}`
  return markup`${head}>\n      <failure message=${inAttribute(trouble?.message ?? lines[0] ?? '')}${kind}>${inMarkup(lines.join('\n'))}</failure>\n    </testcase>`
}

/** Why a step failed, a line for each reason. */
function failureLines({ trouble, verdicts }: StepReport): string[] {
  return [
    ...(trouble === undefined
      ? []
      : [
          trouble.message,
          ...trouble.details.map((detail) => `- ${detail}`),
          ...[trouble.side, trouble.advice].filter((each) => each !== undefined),
        ]),
    ...verdicts
      .filter(({ met }) => !met)
      .map(
        ({ expected, was, line }) =>
          `line ${line}: expected that ${expected}; there was ${was ?? 'nothing'}`,
      ),
  ]
}

function seconds(milliseconds: number): Markup {
  return inMarkup((milliseconds / 1000).toFixed(3))
}
