import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import ts from 'typescript'
import { quoted } from '../../src/printing/escaping.js'
import type { Code } from '../../src/printing/safe-text.js'
import { wrapped } from '../../src/printing/wrapping.js'

/** A program as the compiler prints it, whatever its layout was. */
function layoutless(text: string): string {
  const source = ts.createSourceFile('a.ts', text, ts.ScriptTarget.Latest)
  const { parseDiagnostics } = source as unknown as { parseDiagnostics: readonly unknown[] }
  expect(parseDiagnostics).toEqual([])
  return ts
    .createPrinter({ removeComments: true })
    .printFile(source)
    .replace(/[\s;]+/g, ' ')
    .replace(/,(?= [}\])])| \| (?=[^|])/g, (found) => (found === ',' ? '' : ' | '))
    .replace(/([=:(<]) \| /g, '$1 ')
}

const word = fc.constantFrom('Quay', 'Vessel', 'Harbour', 'VeryLongNameOfAThingAtTheHarbour')
const text = fc.string({ maxLength: 12 }).map(quoted)
const { type } = fc.letrec<{ type: string }>((tie) => ({
  type: fc.oneof(
    { maxDepth: 4 },
    word,
    text,
    fc.array(tie('type'), { minLength: 2, maxLength: 6 }).map((all) => all.join(' | ')),
    tie('type').map((item) => `(${item})[]`),
    tie('type').map((value) => `Record<string, ${value}>`),
    fc.array(tie('type'), { maxLength: 4 }).map((all) => `[${all.join(', ')}]`),
    fc
      .array(fc.tuple(fc.oneof(word, text), tie('type')), { minLength: 1, maxLength: 5 })
      .map((members) => `{ ${members.map(([name, is]) => `${name}?: ${is}`).join('; ')} }`),
    fc.tuple(tie('type'), tie('type')).map(([a, b]) => `(${a}) & (${b})`),
  ),
}))

test('long lines are broken, and mean the same', () => {
  fc.assert(
    fc.property(type, (is) => {
      for (const [before, behind] of [
        ['export type Long = ', ''],
        ['export interface I {\n  name?: ', '\n}'],
        ['export function f(connection: Connection, input: ', '): void {\n}'],
      ] as const) {
        const lines = `${before}${is}${behind}`.split('\n')
        const broken = lines.flatMap((line) => wrapped(line as Code)).join('\n')
        expect(layoutless(broken)).toBe(layoutless(lines.join('\n')))
      }
    }),
  )
})

test('texts, constants and imports stay what they are; what has a comment in it is left', () => {
  const values = Array.from({ length: 9 }, (_, at) => `value${at}: 'a | b, { c: ${at} }'`)
  const constant = `export const Values = { ${values.join(', ')} } as const`
  const names = Array.from({ length: 9 }, (_, at) => `TheLongName${at}`)
  const imports = `import type { ${names.join(', ')} } from './types.js'`
  for (const line of [constant, imports]) {
    const broken = wrapped(line as Code)
    expect(broken.length).toBe(11)
    expect(layoutless(broken.join('\n'))).toBe(layoutless(line))
  }
  const remark = ` * ${'of something | that, is long '.repeat(9)}` as Code
  expect(wrapped(remark)).toEqual([remark])
})
