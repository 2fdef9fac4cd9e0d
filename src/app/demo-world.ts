import { cp, mkdir, readdir, rm, writeFile } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { problem } from '../contract/problem.js'
import { packageFolder } from './package-files.js'
import { serveContracts } from './serve-contracts.js'

/** A file that says a folder was made by the demo, and so may be made again. */
const mark = '.made-by-tolmach-demo'

export interface Demo {
  /** As it was named. */
  readonly folder: string
  readonly service: string
  readonly metadata: string
  stop(): Promise<void>
}

/**
 * Prepares a folder for the demo and starts the stand-ins of the made-up world.
 *
 * @throws Problem TM-1017 when the folder has something of somebody's in it
 */
export async function openDemo(folder: string): Promise<Demo> {
  const path = resolve(folder)
  const present = await readdir(path).catch((): string[] => [])
  if (present.length > 0 && !present.includes(mark)) throw problem('TM-1017', { folder })
  await rm(path, { recursive: true, force: true })
  await mkdir(path, { recursive: true })
  await writeFile(join(path, mark), 'This folder was made by `tolmach demo`, which makes it anew each time.\n')
  const world = join(packageFolder, 'demo', 'berths')
  await cp(join(world, 'seed.yaml'), join(path, 'seeds', 'berths.yaml'))
  await cp(join(world, 'samples'), join(path, 'samples', 'berths'), { recursive: true })
  const standIn = await serveContracts([join(world, 'desk.wsdl')], { project: path, seed: join(world, 'seed.yaml') })
  const [address] = standIn.addresses
  return { folder, service: address?.service ?? '', metadata: address?.metadata ?? '', stop: () => standIn.stop() }
}
