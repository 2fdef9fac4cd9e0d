import { describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { parse } from 'yaml'
import { draftOf } from '../../src/draft/draft.js'
import type { Recording } from '../../src/draft/recording.js'
import { plainOf } from '../../src/draft/remarked.js'
import { widening } from '../../src/draft/widen.js'
import { yamlDraft, yamlWith } from '../../src/draft/yaml-draft.js'
import { breaches, recorded, recordedAtRandom, type Described } from '../support/drafting.js'

interface Widened {
  readonly yaml: string
  readonly contradictions: readonly string[]
}

/** A description as a first draft has it, edited by hand perhaps, and widened by a later draft. */
function widened(
  first: readonly Recording[],
  later: readonly Recording[],
  edit: (yaml: string) => string = (yaml) => yaml,
): Widened {
  const { description } = draftOf(first)
  const yaml = edit(yamlDraft(description, ['a head']))
  const current = JSON.parse(JSON.stringify(parse(yaml))) as Record<string, unknown>
  const { edits, contradictions } = widening(
    current,
    plainOf(description) as Record<string, unknown>,
    draftOf(later).description,
  )
  return { yaml: yamlWith(yaml, edits), contradictions }
}

const described = (yaml: string): Described => JSON.parse(JSON.stringify(parse(yaml))) as Described
const names = fc.constantFrom('a', 'b', 'c', 'kind', 'items', '17', '18', '19', '__proto__')
const leaves = fc.constantFrom(null, true, 0, 1.5, 2 ** 53, 'x', 'rising', '2027-07-15', '12.50')
const { value } = fc.letrec((tie) => ({
  value: fc.oneof(
    { maxDepth: 3 },
    leaves,
    fc.array(tie('value'), { maxLength: 3 }),
    fc.dictionary(names, tie('value'), { maxKeys: 4 }),
  ),
}))
const recordings = recordedAtRandom(value)

test('what is widened allows what was recorded first, and what was recorded later', () => {
  fc.assert(
    fc.property(recordings, recordings, (first, later) => {
      const { yaml, contradictions } = widened(first, later)
      expect(contradictions).toEqual([])
      expect(breaches(described(yaml), [...first, ...later])).toEqual([])
    }),
    { numRuns: 200 },
  )
})

describe('what somebody wrote stays', () => {
  const mark = (more: object): Recording =>
    recorded('GET', '/marks', [{ at: '2027-07-15', height: 1, state: 'high', ...more }])
  const first = [mark({}), mark({})]

  test('comments, descriptions, other types; what the answers contradict is told', () => {
    const { yaml, contradictions } = widened(
      first,
      [mark({ height: 1.5, state: 'slack', depth: 7, at: 'soon' })],
      (text) =>
        text
          .replace(
            /height: \{ type: integer[^}]*\}/,
            'height: { type: integer, description: in metres }',
          )
          .replace('listMarks', 'marks # as we call it')
          .replace(/^info:/m, '# ours\ninfo:'),
    )
    expect(yaml).toContain('operationId: marks # as we call it')
    expect(yaml).toContain('# ours\ninfo:')
    expect(yaml).toContain('height: { type: integer, description: in metres }')
    expect(contradictions).toEqual([
      expect.stringMatching(/^Mark\.height: fractions.*, like 1\.5, .*"integer"/),
    ])
    expect(yaml).toMatch(/at: \{ type: string, examples: \[ "?2027-07-15"? \] \} # a text/)
    expect(yaml).toMatch(/depth: \{ type: integer/)
    // What is new was not always there.
    expect(described(yaml).components.schemas['Mark']?.required).toEqual(['at', 'height', 'state'])
  })

  test('what was taken out stays out; what is missing later is no more required', () => {
    const { yaml, contradictions } = widened(
      first,
      [
        recorded('GET', '/marks', [{ at: '2027-07-15', height: 2 }]),
        recorded('GET', '/ports', [{ code: 'a', title: 'b' }]),
      ],
      (text) => text.replace(/^ {8}at: .*\n/m, ''),
    )
    expect(yaml).not.toMatch(/^ {8}at: /m)
    expect(contradictions).toEqual([expect.stringContaining('at: it came again')])
    const { components, paths } = described(yaml)
    expect(components.schemas['Mark']?.required).toEqual(['at', 'height'])
    expect(Object.keys(paths)).toEqual(['/marks', '/ports'])
    expect(Object.keys(components.schemas)).toEqual(['Mark', 'Port'])
  })

  test('parameters: those that are missing later need not be given, new ones neither', () => {
    const ask = (query: string): Recording => recorded('GET', `/marks?${query}`, [])
    const { yaml } = widened([ask('day=2027-07-15&limit=6')], [ask('day=2027-07-16&near=x')])
    const parameters = described(yaml).paths['/marks']?.['get']?.parameters ?? []
    expect(parameters.map(({ name, required }) => [name, required])).toEqual([
      ['day', true],
      ['limit', false],
      ['near', undefined],
    ])
  })
})
