import type { LineCounter, Node, ParsedNode } from 'yaml'
import { nearestAdvice } from '../../contract/nearest.js'
import { isPlainObject } from '../../contract/plain.js'
import { present } from '../../contract/present.js'
import { problem, type Problem } from '../../contract/problem.js'
import { referencesIn, stepsOf } from '../../contract/templates.js'
import { plainOfYaml } from '../input.js'
import { checkPath } from '../pick.js'
import type { CallStep, CompareStep, Expectation, LoopStep, Rehearsal, Step } from './format.js'

/**
 * Reads a rehearsal.
 *
 * @param file its name, for messages
 * @throws Problem TM-1021 with the line of what is wrong
 */
export async function readRehearsal(text: string, file: string): Promise<Rehearsal> {
  const [{ LineCounter, parseDocument }, schema] = await Promise.all([
    import('yaml'),
    rehearsalSchema(),
  ])
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false })
  const refuse = (reason: string, offset: number): Problem => {
    const { line, col } = lines.linePos(offset)
    return problem('TM-1021', { file, reason }, { place: { document: file, line, column: col } })
  }
  const [broken] = document.errors
  if (broken !== undefined) throw refuse(broken.message.replace(/\.$/, ''), broken.pos[0])
  const plain = await plainOfYaml(document.contents, file)
  const { error } = schema.validate(document.toJS({ maxAliasCount: 100 }), {
    abortEarly: true,
    convert: false,
    errors: { label: 'path', wrap: { label: '"' } },
  })
  if (error !== undefined) {
    const [detail] = error.details
    const where = nodeAt(document.contents, detail?.path ?? [])
    // Of a step that fits no kind, the message of the schema would be a riddle.
    throw refuse(
      detail?.type === 'object.xor' || detail?.type === 'object.missing'
        ? 'a step needs one of "call", "compare" and "each"'
        : (detail?.message ?? error.message).replace(/^"value"/, 'the file'),
      where?.range?.[0] ?? 0,
    )
  }
  const read = new Reading(file, lines, document.contents)
  const rehearsal = read.rehearsal(plain as Record<string, unknown>)
  await checkPaths(rehearsal)
  checkNames(rehearsal)
  return rehearsal
}

type Joi = import('joi').Root

async function rehearsalSchema(): Promise<import('joi').ObjectSchema> {
  const { default: joi } = await import('joi')
  const step = stepSchema(joi)
  return joi
    .object({
      rehearsal: joi.valid(1).required(),
      title: joi.string(),
      contract: joi.string(),
      at: joi.string(),
      values: joi.object().pattern(keptName, joi.any()),
      steps: joi.array().items(step).min(1).required(),
      afterwards: joi.array().items(joi.link('#step')),
    })
    .shared(step)
}

/** What values are kept under. */
const keptName = /^[A-Za-z_]\w*$/

function stepSchema(joi: Joi): import('joi').ObjectSchema {
  return joi
    .object({
      say: joi.string(),
      call: joi.string(),
      contract: joi.string(),
      with: joi.object(),
      keep: joi.object().pattern(keptName, joi.string()),
      compare: joi.object({
        before: joi.any().required(),
        after: joi.any().required(),
        by: joi.array().items(joi.string()).min(1),
      }),
      each: joi.alternatives(joi.array().min(1), joi.string()),
      steps: joi.array().items(joi.link('#step')).min(1),
      inside: joi.string(),
      show: joi.alternatives(joi.string(), joi.valid(true)),
      expect: joi.array().items(expectationSchema(joi)),
    })
    .xor('call', 'compare', 'each')
    .with('each', 'steps')
    .with('steps', 'each')
    .without('compare', ['with', 'keep', 'contract', 'inside'])
    .without('each', ['with', 'keep', 'contract', 'inside', 'show', 'expect'])
    .id('step')
}

function expectationSchema(joi: Joi): import('joi').ObjectSchema {
  const count = joi.number().integer().min(0)
  const amount = joi.alternatives(
    count,
    joi.object({ atLeast: count, atMost: count }).or('atLeast', 'atMost'),
  )
  return joi
    .object({
      at: joi.string(),
      equals: joi.any(),
      has: joi.any(),
      like: joi.string().custom(regularExpression),
      missing: joi.boolean(),
      rows: amount,
      atLeast: joi.any(),
      atMost: joi.any(),
      status: joi.number().integer().min(100).max(599),
      fault: joi.alternatives(joi.string(), joi.valid(true)),
      code: joi.string(),
      kind: joi.string().valid('fault', 'unreachable', 'timeout', 'login', 'breach', 'input'),
      added: amount,
      gone: amount,
      changed: amount,
    })
    .min(1)
}

function regularExpression(source: string): string {
  try {
    new RegExp(source, 'u')
  } catch {
    throw new Error('must be a regular expression')
  }
  return source
}

/** The node at a path, or the nearest one around it. */
function nodeAt(contents: ParsedNode | null, path: readonly (string | number)[]): Node | null {
  let node: Node | null = contents
  for (const step of path) {
    const inner: unknown =
      node !== null && 'get' in node && typeof node.get === 'function'
        ? (node.get as (key: unknown, keep: true) => unknown)(step, true)
        : undefined
    if (typeof inner !== 'object' || inner === null || !('range' in inner)) break
    node = inner as Node
  }
  return node
}

/** Turns what a checked file says into steps that know their lines. */
class Reading {
  private readonly file: string
  private readonly lines: LineCounter
  private readonly contents: ParsedNode | null

  constructor(file: string, lines: LineCounter, contents: ParsedNode | null) {
    this.file = file
    this.lines = lines
    this.contents = contents
  }

