/**
 * What one operation of a client brings along in a bundle, minified and gzipped: everything in one
 * file, and what is loaded at once where a bundler keeps pieces apart that are imported later.
 * Without the packages, which are told apart.
 *
 *   node bench/carried.js [--files]
 */
import { mkdtemp, mkdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'
import { gzipSync } from 'node:zlib'
import { build } from 'esbuild'
import { buildClient } from '../dist/app/generate-client.js'
import { openContract } from '../dist/app/contracts/open-contract.js'

const clients = {
  berths: 'demo/berths/desk.wsdl',
  ferries: 'demo/ferries/openapi.yaml',
  cargo: 'demo/cargo/cargo.xml',
  registry: 'demo/registry/registry.xml',
}
const operations = [
  ['SOAP', 'berths', 'operations/listBerths', 'listBerths'],
  ['SOAP, with inputs and faults', 'berths', 'operations/reserveBerth', 'reserveBerth'],
  ['HTTP', 'ferries', 'operations/searchSailings', 'searchSailings'],
  ['HTTP, with a login', 'ferries', 'operations/listBookings', 'listBookings'],
  ['OData 2, a list', 'cargo', 'operations/listCrates', 'listCrates'],
  ['OData 4, a list', 'registry', 'operations/vessels', 'listVessels'],
]
const withFiles = process.argv.includes('--files')
const folder = await mkdtemp(join(tmpdir(), 'carried-'))
for (const [name, source] of Object.entries(clients)) {
  const { files } = await buildClient(await openContract(resolve(source)))
  for (const { path, text } of files) {
    const target = join(folder, name, path.replace(/^runtime\//, '../runtime/'))
    await mkdir(dirname(target), { recursive: true })
    await writeFile(
      target,
      text.replace(/(['"])((?:\.\.\/)*)(?:\.\/)?runtime\//g, '$1$2../runtime/'),
    )
  }
}

async function bundled(lines, splitting, external) {
  await writeFile(join(folder, 'main.ts'), lines.join('\n'))
  return build({
    entryPoints: [join(folder, 'main.ts')],
    outdir: join(folder, 'out'),
    bundle: true,
    write: false,
    minify: true,
    splitting,
    format: 'esm',
    platform: 'browser',
    target: 'es2022',
    metafile: true,
    nodePaths: [resolve('node_modules')],
    external: ['node:*', ...external],
    logLevel: 'silent',
  })
}

const kilobytes = (bytes) => `${(bytes / 1000).toFixed(1)} kB`
const zipped = (file) => gzipSync(file.contents, { level: 9 }).length
const packages = ['saxes']

async function measured(title, lines) {
  const ours = await bundled(lines, false, packages)
  const whole = await bundled(lines, false, [])
  const apart = await bundled(lines, true, packages)
  const atOnce = namesAtOnce(apart.metafile)
  const first = apart.outputFiles.filter(({ path }) => atOnce.has(resolve(path)))
  console.log(
    [
      title,
      zipped(ours.outputFiles[0]),
      first.reduce((sum, file) => sum + zipped(file), 0),
      zipped(whole.outputFiles[0]),
    ]
      .map((each) => (typeof each === 'number' ? kilobytes(each) : each))
      .join(' | '),
  )
  if (!withFiles) return
  const [output] = Object.values(ours.metafile.outputs)
  for (const [path, { bytesInOutput }] of Object.entries(output.inputs).sort(
    (a, b) => b[1].bytesInOutput - a[1].bytesInOutput,
  ))
    console.log(`   ${String(bytesInOutput).padStart(6)} ${path.replace(/^.*carried-\w+\//, '')}`)
}

/** The pieces that are reached from the entry without an import that waits. */
function namesAtOnce({ outputs }) {
  const reached = new Set()
  const waiting = Object.keys(outputs).filter((each) => each.endsWith('/main.js'))
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    if (reached.has(resolve(next))) continue
    reached.add(resolve(next))
    for (const { path, kind } of outputs[next].imports)
      if (kind === 'import-statement' && path in outputs) waiting.push(path)
  }
  return reached
}

console.log('what | in one file | loaded at once | in one file, with packages')
for (const [title, client, module, name] of operations)
  await measured(title, [
    `import { connect } from './${client}/settings.js'`,
    `import { ${name} } from './${client}/${module}.js'`,
    `console.log(await ${name}(connect({}), {} as never))`,
  ])
await measured('all four clients', [
  ...Object.keys(clients).map((name) => `import * as ${name} from './${name}/index.js'`),
  `console.log(${Object.keys(clients).join(', ')})`,
])
await rm(folder, { recursive: true })
