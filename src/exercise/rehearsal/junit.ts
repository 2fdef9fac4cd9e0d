import { junitText, type JunitCase } from '../../printing/junit.js'
import type { Markup } from '../../printing/safe-text.js'
import type { RehearsalReport, StepReport } from './playing.js'
import { rowText } from './playing.js'

/**
 * Reports as JUnit XML, which build servers show: a suite for each rehearsal, a case for each step.
 */
export function junitXml(reports: readonly RehearsalReport[]): Markup {
  return junitText(
    reports.map(({ file, title, milliseconds, steps }) => ({
      name: title,
      file,
      milliseconds,
      cases: steps.map((step) => caseOf(step, file)),
    })),
  )
}

function caseOf(step: StepReport, file: string): JunitCase {
  const { title, contract, operation, outcome, milliseconds, line, trouble, row } = step
  const lines = failureLines(step)
  return {
    name: row === undefined ? title : `${title} (${rowText(row)})`,
    className: [contract, operation].filter((each) => each !== undefined).join('.') || file,
    file,
    line,
    milliseconds,
    skipped: outcome === 'left out' ? (trouble?.message ?? '') : undefined,
    failure:
      outcome === 'failed'
        ? {
            message: trouble?.message ?? lines[0] ?? '',
            code: trouble?.code,
            text: lines.join('\n'),
          }
        : undefined,
  }
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
