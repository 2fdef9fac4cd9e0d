// Bundles the command line and the library into few files: opening many small ones is most of what
// a start costs, and of what they take on a disk.
import { build } from 'esbuild'
import { readFileSync } from 'node:fs'
import { bundlePictures, pictures } from './bundle-pictures.js'
import { packagesOf, writeLicences } from './licences.js'

await bundlePictures()

const { metafile } = await build({
  entryPoints: { main: 'src/cli/main.ts', library: 'src/app/index.ts' },
  outdir: 'dist/bin',
  bundle: true,
  splitting: true,
  metafile: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  // Large, rarely used, or needed as a package by clients: loaded where they are used.
  external: [
    'esbuild',
    'undici',
    'jsonc-parser',
    'yaml',
    'joi',
    'saxes',
    'lossless-json',
    'randexp',
    '@resvg/resvg-js',
    'json-p3',
  ],
  plugins: [
    {
      name: 'pictures',
      setup(building) {
        building.onResolve(
          { filter: /^(?:pdfkit|fontkit|elkjs\/lib\/elk\.bundled\.js)$/ },
          ({ path }) => ({
            path: `../pictures/${pictures[path]}`,
            external: true,
          }),
        )
      },
    },
  ],
  // Packages of the older module kind call require.
  banner: {
    js: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);",
  },
  logLevel: 'warning',
})

// Those that it depends on are installed beside it, with theirs.
const { dependencies } = JSON.parse(readFileSync('package.json', 'utf8'))
writeLicences(
  'dist/bin',
  packagesOf(Object.keys(metafile.inputs)).filter((name) => !Object.hasOwn(dependencies, name)),
)
