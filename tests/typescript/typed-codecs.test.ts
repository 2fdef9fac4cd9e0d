import { mkdir, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { expect, test } from '@jest/globals'
import { buildClient } from '../../src/app/generate-client.js'
import { openContract } from '../../src/app/contracts/open-contract.js'
import { fromJson } from '../../src/runtime/http/json.js'
import type { AnyJsonRef } from '../../src/runtime/http/json-codec.js'
import { complaints } from '../support/compilers.js'
import { liveHttp } from '../support/descriptions.js'
import { freshFolder, repository } from '../support/program.js'

/**
 * Is the compiler a judge of generated codecs and operations? One thing after the other is made
 * wrong in them, and each time it must complain.
 */

/** What values of the runtime's simple codecs are in TypeScript. */
const kinds: Readonly<Record<string, string>> = {
  text: 'string',
  string: 'string',
  token: 'string',
  date: 'string',
  dateTime: 'string',
  dateTimeOffset: 'string',
  decimal: 'string',
  duration: 'string',
  guid: 'string',
  timeOfDay: 'string',
  double: 'number',
  int: 'number',
  int32: 'number',
  integer: 'number',
  unsignedShort: 'number',
  int64: 'bigint',
  long: 'bigint',
  boolean: 'boolean',
  base64: 'bytes',
  base64Binary: 'bytes',
}

/** One page with one thing wrong in it. */
interface Mutant {
  readonly what: string
  readonly text: string
}

/** What stands in a page, in whatever place: a member's name, or a codec. */
const member = /^( +)(\w+|'[^']+')(?=: \{ (?:in|is|element|attribute):)/
const value =
  /(?<=\b(?:is|element|attribute|items|values|restricts|codec|of): (?:\(\) => )?)(\w+)\b/g

/**
 * A page made wrong in all the ways there are: a member of another name, a codec of values of
 * another kind.
 *
 * @param records members by the constant of each record's codec
 * @param own the simple codecs that the client has
 */
function mutantsOf(
  text: string,
  records: ReadonlyMap<string, string>,
  own: readonly string[],
): Mutant[] {
  const lines = text.split('\n')
  const module = /'(\.[^']*\/(?:values|simple|edm4)\.js)'/.exec(text)?.[1]
  // What stands in for another is there, so that nothing is wrong but that.
  const importOf = (name: string): string => {
    if (
      new RegExp(`^(?:import.*|  )\\b${name}\\b(?:,| \\}|$)|^export const ${name}:`, 'm').test(text)
    )
      return ''
    return `import { ${name} } from '${kinds[name] === undefined ? '../codecs.js' : (module ?? '')}'\n`
  }
  const simple = own.filter((name) => kinds[name] !== undefined)
  const made: Mutant[] = []
  let isHalfKnown = false
  for (const [at, line] of lines.entries()) {
    // Of parts, alternatives, faults and what only stands in addresses the compiler knows less.
    if (/^\S/.test(line) || /^ {2}\S/.test(line)) isHalfKnown = false
    if (/\b(?:allOf|oneOf|faults|headers|targets|on|within)\b/.test(line)) isHalfKnown = true
    if (isHalfKnown) continue
    if (member.test(line))
      made.push({
        what: `${line.trim()} has another name`,
        text: lines.with(at, line.replace(member, '$1notThere')).join('\n'),
      })
    for (const found of line.matchAll(value)) {
      const [name] = found
      const others =
        kinds[name] === undefined
          ? [...records.keys()].filter(
              (each) => records.get(each) !== records.get(name) && !isOtherWay(each, name),
            )
          : simple.filter((each) => kinds[each] !== kinds[name])
      const [other] = others
      if (other === undefined || (kinds[name] === undefined && !records.has(name))) continue
      const wrong = line.slice(0, found.index) + other + line.slice(found.index + name.length)
      made.push({
        what: `${line.trim()} -> ${wrong.trim()}`,
        text: importOf(other) + lines.with(at, wrong).join('\n'),
      })
    }
  }
  return made
}

/**
 * Are both of one type, as it is sent and as it is answered? What only one of them has may be left
 * out, so that TypeScript takes one for the other.
 */
