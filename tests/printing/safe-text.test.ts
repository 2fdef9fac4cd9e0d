import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import ts from 'typescript'
import {
  codeInMarkdown,
  docComment,
  fenced,
  identifier,
  inAttribute,
  inMarkdown,
  proseInMarkdown,
  jsonInMarkup,
  modulePath,
} from '../../src/printing/escaping.js'
import { code } from '../../src/printing/safe-text.js'
import { hostileTexts } from '../support/hostile.js'
import { repository } from '../support/program.js'

/** What TypeScript says of lines that stand in a module of the house, line by line. */
function complaints(lines: readonly string[]): (string | undefined)[] {
  const path = join(repository, 'src/typescript/imagined.ts')
  const head = [
    "import { Page } from '../printing/page.js'",
    "import { code, joined, markup, markdown, type Code } from '../printing/safe-text.js'",
    'declare const page: Page, text: string, name: Code',
  ]
  const source = [...head, ...lines].join('\n')
  const options: ts.CompilerOptions = {
    target: ts.ScriptTarget.ES2022,
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    strict: true,
    noEmit: true,
    skipLibCheck: true,
    types: ['node'],
  }
  const host = ts.createCompilerHost(options)
  const { readFile, fileExists, getSourceFile } = host
  host.fileExists = (file) => file === path || fileExists(file)
  host.readFile = (file) => (file === path ? source : readFile(file))
  host.getSourceFile = (file, ...rest) =>
    file === path
      ? ts.createSourceFile(file, source, ts.ScriptTarget.ES2022, true)
      : getSourceFile(file, ...rest)
  const program = ts.createProgram([path], options, host)
  const found = ts.getPreEmitDiagnostics(program, program.getSourceFile(path))
  return lines.map((_, at) => {
    const own = found.find(
      ({ start }) =>
        start !== undefined && source.slice(0, start).split('\n').length - 1 === at + head.length,
    )
    return own === undefined ? undefined : ts.flattenDiagnosticMessageText(own.messageText, ' ')
  })
}

/** What an attempt is refused with; nothing where it isn't. */
function refusalOf(attempt: () => unknown): string {
  try {
    attempt()
    return ''
  } catch (error) {
    return (error as Error).message
  }
}

describe('raw text is not printed', () => {
  const raw = [
    'page.print(text)',
    'page.print(`${text}`)',
    'page.print(`export const ${name} = 1`)',
    'page.print(code`const x = ${text}`)',
    'page.print(name + text)',
    'page.print(name.replace("a", text))',
    'page.printHead(text)',
    'page.reexport("client", text)',
    'page.print(code`${markup`<b>`}`)',
    'page.print(markdown`x`)',
    'joined([name, text], ", ")',
    'code`${["a"].join(",")}`',
    'const c: Code = text',
  ]
  const safe = [
    'page.print(name, code`const ${name} = ${1}`)',
    'page.print(code`f(${joined([name, code`x`], ", ")})`)',
    'page.print(code`${page.use("codecs", text)}`)',
  ]

  test('the compiler refuses it, whatever way it takes', () => {
    const said = complaints([...raw, ...safe])
    expect(said.slice(0, raw.length).map((each, at) => [raw[at], each !== undefined])).toEqual(
      raw.map((line) => [line, true]),
    )
    expect(said.slice(raw.length)).toEqual(safe.map(() => undefined))
  })

  test('a name that is no identifier and a module that is no path are defects, not code', () => {
    const taken = hostileTexts(false).filter(
      (text) =>
        !refusalOf(() => identifier(text)).includes('is no identifier') ||
        !refusalOf(() => modulePath(`operations/${text}`)).includes('is no path'),
    )
    expect(taken).toEqual([])
    for (const path of ['../x', 'a//b', '/etc', 'a/../b', ''])
      expect(() => modulePath(path)).toThrow('is no path')
  })
})

describe('hostile text in other forms', () => {
  const texts = [
    ...hostileTexts(false),
    'a | b',
    '`',
    '``` x',
    '[a](javascript:x)',
    '![a](b)',
    '<img src=x>',
    '&lt;b&gt;',
    '# a',
    'a\n# b',
  ]

  test('stays on its line in Markdown, and is no markup', () => {
    for (const text of texts) {
      const prose = inMarkdown(text)
      expect(prose).not.toMatch(/[\u0000-\u001f\u007f-\u009f\u2028-\u202e\u2066-\u2069]/)
      expect(prose.replace(/\\[!-/:-@[-`{-~]/g, '')).not.toMatch(/[<>|`*_[\]&~]/)
      const written = codeInMarkdown(text)
      const [, fence = '', inside = ''] = /^(`+)([^]*?)\1$/.exec(written) ?? []
      expect(inside).not.toMatch(/\n/)
      expect([...inside.matchAll(/`+/g)].map(([run]) => run.length)).not.toContain(fence.length)
    }
    expect(fenced([code`a`, code`\`\`\`\` b`])).toEqual(['`````ts', 'a', '```` b', '`````'])
  })

  test('keeps its code and its links of the web in Markdown, and nothing else', () => {
    expect(
      proseInMarkdown(
        'See [the *tide* tables](https://quay.example/tides?day=1#now), `list<T>` and <b>![x](http://quay.example/x)',
      ),
    ).toBe(
      'See [the \\*tide\\* tables](https://quay.example/tides?day=1#now), `list<T>` and \\<b\\>\\![x](http://quay.example/x)',
    )
    for (const text of [
      ...texts,
      '[a](https://x)[b](javascript:y)',
      '`[a](https://x)',
      '[`](http://x)`',
    ]) {
      const rest = proseInMarkdown(text)
        .replace(/(?<!\\)`[^`]+`/g, '')
        .replace(/(?<!!)\[(?:[^[\]]|\\[[\]])*\]\(https?:[^()\s]+\)/g, '')
        .replace(/\\[!-/:-@[-`{-~]/g, '')
      expect(rest).not.toMatch(/[<>|`*_[\]&~\n]/)
    }
  })

  test('stays inside an attribute, and inside an element for data', () => {
    for (const text of texts) {
      expect(inAttribute(text).slice(1, -1)).not.toMatch(/["'<>\n\r\t]/)
      expect(jsonInMarkup({ [text]: text })).not.toMatch(/[<>&]/)
      expect(JSON.parse(jsonInMarkup({ [text]: text }))).toEqual({ [text]: text })
    }
  })
})

test('prose in comments: lists in lists stay so, what is too long goes on in the next line', () => {
  const quays = (count: number): string => Array.from({ length: count }, () => 'quay').join(' ')
  const prose = `Ways in:
      * the lock
        - by day
      * the old gate.  Mind
        the tide
      1. ${quays(40)}
      and so on
      # Signs`
  expect(docComment([prose])).toEqual([
    '/**',
    ' * Ways in:',
    ' * * the lock',
    ' *   - by day',
    ' * * the old gate. Mind',
    ' *   the tide',
    ` * 1. ${quays(22)}`,
    ` * ${quays(18)} and so on`,
    ' * # Signs',
    ' */',
  ])
})
