// Does the time to import and generate grow in step with the size? Run with: npm run build && node
// bench/sizes.js
import { spawnSync } from 'node:child_process'
import {
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

const sizes = [500, 1000, 2000]
/** A WSDL has ten types for each operation. */
const fewer = { WSDL: [75, 150, 300] }
const rounds = 5
const program = resolve('dist/bin/main.js')
const base = mkdtempSync(join(tmpdir(), 'tolmach-sizes-'))

/**
 * A description with this many operations, each with parameters, a payload and an answer of its own
 * types.
 */
function description(count) {
  const paths = {}
  const schemas = {
    Problem: { type: 'object', required: ['title'], properties: { title: { type: 'string' } } },
  }
  for (let at = 0; at < count; at += 1) {
    const ref = (name) => ({
      content: { 'application/json': { schema: { $ref: `#/components/schemas/${name}` } } },
    })
    schemas[`Berth${at}`] = {
      type: 'object',
      description: 'A place at the quay.',
      required: ['code'],
      properties: {
        code: { type: 'string', pattern: '^[A-Z]+$' },
        depth: { type: 'number', minimum: 0 },
        number: { type: 'integer', format: 'int64', readOnly: true },
        next: { $ref: `#/components/schemas/Berth${(at + 1) % count}` },
      },
    }
    paths[`/basin${at}/berths/{code}`] = {
      post: {
        operationId: `changeBerth${at}`,
        tags: [`basin${at % 40}`],
        summary: 'Changes a berth.',
        parameters: [
          { name: 'code', in: 'path', required: true, schema: { type: 'string' } },
          { name: 'dry', in: 'query', schema: { type: 'boolean' } },
        ],
        requestBody: { required: true, ...ref(`Berth${at}`) },
        responses: {
          200: { description: 'Done.', ...ref(`Berth${at}`) },
          404: { description: 'Not there.', ...ref('Problem') },
        },
      },
    }
  }
  return JSON.stringify(
    {
      openapi: '3.1.0',
      info: { title: 'Basins', version: '1' },
      servers: [{ url: 'http://127.0.0.1:1/' }],
      paths,
      components: { schemas },
    },
    null,
    1,
  )
}

/**
 * OData metadata with this many operations: seven for each entity set, whose types hang together.
 */
function metadata(count) {
  const sets = Math.ceil(count / 7)
  const kinds = ['String', 'Int64', 'Decimal', 'DateTimeOffset', 'Boolean']
  const types = Array.from(
    { length: sets },
    (_, at) =>
      `<EntityType Name="Berth${at}"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/>${kinds.map((kind) => `<Property Name="A${kind}" Type="Edm.${kind}"/>`).join('')}<NavigationProperty Name="Next" Type="Ns.Berth${(at + 1) % sets}"/><NavigationProperty Name="Others" Type="Collection(Ns.Berth${(at * 7) % sets})"/></EntityType>`,
  )
  const container = Array.from(
    { length: sets },
    (_, at) => `<EntitySet Name="Berths${at}" EntityType="Ns.Berth${at}"/>`,
  )
  return `<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="Ns" xmlns="http://docs.oasis-open.org/odata/ns/edm">\n${types.join('\n')}\n<EntityContainer Name="Basins">${container.join('\n')}</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>`
}

/** A WSDL with this many operations and ten times as many types, which hang together. */
function definitions(count) {
  const types = Array.from(
    { length: count * 10 },
    (_, at) =>
      `<xs:complexType name="Berth${at}"><xs:sequence><xs:element name="Code" type="xs:string"/><xs:element name="Length" type="xs:decimal" minOccurs="0"/><xs:element name="Next" type="t:Berth${(at * 7 + 1) % (count * 10)}" minOccurs="0" maxOccurs="unbounded"/><xs:choice><xs:element name="Quay" type="xs:int"/><xs:element name="Buoy" type="xs:string"/></xs:choice></xs:sequence><xs:attribute name="Number" type="xs:long"/></xs:complexType>`,
  )
  const each = (make) => Array.from({ length: count }, (_, at) => make(at)).join('\n')
  const elements = each(
    (at) =>
      `<xs:element name="ask${at}"><xs:complexType><xs:sequence><xs:element name="Berth" type="t:Berth${at * 10}"/></xs:sequence></xs:complexType></xs:element><xs:element name="ask${at}Response"><xs:complexType><xs:sequence><xs:element name="Found" type="t:Berth${at * 10 + 5}" maxOccurs="unbounded"/></xs:sequence></xs:complexType></xs:element>`,
  )
  return `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:basins" targetNamespace="urn:basins"><types><xs:schema targetNamespace="urn:basins" elementFormDefault="qualified">${types.join('\n')}${elements}</xs:schema></types>
${each((at) => `<message name="I${at}"><part name="parameters" element="t:ask${at}"/></message><message name="O${at}"><part name="parameters" element="t:ask${at}Response"/></message>`)}
<portType name="P">${each((at) => `<operation name="ask${at}"><input message="t:I${at}"/><output message="t:O${at}"/></operation>`)}</portType>
<binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>${each((at) => `<operation name="ask${at}"><soap:operation soapAction="ask${at}"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation>`)}</binding>
<service name="Basins"><port name="L" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></port></service></definitions>`
}

/** For each dialect: the document's name, its text, and how the floor parses it. */
const dialects = {
  WSDL: {
    file: 'api.wsdl',
    text: definitions,
    imports: `import { SaxesParser } from '${import.meta.resolve('saxes')}'\n`,
    parse: 'new SaxesParser({ xmlns: true }).write(text).close()',
  },
  OpenAPI: { file: 'api.json', text: description, imports: '', parse: 'JSON.parse(text)' },
  OData: {
    file: 'api.xml',
    text: metadata,
    imports: `import { SaxesParser } from '${import.meta.resolve('saxes')}'\n`,
    parse: 'new SaxesParser({ xmlns: true }).write(text).close()',
  },
}

const run = (words, cwd) => {
  const started = process.hrtime.bigint()
  const { status, stderr } = spawnSync(process.execPath, words, {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, XDG_CACHE_HOME: join(cwd, 'cache'), NODE_OPTIONS: '' },
  })
  if (status !== 0) throw new Error(stderr)
  return Number(process.hrtime.bigint() - started) / 1e6
}
const median = (times) => times.sort((a, b) => a - b)[Math.floor(times.length / 2)]
const results = []
for (const [dialect, { file, text, imports, parse }] of Object.entries(dialects))
  if (process.argv.length < 3 || process.argv.includes(dialect))
    for (const size of fewer[dialect] ?? sizes) {
      const times = { import: [], generate: [], floor: [] }
      for (let round = 0; round < rounds; round += 1) {
        const folder = join(base, `${dialect}-${size}-${round}`)
        mkdirSync(folder)
        writeFileSync(join(folder, file), text(size))
        times.import.push(run([program, 'import', file, '--as', 'basins'], folder))
        times.generate.push(run([program, 'generate', 'basins'], folder))
        const client = join(folder, 'src/clients/basins')
        const files = readdirSync(client, { recursive: true }).filter((name) =>
          statSync(join(client, name)).isFile(),
        )
        const bytes = files.map((name) => [
          `f${files.indexOf(name)}`,
          readFileSync(join(client, name)).length,
        ])
        writeFileSync(
          join(folder, 'floor.mjs'),
          `${imports}import { readFileSync, writeFileSync, mkdirSync } from 'node:fs'\nconst text = readFileSync('${file}', 'utf8')\n${parse}\nmkdirSync('floor')\nfor (const [name, size] of ${JSON.stringify(bytes)}) writeFileSync('floor/' + name, 'x'.repeat(size))\n`,
        )
        times.floor.push(run(['floor.mjs'], folder))
        if (round === 0) {
          const compilerOptions = {
            target: 'ES2022',
            lib: ['ES2022', 'DOM'],
            types: [],
            module: 'NodeNext',
            moduleResolution: 'NodeNext',
            strict: true,
            noEmit: true,
            skipLibCheck: true,
          }
          writeFileSync(
            join(folder, 'tsconfig.json'),
            JSON.stringify({ compilerOptions, include: ['src'] }),
          )
          writeFileSync(join(folder, 'package.json'), '{"type":"module"}')
          spawnSync('ln', ['-s', resolve('node_modules'), join(folder, 'node_modules')])
          results.push({
            dialect,
            size,
            files: files.length,
            check: run([resolve('node_modules/typescript-7/bin/tsc'), '-p', '.'], folder),
          })
        }
        rmSync(folder, { recursive: true, force: true })
      }
      Object.assign(results.at(-1), {
        import: median(times.import),
        generate: median(times.generate),
        floor: median(times.floor),
      })
    }
rmSync(base, { recursive: true, force: true })
console.log(
  '| document | operations | files | import | generate | both, to half the size | floor | both, to the floor | type check |\n|---|---|---|---|---|---|---|---|---|',
)
results.forEach((each, at) => {
  const both = each.import + each.generate
  const before = results[at - 1]?.dialect === each.dialect ? results[at - 1] : undefined
  console.log(
    `| ${each.dialect} | ${each.size} | ${each.files} | ${each.import.toFixed(0)} ms | ${each.generate.toFixed(0)} ms | ${before === undefined ? '' : (both / (before.import + before.generate)).toFixed(2)} | ${each.floor.toFixed(0)} ms | ${(both / each.floor).toFixed(1)} | ${each.check.toFixed(0)} ms |`,
  )
})
