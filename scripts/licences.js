// Whoever gets packages that are built in gets their licences, too.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

/** The packages of files in node_modules, each once. */
export function packagesOf(files) {
  const names = files.flatMap(
    (file) => /node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(file)?.[1] ?? [],
  )
  return [...new Set(names)]
}

/** Writes what packages say of who may use them into a folder. */
export function writeLicences(folder, packages) {
  const licences = [...packages].sort().map(licenceOf)
  writeFileSync(join(folder, 'LICENCES.txt'), licences.join(`\n${'-'.repeat(72)}\n\n`))
}

function licenceOf(name) {
  const at = join('node_modules', name)
  const about = JSON.parse(readFileSync(join(at, 'package.json'), 'utf8'))
  const file = readdirSync(at).find((each) => /^licen[cs]e/i.test(each))
  const text = file === undefined ? '' : readFileSync(join(at, file), 'utf8').trim()
  return `${name} ${about.version} (${about.license ?? 'see below'})\n\n${text}\n`
}
