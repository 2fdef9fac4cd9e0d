/**
 * Breaks the program at random places, one at a time, and tells which breakages no test noticed.
 *
 *   npm run mutants -- --count 20 --seed 1
 *
 * It works in a copy of what is committed, whose tests must pass as they stand. A breakage that the
 * compiler refuses doesn't count. The rooms' tests that the file belongs to run first, then
 * everything that starts the program.
 */
import { execFile } from 'node:child_process'
import { mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { parseArgs, promisify } from 'node:util'
import ts from 'typescript'
import { randomFrom } from '../fuzz/mutations.js'

const execute = promisify(execFile)
const { values } = parseArgs({
  options: {
    count: { type: 'string', default: '20' },
    seed: { type: 'string', default: String(Date.now() % 100_000) },
    // They passed a moment ago: they are not run before anything is broken.
    passing: { type: 'boolean', default: false },
  },
})
const repository = resolve('.')
const random = randomFrom(Number(values.seed))

/** What each operator is mistaken for. */
const mistaken = new Map([
  ['===', '!=='],
  ['!==', '==='],
  ['<', '<='],
  ['<=', '<'],
  ['>', '>='],
  ['>=', '>'],
  ['&&', '||'],
  ['||', '&&'],
  ['+', '-'],
  ['-', '+'],
])

const copy = await mkdtemp(join(tmpdir(), 'tolmach-mutants-'))
try {
  await execute('git', ['clone', '--quiet', repository, copy])
  await symlink(join(repository, 'node_modules'), join(copy, 'node_modules'))
  process.stdout.write(`seed ${values.seed}\n`)
  const isSound =
    (await goesWell('npm', ['run', '--silent', 'build'])) &&
    (values.passing || (await goesWell(...jest())))
  if (!isSound) throw new Error('the tests fail before anything is broken')
  const { stdout } = await execute('git', ['ls-files', 'src/**/*.ts'], { cwd: copy })
  const files = stdout.trim().split('\n')
  const unnoticed = []
  for (let made = 0; made < Number(values.count);) {
    const breakage = await anyBreakage(files[Math.floor(random() * files.length)])
    if (breakage === undefined) continue
    const noticedBy = await whoNotices(breakage)
    if (noticedBy === 'the compiler') continue
    made += 1
    process.stdout.write(`${made}  ${breakage.place}  ${breakage.what}\n    ${noticedBy}\n`)
    if (noticedBy === 'nobody') unnoticed.push(breakage)
  }
  process.stdout.write(
    `${Number(values.count) - unnoticed.length} noticed, ${unnoticed.length} not\n`,
  )
} finally {
  await rm(copy, { recursive: true, force: true })
}

/** A file with one place broken, or nothing where it has no such place. */
async function anyBreakage(file) {
  const text = await readFile(join(copy, file), 'utf8')
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.ES2022, true)
  const places = []
  const visit = (node) => {
    const change = changeOf(node)
    if (change !== undefined) places.push({ node, change })
    ts.forEachChild(node, visit)
  }
  visit(source)
  const place = places[Math.floor(random() * places.length)]
  if (place === undefined) return undefined
  const { node, change } = place
  const [start, end] = [node.getStart(), node.getEnd()]
  const { line } = source.getLineAndCharacterOfPosition(start)
  return {
    file,
    place: `${file}:${line + 1}`,
    what: `${text.slice(start, end).split('\n')[0].slice(0, 70)} → ${change.split('\n')[0].slice(0, 70)}`,
    text,
    broken: text.slice(0, start) + change + text.slice(end),
  }
}

/** What a place is broken into, or nothing where it is not the kind that is broken. */
function changeOf(node) {
  if (ts.isTypeNode(node)) return undefined
  const { parent } = node
  if (ts.isBinaryExpression(parent ?? node) && node === parent?.operatorToken)
    return mistaken.get(node.getText())
  if (ts.isIfStatement(parent ?? node) && node === parent?.expression) return `!(${node.getText()})`
  if (ts.isNumericLiteral(node)) return String(Number(node.text) + 1)
  if (node.kind === ts.SyntaxKind.TrueKeyword && !ts.isLiteralTypeNode(parent)) return 'false'
  if (node.kind === ts.SyntaxKind.FalseKeyword && !ts.isLiteralTypeNode(parent)) return 'true'
  // A call for its deed alone is left out.
  if (ts.isExpressionStatement(node) && ts.isCallExpression(node.expression)) return ';'
  return undefined
}

/** Who notices a breakage first. */
async function whoNotices({ file, text, broken }) {
  const path = join(copy, file)
  await writeFile(path, broken)
  try {
    if (!(await goesWell('npm', ['run', '--silent', 'build']))) return 'the compiler'
    const rooms = ['--testPathIgnorePatterns', 'tests/journeys']
    if (!(await goesWell(...jest('--findRelatedTests', file, '--passWithNoTests', ...rooms))))
      return 'a test of the rooms'
    if (!(await goesWell(...jest('tests/journeys')))) return 'a journey'
    return 'nobody'
  } finally {
    await writeFile(path, text)
  }
}

function jest(...words) {
  const program = join('node_modules', 'jest', 'bin', 'jest.js')
  return [process.execPath, ['--experimental-vm-modules', program, '--bail', '--silent', ...words]]
}

async function goesWell(program, words) {
  return execute(program, words, { cwd: copy, maxBuffer: 1 << 28 }).then(
    () => true,
    () => false,
  )
}
