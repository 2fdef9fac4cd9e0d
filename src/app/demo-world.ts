import { cp, mkdir, readFile, readdir, rm, writeFile } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { problem } from '../contract/problem.js'
import { packageFolder } from './package-files.js'
import { playRecording } from './recorded-service.js'
import { serveContracts } from './serve-contracts.js'

/** A file that says a folder was made by the demo, and so may be made again. */
const mark = '.made-by-tolmach-demo'

/** A step of the tour through the made-up world. */
export interface TourStep {
  readonly say: string
  /** What stands behind `tolmach` on the command line. */
  readonly words: readonly string[]
  /** The exit code that it is meant to have; 0 when left out. */
  readonly exit?: number
  /** The program in `src` that is mended first, as a person would by hand. */
  readonly mend?: string
}

/** The contracts of the made-up world, with the document that each starts from. */
const world = [
  { name: 'berths', document: 'desk.wsdl' },
  { name: 'ferries', document: 'openapi.yaml' },
  { name: 'registry', document: 'registry.xml' },
  { name: 'cargo', document: 'cargo.xml' },
] as const

export interface Demo {
  /** As it was named. */
  readonly folder: string
  /** Where the metadata of each contract is served. */
  readonly metadata: Readonly<Record<(typeof world)[number]['name'], string>>
  readonly tour: readonly TourStep[]
  stop(): Promise<void>
}

/**
 * Prepares a folder for the demo and starts the stand-ins of the made-up world.
 *
 * @throws Problem TM-1017 when the folder has something of somebody's in it
 */
export async function openDemo(folder: string): Promise<Demo> {
  const path = resolve(folder)
  // Its services are on this machine, whatever proxy leads to others.
  process.env['NO_PROXY'] = [
    process.env['NO_PROXY'] ?? process.env['no_proxy'] ?? '',
    '127.0.0.1',
    'localhost',
  ]
    .filter((each) => each !== '')
    .join(',')
  Reflect.deleteProperty(process.env, 'no_proxy')
  const present = await readdir(path).catch((): string[] => [])
  if (present.length > 0 && !present.includes(mark)) throw problem('TM-1017', { folder })
  await rm(path, { recursive: true, force: true })
  await mkdir(join(path, 'rehearsals'), { recursive: true })
  await writeFile(
    join(path, mark),
    'This folder was made by `tolmach demo`, which makes it anew each time.\n',
  )
  const later = join(packageFolder, 'demo', 'second-edition')
  for (const name of ['berths', 'registry'])
    await cp(join(later, name), join(path, 'second-edition', name), { recursive: true })
  await cp(join(later, 'src', 'fleet.ts'), join(path, 'src', 'fleet.ts'))
  await writeFile(join(path, 'package.json'), '{ "type": "module", "private": true }\n')
  await writeFile(join(path, 'tsconfig.json'), `${JSON.stringify(usualSettings, null, 2)}\n`)
  const served = await Promise.all(
    world.map(async ({ name, document }) => {
      const source = join(packageFolder, 'demo', name)
      await cp(join(source, 'seed.yaml'), join(path, 'seeds', `${name}.yaml`))
      await cp(join(source, 'samples'), join(path, 'samples', name), { recursive: true })
      for (const file of await readdir(join(source, 'rehearsals')))
        await cp(join(source, 'rehearsals', file), join(path, 'rehearsals', file))
      const standIn = await serveContracts([join(source, document)], {
        project: path,
        seed: join(source, 'seed.yaml'),
      })
      const [address] = standIn.addresses
      return { name, standIn, metadata: address?.metadata ?? '', service: address?.service ?? '' }
    }),
  )
  // The gauge publishes no metadata: all there is of it is what was recorded.
  const recording = await readFile(join(packageFolder, 'demo', 'tide', 'tide.har'), 'utf8')
  await mkdir(join(path, 'recorded'), { recursive: true })
  await writeFile(join(path, 'recorded', 'tide.har'), recording)
  const tide = await playRecording(recording, 'tide.har')
  const addresses = served.map(({ name, metadata, service }) => ({
    placeholder: `{${name}}`,
    // The register is read from its service root.
    address: name === 'registry' ? service : metadata,
  }))
  addresses.push({ placeholder: '{tide}', address: tide.address })
  return {
    folder,
    metadata: Object.fromEntries(
      served.map(({ name, metadata }) => [name, metadata]),
    ) as Demo['metadata'],
    tour: (await readTour()).map((step) => ({
      ...step,
      words: step.words.map((word) =>
        addresses.reduce(
          (all, { placeholder, address }) => all.replaceAll(placeholder, () => address),
          word,
        ),
      ),
    })),
    stop: async () => {
      await Promise.all([tide.stop(), ...served.map(({ standIn }) => standIn.stop())])
    },
  }
}

/** Mends a program of the demo as a person would who read what has changed. */
export async function mend(folder: string, name: string): Promise<void> {
  const mended = join(packageFolder, 'demo', 'second-edition', 'src', `${name}-mended.ts`)
  await cp(mended, join(folder, 'src', `${name}.ts`))
}

/** What a project of today says to its compiler. */
const usualSettings = {
  compilerOptions: {
    target: 'es2022',
    module: 'nodenext',
    strict: true,
    noEmit: true,
    skipLibCheck: true,
    lib: ['es2022', 'dom'],
    types: [],
  },
  include: ['src'],
}

async function readTour(): Promise<readonly TourStep[]> {
  const { parse } = await import('yaml')
  const text = await readFile(join(packageFolder, 'demo', 'tour.yaml'), 'utf8')
  return (parse(text) as { readonly steps: readonly TourStep[] }).steps
}
