// How fast are OData answers read, against fetching and parsing the same pages? Does metadata with
// many types take time in step? Run with: npm run build && node bench/odata.js
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { build } from 'esbuild'

const program = resolve('dist/bin/main.js')
const base = mkdtempSync(join(tmpdir(), 'tolmach-odata-'))
const [rows, pageSize] = [100_000, 1000]

const edmx = (inside) =>
  `<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="Bench" xmlns="http://docs.oasis-open.org/odata/ns/edm">${inside}</Schema></edmx:DataServices></edmx:Edmx>`
const entity = (exact) =>
  `<EntityType Name="Row"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.${exact ? 'Int64' : 'Int32'}" Nullable="false"/><Property Name="Name" Type="Edm.String" Nullable="false"/><Property Name="Kind" Type="Edm.String"/><Property Name="Level" Type="Edm.${exact ? 'Decimal' : 'Double'}" Nullable="false"/><Property Name="Count" Type="Edm.Int32" Nullable="false"/><Property Name="Day" Type="Edm.Date" Nullable="false"/><Property Name="At" Type="Edm.DateTimeOffset" Nullable="false"/><Property Name="Open" Type="Edm.Boolean" Nullable="false"/><Property Name="Note" Type="Edm.String"/></EntityType><EntityContainer Name="C"><EntitySet Name="Rows" EntityType="Bench.Row"/></EntityContainer>`

/** Serves all pages, made beforehand. */
function serve(exact, tagged) {
  const pages = Array.from({ length: rows / pageSize }, (_, page) => {
    const value = Array.from({ length: pageSize }, (__, at) => {
      const id = page * pageSize + at
      return {
        ...(tagged ? { '@odata.etag': `W/"${id}"` } : {}),
        Id: exact ? String(9007199254740993n + BigInt(id)) : id,
        Name: `Berth ${id}`,
        Kind: id % 3 === 0 ? null : 'quay',
        Level: exact ? `${id}.50` : id / 4,
        Count: id % 50,
        Day: '2026-11-23',
        At: '2026-11-23T14:30:00Z',
        Open: id % 2 === 0,
        Note: 'A place at the quay, with its depth at low water.',
      }
    })
    return Buffer.from(
      JSON.stringify({
        '@odata.context': '$metadata#Rows',
        value,
        ...(page + 1 < rows / pageSize ? { '@odata.nextLink': `Rows?page=${page + 1}` } : {}),
      }),
    )
  })
  const server = createServer((request, response) => {
    const page = Number(/page=(\d+)/.exec(request.url)?.[1] ?? 0)
    response.writeHead(200, { 'content-type': 'application/json' }).end(pages[page])
  })
  return new Promise((done) =>
    server.listen(0, '127.0.0.1', () =>
      done({ url: `http://127.0.0.1:${server.address().port}`, stop: () => server.close() }),
    ),
  )
}

const run = (words, cwd) => {
  const { status, stderr } = spawnSync(process.execPath, [program, ...words], {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, XDG_CACHE_HOME: join(cwd, 'cache') },
  })
  if (status !== 0) throw new Error(stderr)
}

const median = (times) => [...times].sort((a, b) => a - b)[Math.floor(times.length / 2)]

for (const [exact, tagged] of [
  [false, false],
  [false, true],
  [true, true],
]) {
  const folder = join(base, `${exact}-${tagged}`)
  mkdirSync(folder)
  writeFileSync(join(folder, 'rows.xml'), edmx(entity(exact)))
  run(['import', 'rows.xml', '--as', 'rows'], folder)
  run(['generate'], folder)
  await build({
    entryPoints: [join(folder, 'src/clients/rows/index.ts')],
    bundle: true,
    format: 'esm',
    platform: 'node',
    outfile: join(folder, 'client.mjs'),
    nodePaths: [resolve('node_modules')],
    logLevel: 'silent',
  })
  const { C } = await import(join(folder, 'client.mjs'))
  const { url, stop } = await serve(exact, tagged)
  const paged = async () => {
    let count = 0
    for await (const page of new C({ url }).Rows.list().pages())
      for (const row of page.rows) count += row.Id === undefined ? 0 : 1
    if (count !== rows) throw new Error(String(count))
  }
  const oneByOne = async () => {
    let count = 0
    for await (const row of new C({ url }).Rows.list()) count += row.Id === undefined ? 0 : 1
    if (count !== rows) throw new Error(String(count))
  }
  const floor = async () => {
    let count = 0
    for (let next = `${url}/Rows`; next !== undefined;) {
      const json = await (await fetch(next)).json()
      for (const row of json.value) count += row.Id === undefined ? 0 : 1
      next =
        json['@odata.nextLink'] === undefined
          ? undefined
          : new URL(json['@odata.nextLink'], next).href
    }
    if (count !== rows) throw new Error(String(count))
  }
  const times = { paged: [], oneByOne: [], floor: [] }
  for (let turn = 0; turn < 7; turn += 1) {
    for (const [name, what] of [
      ['floor', floor],
      ['paged', paged],
      ['oneByOne', oneByOne],
    ]) {
      const started = performance.now()
      await what()
      if (turn > 0) times[name].push(performance.now() - started)
    }
  }
  const rate = (name) => Math.round((rows / median(times[name])) * 1000)
  console.log(
    `${rows} rows, ${tagged ? 'with' : 'without'} ETags, ${exact ? 'with' : 'without'} exact numbers: page by page ${rate('paged')} rows a second (${(rate('paged') / rate('floor')).toFixed(2)}), row by row ${rate('oneByOne')} (${(rate('oneByOne') / rate('floor')).toFixed(2)}), fetch and JSON alone ${rate('floor')}`,
  )
  stop()
}

for (const count of process.argv[2] === 'rows' ? [] : [500, 1000, 2000]) {
  const folder = join(base, `types-${count}`)
  mkdirSync(folder)
  const types = Array.from(
    { length: count },
    (_, at) =>
      `<EntityType Name="Thing${at}"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/>${Array.from({ length: 12 }, (__, each) => `<Property Name="Property${each}" Type="Edm.${['String', 'Int32', 'Date', 'Decimal'][each % 4]}"/>`).join('')}<NavigationProperty Name="Next" Type="Bench.Thing${(at + 1) % count}"/><NavigationProperty Name="Others" Type="Collection(Bench.Thing${(at * 7) % count})"/></EntityType>`,
  )
  const sets = Array.from(
    { length: count },
    (_, at) => `<EntitySet Name="Things${at}" EntityType="Bench.Thing${at}"/>`,
  )
  writeFileSync(
    join(folder, 'many.xml'),
    edmx(`${types.join('')}<EntityContainer Name="C">${sets.join('')}</EntityContainer>`),
  )
  const times = ['import many.xml --as many', 'generate many'].map((words) => {
    const started = performance.now()
    run(words.split(' '), folder)
    return (performance.now() - started) / 1000
  })
  console.log(
    `${count} entity types: import ${times[0].toFixed(1)} s, generate ${times[1].toFixed(1)} s`,
  )
}
rmSync(base, { recursive: true, force: true })
