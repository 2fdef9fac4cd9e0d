// Do import and generate keep in step with very large descriptions, in time and in memory? Run
// with: npm run build && node bench/scale.js [json|yaml]
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
import { gzipSync } from 'node:zlib'
import { build } from 'esbuild'
import { stringify } from 'yaml'

const program = resolve('dist/bin/main.js')
const base = mkdtempSync(join(tmpdir(), 'tolmach-scale-'))
const prose = 'A place at the quay, with its depth at low water. '

/** The module and the name of the first operation of a client whose name is like that. */
function operationLike(client, pattern) {
  const declared = new RegExp(`export function (${pattern.source}\\w*)`)
  const folder = join(client, 'operations')
  for (const file of readdirSync(folder).sort()) {
    const found = declared.exec(readFileSync(join(folder, file), 'utf8'))
    if (found !== null) return [file.replace(/\.ts$/, ''), found[1]]
  }
  throw new Error(`no operation is like ${pattern.source}`)
}

/**
 * A description of this many operations: three schemas for each, which share members, extend and
 * contain each other.
 */
function description(count) {
  const ref = (name) => ({ $ref: `#/components/schemas/${name}` })
  const content = (schema) => ({ content: { 'application/json': { schema } } })
  const schemas = {
    Problem: {
      type: 'object',
      required: ['title'],
      properties: {
        title: { type: 'string' },
        detail: { type: 'string' },
        status: { type: 'integer' },
      },
    },
    Money: {
      type: 'object',
      required: ['amount', 'currency'],
      properties: {
        amount: { type: 'string', format: 'decimal' },
        currency: { type: 'string', enum: ['NOK', 'DKK', 'EUR'] },
      },
    },
    Page: {
      type: 'object',
      required: ['total'],
      properties: {
        total: { type: 'integer', format: 'int64' },
        next: { type: 'string', format: 'uri' },
      },
    },
    Entity: {
      type: 'object',
      required: ['id'],
      properties: {
        id: { type: 'integer', format: 'int64', readOnly: true },
        changed: { type: 'string', format: 'date-time', readOnly: true },
      },
    },
  }
  const paths = {}
  for (let at = 0; at < count; at += 1) {
    // Types refer to each other in circles, but not all of them in one: real ones stay in their
    // part of the service.
    const other = Math.min(at - (at % 10) + (((at % 10) * 7 + 3) % 10), count - 1)
    schemas[`Berth${at}`] = {
      description: prose.repeat(2),
      allOf: [
        ref('Entity'),
        {
          type: 'object',
          required: ['code', 'dues'],
          properties: {
            code: {
              type: 'string',
              pattern: '^[A-Z]{2}[0-9]+$',
              maxLength: 12,
              description: prose,
            },
            depth: { type: 'number', minimum: 0, description: 'Metres at low water.' },
            dues: ref('Money'),
            parent: ref(`Berth${other}`),
            stays: { type: 'array', items: ref(`Stay${at}`), maxItems: 100 },
            tags: { type: 'object', additionalProperties: { type: 'string' } },
            state: { type: 'string', enum: ['free', 'taken', 'closed'] },
          },
        },
      ],
    }
    schemas[`Stay${at}`] = {
      type: 'object',
      description: prose,
      required: ['from', 'vessel'],
      properties: {
        from: { type: 'string', format: 'date' },
        until: { type: 'string', format: 'date', nullable: true },
        vessel: {
          type: 'object',
          properties: {
            name: { type: 'string' },
            length: { type: 'number' },
            berth: ref(`Berth${at}`),
          },
        },
        notes: { type: 'array', items: { type: 'string' } },
      },
    }
    schemas[`Berths${at}`] = {
      allOf: [
        ref('Page'),
        { type: 'object', properties: { items: { type: 'array', items: ref(`Berth${at}`) } } },
      ],
    }
    const path = (paths[`/basin${Math.floor(at / 2)}/berths${at % 2 === 0 ? '' : '/{code}'}`] ??=
      {})
    path[at % 2 === 0 ? 'get' : 'put'] = {
      operationId: `${at % 2 === 0 ? 'list' : 'change'}Berth${at}`,
      tags: [`basin ${at % 60}`],
      summary: at % 2 === 0 ? 'Lists berths.' : 'Changes a berth.',
      description: prose.repeat(3),
      parameters:
        at % 2 === 0
          ? [
              {
                name: 'state',
                in: 'query',
                description: prose,
                schema: { type: 'array', items: { type: 'string' } },
                style: 'form',
                explode: false,
              },
              { name: 'limit', in: 'query', schema: { type: 'integer', minimum: 1, maximum: 500 } },
            ]
          : [
              {
                name: 'code',
                in: 'path',
                required: true,
                description: prose,
                schema: { type: 'string' },
              },
            ],
      ...(at % 2 === 0 ? {} : { requestBody: { required: true, ...content(ref(`Berth${at}`)) } }),
      responses: {
        200: { description: 'Done.', ...content(ref(at % 2 === 0 ? `Berths${at}` : `Berth${at}`)) },
        404: { description: 'Not there.', ...content(ref('Problem')) },
        default: { description: 'Something else.', ...content(ref('Problem')) },
      },
    }
  }
  return {
    openapi: '3.0.3',
    info: { title: 'Basins', version: '1' },
    servers: [{ url: 'http://127.0.0.1:1/' }],
    paths,
    components: { schemas },
  }
}