function isOtherWay(one: string, other: string): boolean {
  return one === `${other}Input` || other === `${one}Input`
}

test.each([
  ['SOAP', 'demo/berths/desk.wsdl'],
  ['HTTP', 'demo/ferries/openapi.yaml'],
  ['OData', 'demo/registry/registry.xml'],
])('what is wrong in codecs and operations over %s does not compile', async (_, source) => {
  const { files } = await buildClient(await openContract(join(repository, source)))
  const folder = await freshFolder()
  const codecs = files.find(({ path }) => path === 'codecs.ts')?.text ?? ''
  const records = new Map(
    [
      ...codecs.matchAll(
        /^export const (\w+): [^=]* = \{\n(?: {2}(?!members)[^\n]*\n)* {2}members: ([\s\S]*?)\n\}$/gm,
      ),
    ].map(([, name = '', members = '']) => [name, members]),
  )
  const write = async (path: string, text: string): Promise<void> => {
    await mkdir(dirname(join(folder, 'src', path)), { recursive: true })
    await writeFile(join(folder, 'src', path), text)
  }
  const own = [...codecs.matchAll(/\b\w+\b/g)].map(([name]) => name)
  for (const { path, text } of files) await write(path, text)
  const settings = { noUnusedLocals: false, isolatedDeclarations: false, skipLibCheck: true }
  expect(await complaints(folder, settings)).toBe('')
  const all = files
    .filter(({ path }) => /^codecs\.ts$|^operations\//.test(path))
    .flatMap(({ path, text }) =>
      mutantsOf(text, records, own).map((mutant, at) => ({
        ...mutant,
        path: path.replace(/\.ts$/, `.mutant${String(at)}.ts`),
      })),
    )
  for (const { path, text } of all) await write(path, text)
  const said = await complaints(folder, settings)
  expect(said).not.toMatch(/TS(?:2304|2305|2307|2552)/)
  const survivors = all.filter(({ path }) => !said.includes(`src/${path}(`))
  expect(survivors.map(({ path, what }) => `${path}: ${what}`)).toEqual([])
  expect(all.length).toBeGreaterThan(50)
})

test('a union of very many alternatives compiles, and finds the one that is meant', async () => {
  const kinds = Array.from({ length: 1200 }, (_, at) => `Kind${String(at)}`)
  const refs = kinds.map((name) => ({ $ref: `#/components/schemas/${name}` }))
  const json = { 'application/json': { schema: { $ref: '#/components/schemas/Any' } } }
  const description = {
    openapi: '3.1.0',
    info: { title: 'Very many', version: '1' },
    servers: [{ url: 'http://quay.example' }],
    paths: {
      '/any': {
        get: { operationId: 'any', responses: { 200: { description: 'd', content: json } } },
      },
    },
    components: {
      schemas: {
        Any: { oneOf: refs, discriminator: { propertyName: 'kind' } },
        ...Object.fromEntries(
          kinds.map((name) => [
            name,
            {
              type: 'object',
              required: ['kind', name],
              properties: { kind: { type: 'string' }, [name]: { type: 'integer' } },
            },
          ]),
        ),
      },
    },
  }
  const folder = await freshFolder()
  const file = join(folder, 'many.json')
  await writeFile(file, JSON.stringify(description))
  const open = await openContract(file)
  const { files } = await buildClient(open)
  for (const { path, text } of files) {
    await mkdir(dirname(join(folder, 'src', path)), { recursive: true })
    await writeFile(join(folder, 'src', path), text)
  }
  expect(await complaints(folder, { skipLibCheck: true })).toBe('')
  const { answers } = liveHttp(open.contract, 'any')
  const { is } = answers['200'] as { is: AnyJsonRef }
  const read = (kind: string): unknown => fromJson(is, { kind, Kind1100: 1 }, '', () => undefined)
  expect(read('Kind1100')).toEqual({ kind: 'Kind1100', Kind1100: 1 })
  expect(() => fromJson(is, { kind: 'Kind1100', Kind1100: 'x' }, '', () => undefined)).toThrow(
    'promised was a whole number',
  )
})
