// Puts what draws pictures beside the program: of large packages that which is used, and two fonts.
// Installed as packages they would be most of what the tool takes on a disk.
import { build } from 'esbuild'
import { copyFileSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { packagesOf, writeLicences } from './licences.js'

const folder = 'dist/pictures'

/** Where the packages stand, by the names that the sources import them by. */
export const pictures = {
  pdfkit: 'pdfkit.js',
  fontkit: 'fontkit.js',
  'elkjs/lib/elk.bundled.js': 'elk.js',
  'd3-scale': 'scales.js',
  'd3-shape': 'lines.js',
  graphology: 'graphology.js',
  'graphology-communities-louvain': 'louvain.js',
}

export async function bundlePictures() {
  mkdirSync(folder, { recursive: true })
  const { metafile } = await build({
    entryPoints: Object.entries(pictures).map(([name, file]) => ({
      in: name,
      out: file.replace(/\.js$/, ''),
    })),
    outdir: folder,
    bundle: true,
    splitting: true,
    minify: true,
    metafile: true,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    // Packages of the older module kind call require.
    banner: {
      js: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);",
    },
    logLevel: 'error',
  })
  const { resolve } = createRequire(import.meta.url)
  for (const name of ['DejaVuSans.ttf', 'DejaVuSans-Bold.ttf'])
    copyFileSync(resolve(`dejavu-fonts-ttf/ttf/${name}`), join(folder, name))
  writeLicences(folder, [...packagesOf(Object.keys(metafile.inputs)), 'dejavu-fonts-ttf'])
  useThem()
}

/** Has the compiled diagram room import them from there. */
function useThem() {
  for (const name of readdirSync('dist/diagram').filter((each) => each.endsWith('.js'))) {
    const path = join('dist/diagram', name)
    const text = readFileSync(path, 'utf8')
    const changed = Object.entries(pictures).reduce(
      (all, [wanted, file]) => all.replaceAll(`'${wanted}'`, `'../pictures/${file}'`),
      text,
    )
    if (changed !== text) writeFileSync(path, changed)
  }
}