/** Wall time and peak memory of a process. */
function run(words, cwd) {
  const script = `import resource, subprocess, sys, time\nstarted = time.time()\ncode = subprocess.call(sys.argv[1:], stdout=subprocess.DEVNULL)\nprint(time.time() - started, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)\nsys.exit(code)`
  const { status, stdout, stderr } = spawnSync(
    'python3',
    ['-c', script, process.execPath, ...words],
    {
      cwd,
      encoding: 'utf8',
      env: { ...process.env, XDG_CACHE_HOME: join(cwd, 'cache'), NODE_OPTIONS: '' },
    },
  )
  if (status !== 0) throw new Error(stderr)
  const [seconds, kilobytes] = stdout.trim().split(' ').map(Number)
  return { seconds, megabytes: kilobytes / 1024 }
}

const all = { json: [1000, 2500, 5000, 10000, 20000], yaml: [1000, 2000, 4000] }
const [wanted, ...counts] = process.argv.slice(2)
const rows = []
for (const format of wanted === undefined ? ['json', 'yaml'] : [wanted]) {
  for (const count of counts.length > 0 ? counts.map(Number) : all[format]) {
    const folder = join(base, `${format}-${count}`)
    mkdirSync(folder)
    const file = `api.${format}`
    const text =
      format === 'json'
        ? JSON.stringify(description(count), null, count > 5000 ? 0 : 1)
        : stringify(description(count), { aliasDuplicateObjects: false })
    writeFileSync(join(folder, file), text)
    const imported = run([program, 'import', file, '--as', 'basins'], folder)
    const generated = run([program, 'generate', 'basins'], folder)
    const client = join(folder, 'src/clients/basins')
    const files = readdirSync(client, { recursive: true }).filter((name) =>
      statSync(join(client, name)).isFile(),
    )
    const sizes = files.map((name) => readFileSync(join(client, name)).length)
    writeFileSync(
      join(folder, 'floor.mjs'),
      `import { readFileSync, writeFileSync, mkdirSync } from 'node:fs'\n${format === 'yaml' ? `import { parse } from '${import.meta.resolve('yaml')}'\n` : ''}${format === 'json' ? 'JSON.parse' : 'parse'}(readFileSync('${file}', 'utf8'))\nmkdirSync('floor')\nlet at = 0\nfor (const size of ${JSON.stringify(sizes)}) writeFileSync('floor/' + at++, 'x'.repeat(size))\n`,
    )
    const floor = run([join(folder, 'floor.mjs')], folder)
    const row = {
      format,
      count,
      size: text.length / 1e6,
      files: files.length,
      written: sizes.reduce((sum, each) => sum + each, 0) / 1e6,
      imported,
      generated,
      floor,
    }
    if (format === 'json' && count <= 5000) {
      writeFileSync(join(folder, 'package.json'), '{"type":"module"}')
      writeFileSync(
        join(folder, 'tsconfig.json'),
        JSON.stringify({
          compilerOptions: {
            target: 'ES2022',
            lib: ['ES2022', 'DOM'],
            types: [],
            module: 'NodeNext',
            moduleResolution: 'NodeNext',
            strict: true,
            noEmit: true,
            skipLibCheck: true,
          },
          include: ['src'],
        }),
      )
      spawnSync('ln', ['-s', resolve('node_modules'), join(folder, 'node_modules')])
      row.check = run([resolve('node_modules/typescript-7/bin/tsc'), '-p', '.'], folder).seconds
      const [module, one] = operationLike(join(folder, 'src/clients/basins'), /changeBerth1[A-Z]/)
      writeFileSync(
        join(folder, 'src/one.ts'),
        "import { connect } from './clients/basins/settings.js'\nimport { " +
          one +
          " } from './clients/basins/operations/" +
          module +
          ".js'\nconsole.log(await " +
          one +
          "(connect(), JSON.parse('{}')))\n",
      )
      const bundled = await build({
        entryPoints: [join(folder, 'src/one.ts')],
        bundle: true,
        minify: true,
        write: false,
        format: 'esm',
        platform: 'browser',
        logLevel: 'silent',
      })
      row.bundle = [
        bundled.outputFiles[0].contents.length,
        gzipSync(bundled.outputFiles[0].contents).length,
      ]
    }
    rows.push(row)
    const before = rows.at(-2)?.format === format ? rows.at(-2) : undefined
    const both = imported.seconds + generated.seconds
    console.log(
      `| ${format} | ${count} | ${row.size.toFixed(1)} MB | ${row.files} | ${row.written.toFixed(1)} MB | ${imported.seconds.toFixed(1)} s | ${generated.seconds.toFixed(1)} s | ${before === undefined ? '' : `${(both / (before.imported.seconds + before.generated.seconds)).toFixed(2)} for ${(count / before.count).toFixed(1)}`} | ${(both / floor.seconds).toFixed(1)} | ${imported.megabytes.toFixed(0)} MB, ${(imported.megabytes / row.size).toFixed(1)} | ${generated.megabytes.toFixed(0)} MB, ${(generated.megabytes / row.size).toFixed(1)} | ${row.check?.toFixed(1) ?? ''} | ${row.bundle?.join(', ') ?? ''} |`,
    )
    rmSync(folder, { recursive: true, force: true })
  }
}
rmSync(base, { recursive: true, force: true })
