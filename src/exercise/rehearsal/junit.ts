import type { RehearsalReport, StepReport } from './playing.js'
import { rowText } from './playing.js'

/**
 * Reports as JUnit XML, which build servers show: a suite for each rehearsal, a case for each step.
 */
export function junitXml(reports: readonly RehearsalReport[]): string {
  const suites = reports.map(({ file, title, milliseconds, steps }) => {
    const count = (outcome: StepReport['outcome']): number => steps.filter((step) => step.outcome === outcome).length
    return [
      `  <testsuite name=${quoted(title)} file=${quoted(file)} tests="${steps.length}" failures="${count('failed')}" skipped="${count('left out')}" errors="0" time="${seconds(milliseconds)}">`,
      ...steps.map((step) => testCase(step, file)),
      '  </testsuite>',
    ].join('\n')
  })
  const all = reports.flatMap(({ steps }) => steps)
  const time = seconds(reports.reduce((total, { milliseconds }) => total + milliseconds, 0))
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites tests="${all.length}" failures="${all.filter(({ outcome }) => outcome === 'failed').length}" time="${time}">\n${suites.join('\n')}\n</testsuites>\n`
}

function testCase(step: StepReport, file: string): string {
  const { title, contract, operation, outcome, milliseconds, line, trouble, row } = step
  const head = `    <testcase name=${quoted(row === undefined ? title : `${title} (${rowText(row)})`)} classname=${quoted([contract, operation].filter((each) => each !== undefined).join('.') || file)} file=${quoted(file)} line="${line}" time="${seconds(milliseconds)}"`
  if (outcome === 'passed') return `${head}/>`
  if (outcome === 'left out') return `${head}>\n      <skipped message=${quoted(trouble?.message ?? '')}/>\n    </testcase>`
  const lines = failureLines(step)
  return `${head}>\n      <failure message=${quoted(trouble?.message ?? lines[0] ?? '')}${trouble?.code === undefined ? '' : ` type=${quoted(trouble.code)}`}>${escaped(lines.join('\n'))}</failure>\n    </testcase>`
}

/** Why a step failed, a line for each reason. */
function failureLines({ trouble, verdicts }: StepReport): string[] {
  return [
    ...(trouble === undefined ? [] : [trouble.message, ...trouble.details.map((detail) => `- ${detail}`), ...[trouble.side, trouble.advice].filter((each) => each !== undefined)]),
    ...verdicts.filter(({ met }) => !met).map(({ expected, was, line }) => `line ${line}: expected that ${expected}; there was ${was ?? 'nothing'}`),
  ]
}

function seconds(milliseconds: number): string {
  return (milliseconds / 1000).toFixed(3)
}

function quoted(text: string): string {
  return `"${escaped(text).replaceAll('"', '&quot;').replaceAll('\n', '&#10;')}"`
}

/** Text for XML; characters that XML 1.0 has no place for (section 2.2) are left out. */
function escaped(text: string): string {
  return text.replace(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '').replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
}