  rehearsal(plain: Readonly<Record<string, unknown>>): Rehearsal {
    const {
      title,
      contract,
      at,
      values = {},
      steps,
      afterwards = [],
    } = plain as {
      title?: string
      contract?: string
      at?: string
      values?: Record<string, unknown>
      steps: unknown[]
      afterwards?: unknown[]
    }
    return {
      file: this.file,
      title: title ?? this.file,
      ...present({ contract, at }),
      values,
      steps: this.steps(steps, ['steps']),
      afterwards: this.steps(afterwards, ['afterwards']),
    }
  }

  private steps(plain: readonly unknown[], path: readonly (string | number)[]): Step[] {
    return plain.map((each, index) => this.step(each as Record<string, unknown>, [...path, index]))
  }

  private step(plain: Readonly<Record<string, unknown>>, path: readonly (string | number)[]): Step {
    const { say, show } = plain as { say?: string; show?: string | true }
    const base = { line: this.lineOf(path), ...present({ say }) }
    const expect = ((plain['expect'] ?? []) as Record<string, unknown>[]).map((each, index) =>
      this.expectation(each, [...path, 'expect', index]),
    )
    const shown = present({ show })
    if (plain['each'] !== undefined)
      return {
        ...base,
        kind: 'loop',
        each: plain['each'] as LoopStep['each'],
        steps: this.steps(plain['steps'] as unknown[], [...path, 'steps']),
      }
    if (plain['compare'] !== undefined) {
      const { before, after, by } = plain['compare'] as {
        before: unknown
        after: unknown
        by?: string[]
      }
      return {
        ...base,
        kind: 'compare',
        before,
        after,
        ...present({ by }),
        ...shown,
        expect,
      } satisfies CompareStep
    }
    const {
      call,
      contract,
      inside,
      with: input = {},
      keep = {},
    } = plain as {
      call: string
      contract?: string
      inside?: string
      with?: Record<string, unknown>
      keep?: Record<string, string>
    }
    return {
      ...base,
      kind: 'call',
      operation: call,
      ...present({ contract, inside }),
      with: input,
      keep,
      ...shown,
      expect,
    } satisfies CallStep
  }

  private expectation(
    plain: Readonly<Record<string, unknown>>,
    path: readonly (string | number)[],
  ): Expectation {
    const numbers = (value: unknown): unknown =>
      isPlainObject(value)
        ? Object.fromEntries(Object.entries(value).map(([name, each]) => [name, numbers(each)]))
        : Number(String((value as { source?: string }).source ?? value))
    const read: Record<string, unknown> = { line: this.lineOf(path) }
    for (const [word, value] of Object.entries(plain)) {
      const isCount = ['rows', 'added', 'gone', 'changed', 'status'].includes(word)
      if (word === 'equals' || word === 'has') read[word] = { value }
      else read[word] = isCount ? numbers(value) : value
    }
    return read as unknown as Expectation
  }

  private lineOf(path: readonly (string | number)[]): number {
    return this.lines.linePos(nodeAt(this.contents, path)?.range?.[0] ?? 0).line
  }
}

function everyStep({ steps, afterwards }: Pick<Rehearsal, 'steps' | 'afterwards'>): Step[] {
  return [...steps, ...afterwards].flatMap((step) => [
    step,
    ...(step.kind === 'loop' ? everyStep({ steps: step.steps, afterwards: [] }) : []),
  ])
}

/** Paths that are none are told before anything is called. */
async function checkPaths(rehearsal: Rehearsal): Promise<void> {
  for (const step of everyStep(rehearsal)) {
    const paths = [
      ...(step.kind === 'call' ? Object.values(step.keep) : []),
      ...(step.kind === 'loop'
        ? []
        : step.expect.flatMap(({ at }) => (at === undefined ? [] : [at]))),
    ]
    for (const path of paths) {
      try {
        await checkPath(path)
      } catch (error) {
        throw problem(
          'TM-1021',
          { file: rehearsal.file, reason: `"${path}" is no JSONPath` },
          { place: { document: rehearsal.file, line: step.line, column: 1 }, cause: error },
        )
      }
    }
  }
}

/** A reference to what no step keeps is a slip of the pen. */
function checkNames(rehearsal: Rehearsal): void {
  const steps = everyStep(rehearsal)
  const names = [
    ...Object.keys(rehearsal.values),
    ...steps.flatMap((step) => (step.kind === 'call' ? Object.keys(step.keep) : [])),
    'row',
  ]
  for (const step of steps) {
    const content = contentOf(step)
    for (const reference of content.flatMap((each) => referencesIn(withoutPaths(each)))) {
      const [name = ''] = stepsOf(reference)
      if (names.includes(name)) continue
      throw problem(
        'TM-1021',
        {
          file: rehearsal.file,
          reason: `nothing is called "$${name}" here. ${nearestAdvice(name, names).replace(/\.$/, '')}`,
        },
        { place: { document: rehearsal.file, line: step.line, column: 1 } },
      )
    }
  }
}

/**
 * JSONPaths and regular expressions begin with a dollar sign, or end in one, and refer to nothing.
 */
function withoutPaths(content: unknown): unknown {
  return Array.isArray(content)
    ? content.map((each: unknown) =>
        isPlainObject(each) && 'line' in each ? { ...each, at: undefined, like: undefined } : each,
      )
    : content
}

function contentOf(step: Step): readonly unknown[] {
  if (step.kind === 'call') return [step.with, step.expect]
  return step.kind === 'compare' ? [step.before, step.after, step.expect] : [step.each]
}
