// Bundles the command line into few files: opening many small ones is most of what a start costs.
import { build } from 'esbuild'

await build({
  entryPoints: ['src/cli/main.ts'],
  outdir: 'dist/bin',
  bundle: true,
  splitting: true,
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
    'elkjs',
    '@resvg/resvg-js',
    'pdfkit',
    'fontkit',
    'dejavu-fonts-ttf',
    'json-p3',
  ],
  // Packages of the older module kind call require.
  banner: {
    js: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);",
  },
  logLevel: 'warning',
})
