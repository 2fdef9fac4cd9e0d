import { execFile } from 'node:child_process'
import { mkdir, readFile, symlink, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { promisify } from 'node:util'
import { describe, expect, test } from '@jest/globals'
import { build } from 'esbuild'
import fc from 'fast-check'
import ts from 'typescript'
import { runtimeSources } from '../../src/app/package-files.js'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { Contract } from '../../src/contract/contract.js'
import { noNames } from '../../src/contract/kept-names.js'
import type { Dialect } from '../../src/dialects/dialect.js'
import { odata } from '../../src/dialects/odata/index.js'
import { soap } from '../../src/dialects/soap/index.js'
import { readWsdl } from '../../src/dialects/soap/reader.js'
import { loadDocuments } from '../../src/documents/documents.js'
import { assignNames, type Names } from '../../src/naming/names.js'
import { clientFiles, type GeneratedFile } from '../../src/typescript/client.js'
import { clientVariable } from '../../src/typescript/first-lines.js'
import { commentText, docComment, propertyName, quoted } from '../../src/printing/escaping.js'
import { Page, type ImportSuffix } from '../../src/printing/page.js'
import { code } from '../../src/printing/safe-text.js'
import { readFixture } from '../support/contracts.js'
import { freshFolder, repository } from '../support/program.js'

const execute = promisify(execFile)

function generate(
  contract: Contract,
  importSuffix: ImportSuffix = '.js',
  dialect: Dialect = soap,
  credentials: readonly string[] = [],
): GeneratedFile[] {
  const names = assignNames(contract, noNames, dialect.emit.reservedNames(contract))
  return clientFiles(contract, names, dialect, {
    contractName: 'quay-desk',
    runtime: runtimeSources(),
    sources: {},
    inputs: '',
    importSuffix,
    credentials,
    sample: () => ({}),
  })
}

/** Writes a client into a folder and compiles it strictly; what the compiler says. */
async function compile(files: readonly GeneratedFile[]): Promise<{ folder: string; said: string }> {
  const folder = await freshFolder()
  for (const { path, text } of files) {
    await mkdir(dirname(join(folder, path)), { recursive: true })
    await writeFile(join(folder, path), text)
  }
  await symlink(join(repository, 'node_modules'), join(folder, 'node_modules'))
  await writeFile(join(folder, 'package.json'), '{"type":"module"}')
  const compilerOptions = {
    target: 'ES2022',
    lib: ['ES2022'],
    types: ['node'],
    module: 'NodeNext',
    moduleResolution: 'NodeNext',
    noEmit: true,
    skipLibCheck: true,
    strict: true,
    exactOptionalPropertyTypes: true,
    declaration: true,
    noUncheckedIndexedAccess: true,
    noPropertyAccessFromIndexSignature: true,
    verbatimModuleSyntax: true,
    noUnusedLocals: true,
    isolatedDeclarations: true,
    erasableSyntaxOnly: true,
  }
  await writeFile(
    join(folder, 'tsconfig.json'),
    JSON.stringify({ compilerOptions, include: ['**/*.ts'], exclude: [] }),
  )
  const { stdout } = await execute(
    process.execPath,
    [join(repository, 'node_modules/typescript-7/bin/tsc'), '-p', '.'],
    { cwd: folder },
  ).catch((error: { stdout: string }) => error)
  return { folder, said: stdout }
}

describe('the generated client', () => {
  test('of the fixture with everything compiles strictly, for Node without the DOM', async () => {
    const { contract } = await readFixture('tests/fixtures/everything/everything.wsdl')
    const files = generate(contract)
    expect((await compile(files)).said).toBe('')
    const types = files.find(({ path }) => path === 'types.ts')?.text
    expect(types).toContain(
      "export type EverythingCrateKind = 'box' | 'Box' | '' | '10 ft'\nexport const EverythingCrateKind = { box: 'box', Box: 'Box', empty: '', n10Ft: '10 ft' } as const",
    )
    // Only where several can stand does one have to say which it is.
    expect(types).toContain(
      "export type AnyShape =\n  | (Circle & { $is: 'Circle' })\n  | (Square & { $is: 'Square' })\n",
    )
    expect(types).toContain(
      "export type AnySquare = Square | (RoundedSquare & { $is: 'RoundedSquare' })",
    )
    expect(types).toContain('Names?: (string | null)[] | null')
    expect(types).toContain("['__proto__']?: string")
  })

  test('does not depend on the order of the metadata', async () => {
    const { contract } = await readFixture('demo/berths/desk.wsdl')
    const reversed: Contract = {
      ...contract,
      types: Object.fromEntries(Object.entries(contract.types).reverse()),
      services: contract.services.map((service) => ({
        ...service,
        operations: [...service.operations].reverse(),
      })),
    }
    expect(generate(reversed)).toEqual(generate(contract))
  })

  test('a bundle that uses one operation has nothing of the others', async () => {
    const { contract } = await readFixture('demo/berths/desk.wsdl')
    const { folder } = await compile(generate(contract))
    await writeFile(
      join(folder, 'one.ts'),
      "import { cancelReservation, connect } from './index.js'\nconsole.log(cancelReservation(connect(), { Number: 1n }))\n",
    )
    await writeFile(
      join(folder, 'two.ts'),
      "import { BerthDesk } from './index.js'\nconsole.log(new BerthDesk().listBerths())\n",
    )
    // What only some credentials need is in files of its own, which a page fetches when it meets
    // one.
    const bundle = async (entry: string, minify = false): Promise<string> => {
      const { outputFiles, metafile } = await build({
        entryPoints: [join(folder, entry)],
        bundle: true,
        write: false,
        format: 'esm',
        external: ['saxes'],
        minify,
        splitting: true,
        outdir: 'out',
        metafile: true,
      })
      const atOnce = new Set<string>()
      const add = (path: string): void => {
        atOnce.add(path)
        for (const each of metafile.outputs[path]?.imports ?? [])
          if (each.kind === 'import-statement' && each.external !== true && !atOnce.has(each.path))
            add(each.path)
      }
      add(
        Object.keys(metafile.outputs).find((path) =>
          metafile.outputs[path]?.entryPoint?.endsWith(entry),
        ) ?? '',
      )
      return outputFiles
        .filter(({ path }) =>
          [...atOnce].some((each) => path.endsWith(each.replace(/^.*out\//, '/'))),
        )
        .map(({ text }) => text)
        .join('\n')
    }
    const [one, whole] = [await bundle('one.ts'), await bundle('two.ts')]
    expect(one).toContain('cancelReservation')
    expect(one).not.toMatch(
      /listBerths|quoteLine|reservationRequest|base64Binary|unsignedShort|gregorianDay/,
    )
    expect(whole).toContain('quoteLine')
    // The runtime, one operation, its codecs: grows only when somebody means it to.
    expect((await bundle('one.ts', true)).length).toBeLessThan(56_000)
  })

  test('a client makes the logins that the metadata or the project wants, and brings no others along', async () => {
    const { contract } = await readFixture('demo/berths/desk.wsdl')
    const scheme = { name: 'token', origin: contract.origin }
    const wanting = {
      ...contract,
      security: [{ ...scheme, scheme: 'usernameToken' as const }],
    }
    for (const [of, credentials, logins] of [
      [contract, [], undefined],
      [contract, ['digest', 'basic'], '[digestLogin]'],
      [contract, ['oauth2'], '[tokenLogin]'],
      [wanting, [], '[wsseLogin]'],
    ] as const) {
      const files = generate(of, '.js', soap, credentials)
      const text = (path: string): string => files.find((each) => each.path === path)?.text ?? ''
      expect(/logins: (.*) }/.exec(text('settings.ts'))?.[1]).toBe(logins)
      const wsse = /user name token.*/.exec(text('settings.example.env'))?.[0]
      if (wsse !== undefined) expect(wsse.includes('logins: [wsseLogin]')).toBe(of === contract)
      const { folder, said } = await compile(files)
      expect(said).toBe('')
      await writeFile(
        join(folder, 'one.ts'),
        "import { cancelReservation, connect } from './index.js'\nconsole.log(cancelReservation(connect(), { Number: 1n }))\n",
      )
      const { outputFiles } = await build({
        entryPoints: [join(folder, 'one.ts')],
        bundle: true,
        write: false,
        format: 'esm',
        external: ['saxes'],
      })
      for (const name of ['digestLogin', 'tokenLogin', 'wsseLogin'])
        expect([name, outputFiles[0]?.text.includes(`${name} = {`)]).toEqual([
          name,
          logins === `[${name}]`,
        ])
    }
  })

  test('of many operations those of a group share a file, of which a bundle has only what it uses', async () => {
    const { contract } = await readSource(join(repository, 'demo/registry/registry.xml'), 'r')
    const files = generate(contract, '.js', odata)
    const operations = files.map(({ path }) => path).filter((path) => /^operations/.test(path))
    expect(operations).toContain('operations/vessels.ts')
    expect(operations).toContain('operations/closeYear.ts')
    expect(operations.length).toBeLessThan(12)
    const { folder, said } = await compile(files)
    expect(said).toBe('')
    await writeFile(
      join(folder, 'one.ts'),
      "import { connect, countVessels } from './index.js'\nconsole.log(countVessels(connect()))\n",
    )
    const { outputFiles } = await build({
      entryPoints: [join(folder, 'one.ts')],
      bundle: true,
      write: false,
      format: 'esm',
    })
    const [bundle = ''] = outputFiles.map(({ text }) => text)
    expect(bundle).toContain('Vessels.count')
    expect(bundle).not.toMatch(/Vessels\.(?:list|link|Assist)|Owners\./)
  })

  test('headings in prose of the metadata are none of the README', async () => {
    const { contract } = await readFixture('demo/berths/desk.wsdl')
    const documentation = '# Rules #\n## Of the quay\nNo fishing.'
    const readme = generate({ ...contract, documentation }).find(({ path }) => path === 'README.md')
    expect(readme?.text.match(/^# .*/gm)).toEqual(['# BerthDesk'])
    expect(readme?.text).toContain('**Rules**\n\n**Of the quay**\n\nNo fishing.')
  })

  test('imports can end otherwise', async () => {
    const { contract } = await readFixture('demo/berths/desk.wsdl')
    const addresses = generate(contract, '.ts')
      .filter(({ path }) => path.endsWith('.ts'))
      .flatMap(({ text }) =>
        [...text.matchAll(/ from '(\.[^']*)'/g)].map(([, address]) => address ?? ''),
      )
    expect(addresses.length).toBeGreaterThan(50)
    expect(addresses.filter((address) => !address.endsWith('.ts'))).toEqual([])
  })
})

describe('a hostile document makes an ugly client, never a dangerous one', () => {
  const nasty = [
    '*/ evil() /*',
    '`${evil()}`',
    "'; evil(); '",
    '\u2028evil()',
    '</script>',
    '"; evil() //',
    '@ts-nocheck',
    '\\',
    '\u202eevil',
    '// @ts-ignore',
    '\n@ts-expect-error',
  ]

  test.each(nasty)('%j as text, property and comment', (text) => {
    const source = ts.createSourceFile(
      'x.ts',
      `const a = { ${propertyName(text)}: ${quoted(text)} }\n${docComment([text]).join('\n')}\nconst b = 1`,
      ts.ScriptTarget.Latest,
      true,
    )
    expect((source as unknown as { parseDiagnostics: unknown[] }).parseDiagnostics).toEqual([])
    expect(source.statements).toHaveLength(2)
    expect(commentText(text)).not.toMatch(/\*\/|@ts-|[\u2028\u202e]/)
  })

  test('nothing that is taken out of a comment joins what was apart', () => {
    const unseen = [
      ...Array.from({ length: 32 }, (_, at) => at),
      0x7f,
      ...Array.from({ length: 32 }, (_, at) => 0x80 + at),
      0x61c,
      0x200e,
      0x200f,
      0x2028,
      0x2029,
      0x202a,
      0x202e,
      0x2066,
      0x2069,
      0xfeff,
    ].map((at) => String.fromCharCode(at))
    for (const c of unseen)
      for (const text of [
        `*${c}/ evil()`,
        `*${c}${c}/`,
        `@${c}ts-nocheck`,
        `@_${c}_NO_SIDE_EFFECTS__`,
      ])
        expect(docComment([text]).join('\n').slice(3, -2)).not.toMatch(/\*\/|@ts-|@__/)
  })

  test('random text comes back from a literal as it was', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) =>
        expect(new Function(`return ${quoted(text)}`)()).toBe(text),
      ),
    )
  })

  test('in names and documentation of a WSDL', async () => {
    const folder = await freshFolder()
    for (const name of ['desk.xsd', 'dues.xsd', 'harbour.xsd'])
      await writeFile(join(folder, name), await readFile(join(repository, 'demo/berths', name)))
    const evil = 'x*/ globalThis.evil = 1 /* `${evil}` \' " @ts-nocheck'
    const text = (await readFile(join(repository, 'demo/berths/desk.wsdl'), 'utf8'))
      .replace('One berth, by its code on the quay.', evil)
      .replaceAll('http://desk.brackmouth.example/desk', "http://x/'+evil()+'")
      .replace('soapAction="urn:brackmouth:desk:getBerth"', 'soapAction="\'+evil()+\'"')
      .replace('<wsdl:service name="BerthDesk"', '<wsdl:service name="\'];evil()"')
    await writeFile(join(folder, 'desk.wsdl'), text)
    const documents = await loadDocuments(folder, { recognise: (each) => soap.recognise(each) })
    const files = generate(await readWsdl(documents, 'x'))
    const { folder: compiled, said } = await compile(files)
    expect(said).toBe('')
    await execute(
      join(repository, 'node_modules/.bin/esbuild'),
      ['index.ts', '--bundle', '--format=esm', '--platform=node', '--outfile=out.mjs'],
      { cwd: compiled },
    )
    const run = await execute(
      process.execPath,
      [
        '-e',
        'globalThis.evil = () => console.log("ran"); import("./out.mjs").then((m) => console.log(Object.keys(m.endpoints).length, globalThis.evil === 1))',
      ],
      { cwd: compiled },
    )
    expect(run.stdout).toBe('2 false\n')
  })
})

test.each([
  ['BerthDesk', 'berthDesk'],
  ['Default', 'defaultClient'],
  ['Console', 'consoleClient'],
  ['Each', 'eachClient'],
  ['\u6e2f', '\u6e2fClient'],
])('the variable of %s in examples is %s, which is free', (name, variable) =>
  expect(String(clientVariable({ class: name } as Names))).toBe(variable),
)

describe('a page', () => {
  test('imports what its lines use, under another name where one is taken', () => {
    const page = new Page('operations/quote')
    page.declare('quote')
    page.print(
      code`const x: ${page.useType('types', 'Quote')} = ${page.use('codecs', 'quote')}`,
      page.use('types', 'Quote'),
    )
    expect(page.text({ importSuffix: '.js' })).toBe(
      "import { quote as quoteCodecs } from '../codecs.js'\nimport { Quote } from '../types.js'\n\nconst x: Quote = quoteCodecs\nQuote\n",
    )
  })

  test('finds modules beside it, above it, below it, of its own folder, and the runtime wherever that is', () => {
    const from = (module: string, runtimeFolder?: '../runtime'): string[] => {
      const page = new Page(module)
      for (const to of ['types', 'types/common', 'client', 'runtime/soap/soap', 'runtime/plain'])
        if (to !== module) page.print(page.use(to, `from${to.replace(/\W/g, '')}`))
      const text = page.text({ importSuffix: '.js', runtimeFolder })
      return [...text.matchAll(/from '(.*)'/g)].map(([, address = '']) => address).sort()
    }
    expect(from('types/common')).toEqual([
      '../client.js',
      '../runtime/plain.js',
      '../runtime/soap/soap.js',
      '../types.js',
    ])
    expect(from('index')).toEqual([
      './client.js',
      './runtime/plain.js',
      './runtime/soap/soap.js',
      './types.js',
      './types/common.js',
    ])
    expect(from('index', '../runtime')).toEqual([
      '../runtime/plain.js',
      '../runtime/soap/soap.js',
      './client.js',
      './types.js',
      './types/common.js',
    ])
    expect(from('types/common', '../runtime')).toContain('../../runtime/soap/soap.js')
  })
})
