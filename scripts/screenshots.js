// Makes the pictures of docs/screenshots, as screenshots.yaml says: npm run screenshots [name…]
// What commands print is drawn in Debian's Chromium with the colours and the width of a terminal.
import { spawn, spawnSync } from 'node:child_process'
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { AnsiUp } from 'ansi_up'
import { launch } from 'puppeteer-core'
import { parse } from 'yaml'

const columns = 104
const program = resolve('dist/bin/main.js')
const pictures = resolve('docs/screenshots')
const wanted = process.argv.slice(2)
const {
  pictures: all,
  before: first,
  prepare,
} = parse(readFileSync('scripts/screenshots.yaml', 'utf8'))
const home = mkdtempSync(join(tmpdir(), 'pictures-'))
const folder = join(home, 'brackmouth')
// Lines are run as they stand: there is a `tolmach` to call.
writeFileSync(join(home, 'tolmach'), `#!/bin/sh\nexec node ${program} "$@"\n`, { mode: 0o755 })
const env = {
  ...process.env,
  PATH: `${home}:${process.env['PATH'] ?? ''}`,
  COLUMNS: String(columns),
  FORCE_COLOR: '1',
  TZ: 'UTC',
  DEMO: resolve('demo'),
}
delete env['NO_COLOR']
const run = (line, cwd = folder) =>
  spawnSync('bash', ['-c', `{ ${line}; } 2>&1`], { cwd, env, encoding: 'utf8' }).stdout

const style = `body { margin: 0; background: #fcfcfa; } pre { display: inline-block; margin: 0; padding: 14px 18px; font: 14px/1.4 'DejaVu Sans Mono', monospace; color: #22303a; } .ansi-red-fg { color: #97392b; } .ansi-green-fg { color: #2a6a5f; } .ansi-yellow-fg { color: #7d590f; } .ansi-cyan-fg { color: #2a586e; }`
const shownLine = (line) => `\u001b[36m$\u001b[39m \u001b[1m${line}\u001b[22m`

/** What commands print, as a page. */
const terminalPage = (commands) => {
  const ansi = new AnsiUp()
  ansi.use_classes = true
  const text = commands
    .map(({ run: line, lines = 60 }) => {
      const printed = run(line).trimEnd().split('\n')
      const told = printed.length > lines ? [...printed.slice(0, lines), '…'] : printed
      return [shownLine(line), ...told].join('\n')
    })
    .join('\n\n')
  return `<!doctype html><meta charset="utf-8"><style>${style}</style><pre>${ansi.ansi_to_html(text)}</pre>`
}

run('tolmach demo brackmouth --quick', home)
prepare.forEach((line) => run(line))
const standIns = spawn(
  'tolmach',
  ['serve', 'berths', 'ferries', 'registry', 'cargo', '--port', '4801'],
  {
    cwd: folder,
    env,
    stdio: ['ignore', 'pipe', 'ignore'],
  },
)
await new Promise((heard) => standIns.stdout.once('data', heard))
first.forEach((line) => run(line))
const browser = await launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu'],
})
try {
  const page = await browser.newPage()
  for (const [name, { commands, before = [], page: file, file: made }] of Object.entries(all)) {
    if (wanted.length > 0 && !wanted.includes(name)) continue
    const path = join(pictures, `${name}.png`)
    before.forEach((line) => run(line))
    if (made !== undefined) copyFileSync(join(folder, made), path)
    else if (file === undefined) {
      const html = join(home, `${name}.html`)
      writeFileSync(html, terminalPage(commands))
      await page.setViewport({ width: 1280, height: 800, deviceScaleFactor: 1.5 })
      await page.goto(pathToFileURL(html).href)
      await (await page.$('pre')).screenshot({ path })
    } else {
      const [document, hash = ''] = file.split('#')
      await page.setViewport({ width: 1280, height: 800 })
      await page.goto('about:blank')
      await page.goto(`${pathToFileURL(join(folder, document)).href}#${hash}`)
      await new Promise((settled) => setTimeout(settled, 300))
      await page.screenshot({ path })
    }
    console.log(path)
  }
} finally {
  await browser.close()
  standIns.kill()
  rmSync(home, { recursive: true, force: true })
}
