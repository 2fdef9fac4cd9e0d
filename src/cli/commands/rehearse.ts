import type { Command } from 'commander'
import { exitCodes, problem } from '../../app/problems.js'
import {
  junitXml,
  rehearse,
  rowText,
  type RehearsalReport,
  type StepReport,
  type RehearseOptions,
} from '../../app/rehearse.js'
import { saveText } from '../../app/files/text-files.js'
import { pc } from '../colours.js'
import { collect, readDuration } from '../options.js'
import { person } from '../person.js'
import type { arrangedText } from '../answer-text.js'
import { globalsOf } from '../run.js'
import type { tableText } from '../tables.js'
import { count, print, printJson, progress, say, type Output } from '../terminal.js'

interface Options {
  readonly at?: string
  readonly url?: readonly string[]
  readonly timeout?: string
  readonly save?: string
  readonly junit?: string
  readonly keep?: string
}

export function declare(command: Command): void {
  command
    .option('--at <site>', 'the site of tolmach.yaml whose addresses count')
    .option(
      '--url <address>',
      'the address to call; with several contracts contract=address, repeated',
      collect,
    )
    .option('--timeout <time>', 'how long each call may take, like 10s (default: 60s)')
    .option('--save <file.html>', 'write a report as a page')
    .option('--junit <file.xml>', 'write a report as JUnit XML, for build servers')
    .option(
      '--keep <folder>',
      'write the answers there: to compare with later, and for stand-ins to play',
    )
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach rehearse rehearsals/reserve.yaml\n  tolmach rehearse rehearsals/*.yaml --at test --save report.html --junit report.xml\n  tolmach rehearse rehearsals/reserve.yaml --keep recorded',
    )
    .action(async (files: readonly string[], options: Options) => {
      const { project, output } = globalsOf(command)
      if (options.save !== undefined && !/\.html?$/i.test(options.save)) throw noPage(options.save)
      const reports = await rehearse(files, {
        project,
        at: options.at,
        timeLimit: options.timeout === undefined ? undefined : readDuration(options.timeout),
        urls: options.url === undefined ? undefined : Object.fromEntries(options.url.map(readUrl)),
        keep: options.keep,
        person,
        ...(output.json || output.quiet ? {} : await teller(output)),
      })
      await writeReports(reports, options)
      const isPassed = reports.every(({ outcome }) => outcome === 'passed')
      if (output.json) printJson({ ok: isPassed, rehearsals: reports.map(withoutValues) })
      else print(summary(reports))
      sayWritten(options, output)
      process.exitCode = isPassed ? 0 : exitCodes.difference
    })
}

function noPage(file: string): Error {
  return problem('TM-1010', {
    option: '--save',
    reason: `a report is a page, and "${file}" does not end in .html`,
    remedy: 'For build servers there is --junit <file.xml>.',
  })
}

/** Tells of rehearsals and their steps as they are played. */
async function teller(output: Output): Promise<Pick<RehearseOptions, 'onRehearsal' | 'onStep'>> {
  const drawing: Drawing = {
    ...(await import('../tables.js')),
    ...(await import('../answer-text.js')),
  }
  let wasAfterwards = false
  let played = 0
  let all = 0
  return {
    onRehearsal({ title, file, steps, afterwards }) {
      wasAfterwards = false
      played = 0
      all = steps.length + afterwards.length
      print(`${pc.bold(title)}  ${pc.dim(file)}`)
    },
    onStep(step) {
      if (step.isAfterwards && !wasAfterwards) print(pc.dim('  afterwards'))
      wasAfterwards = step.isAfterwards
      print(stepLines(step, drawing).join('\n'))
      // Loops have more steps than there are lines of them.
      played += 1
      if (played < all) progress(output, `${String(played)} of ${String(all)} steps`)
    },
  }
}

async function writeReports(
  reports: readonly RehearsalReport[],
  { save, junit }: Options,
): Promise<void> {
  if (save !== undefined) {
    const { rehearsalPage } = await import('../../app/pages/rehearsal-page.js')
    await saveText(save, rehearsalPage(reports, new Date().toISOString()))
  }
  if (junit !== undefined) await saveText(junit, junitXml(reports))
}

function sayWritten({ save, junit, keep }: Options, output: Output): void {
  for (const file of [save, junit]) if (file !== undefined) say(output, `Saved: ${file}`)
  if (keep !== undefined)
    say(
      output,
      pc.dim(
        `Answers are kept in ${keep}/; \`tolmach serve <contract> --recorded ${keep}\` plays them.`,
      ),
    )
}

/** `contract=address`, or an address for whichever contract there is. */
function readUrl(text: string): [contract: string, url: string] {
  const [, contract = '', url = text] = /^([A-Za-z][\w-]*)=(.*)$/.exec(text) ?? []
  if (!/^https?:/i.test(url) || !URL.canParse(url))
    throw problem('TM-1010', {
      option: '--url',
      reason: `"${url}" is not a valid address`,
      remedy:
        'Write it like --url http://127.0.0.1:4801/desk or --url berths=http://127.0.0.1:4801/desk.',
    })
  return [contract, url]
}

/** What a step's line begins with; steps behind one that failed need no reason of their own. */
const signs: Readonly<Record<StepReport['outcome'], string>> = {
  passed: '✓',
  failed: '✗',
  'left out': '·',
}

/** What draws tables, which is loaded when the first is drawn. */
interface Drawing {
  readonly tableText: typeof tableText
  readonly arrangedText: typeof arrangedText
}

function stepLines(step: StepReport, drawing: Drawing): string[] {
  const { title, outcome, operation, status, milliseconds, row, verdicts, shown, compared } = step
  const colour = { passed: pc.green, failed: pc.red, 'left out': pc.dim }[outcome]
  const facts = [
    ...(operation === undefined || operation === title ? [] : [operation]),
    ...(status === undefined ? [] : [`HTTP ${status}`]),
    ...(operation === undefined || outcome === 'left out' ? [] : [`${milliseconds} ms`]),
  ]
  const indent = '      '
  return [
    `  ${colour(signs[outcome])} ${outcome === 'left out' ? pc.dim(title) : title}${row === undefined ? '' : pc.dim(`  ${rowText(row)}`)}  ${pc.dim(facts.join('  '))}`.trimEnd(),
    ...troubleLines(step, indent),
    ...verdicts
      .filter(({ met }) => !met)
      .flatMap(({ expected, was, line }) => [
        `${indent}${pc.red('expected')}  ${expected}  ${pc.dim(`line ${line}`)}`,
        `${indent}${pc.red('there was')} ${was ?? 'nothing'}`,
      ]),
    ...(shown === undefined ? [] : [drawing.arrangedText(shown, indent)]),
    ...(compared === undefined ? [] : comparedLines(compared, indent, drawing)),
  ]
}

/** What is different, row by row: before and after beside each other. */
function comparedLines(
  { differences, before, after }: NonNullable<StepReport['compared']>,
  indent: string,
  drawing: Drawing,
): string[] {
  if (differences.length === 0) return [pc.dim(`${indent}nothing is different`)]
  const headings = after.headings.length > 0 ? after.headings : before.headings
  const rows = [...marked(before, 'before'), ...marked(after, 'after')]
  return [drawing.tableText(['', '', ...headings], rows, indent)]
}

function marked(
  { rows, marks }: NonNullable<StepReport['compared']>['before'],
  when: string,
): string[][] {
  const colour = { added: pc.green, gone: pc.red, changed: pc.yellow }
  return rows.flatMap((row, at) => {
    const mark = marks[at]
    return mark === undefined ? [] : [[pc.dim(when), colour[mark](mark), ...row]]
  })
}

/** What came of it all, in one line. */
function summary(reports: readonly RehearsalReport[]): string {
  const steps = reports.flatMap((report) => report.steps)
  const number = (outcome: StepReport['outcome']): number =>
    steps.filter((step) => step.outcome === outcome).length
  const [passed, failed, left] = [number('passed'), number('failed'), number('left out')]
  const all = count(steps.length, 'step')
  const told =
    passed === steps.length
      ? pc.green(`${steps.length === 1 ? 'The one step' : `All ${all}`} went as expected`)
      : [
          `${String(passed)} of ${all} went as expected`,
          ...(failed === 0 ? [] : [pc.red(`${String(failed)} did not`)]),
          ...(left === 0 ? [] : [`${String(left)} ${left === 1 ? 'was' : 'were'} left out`]),
        ].join(', ')
  return `\n${reports.length === 1 ? '' : `${count(reports.length, 'rehearsal')}: `}${told}.`
}

/** A report for scripts: without whole answers, and what went over the wire. */
function withoutValues(report: RehearsalReport): object {
  return { ...report, steps: report.steps.map(({ value: _value, wire: _wire, ...step }) => step) }
}

/** What went wrong with a step; of those left out only what would have cleaned up. */
function troubleLines({ trouble, outcome, isAfterwards }: StepReport, indent: string): string[] {
  if (trouble === undefined) return []
  if (outcome === 'left out')
    return isAfterwards ? [pc.dim(`${indent}left out: ${trouble.message}`)] : []
  const more = [trouble.side, trouble.advice].filter((each) => each !== undefined)
  return [
    `${indent}${pc.red(trouble.message)}`,
    ...trouble.details.map((detail) => `${indent}- ${detail}`),
    ...more.map((each) => `${indent}${each}`),
  ]
}
