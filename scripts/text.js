// How calm is the text? Figures of source and tests: npm run text [-- folder of the repository].
// With --list the functions of the source that are too long, and where.
import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import process from 'node:process'
import ts from 'typescript'

const root = process.argv.slice(2).find((each) => !each.startsWith('--')) ?? '.'
/** Functions of so many lines are too long. */
const tooLong = 60

function filesIn(folder) {
  return (
    readdirSync(join(root, folder), { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile() && /\.[jt]s$/.test(entry.name))
      .map((entry) => join(entry.parentPath, entry.name))
      // Tables of cases are data, as fixtures are.
      .filter((file) => !file.includes('fixtures') && !file.endsWith('.cases.ts'))
  )
}

function inBrackets(node) {
  return ts.isParenthesizedExpression(node) ? inBrackets(node.expression) : node
}

/** Counts what a file has, and tells which files it imports when it runs. */
function measured(file) {
  const text = readFileSync(file, 'utf8')
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true)
  const lines = text.trimEnd().split('\n')
  const found = { file, lines, ternaries: 0, nested: 0, long: [], casts: 0, imports: [] }
  const lineAt = (position) => source.getLineAndCharacterOfPosition(position).line
  const visit = (node) => {
    if (ts.isConditionalExpression(node)) {
      found.ternaries += 1
      const inside = [node.condition, node.whenTrue, node.whenFalse].map(inBrackets)
      if (inside.some(ts.isConditionalExpression)) found.nested += 1
    }
    if (ts.isAsExpression(node) && node.type.getText() !== 'const') found.casts += 1
    const length = lineAt(node.end) - lineAt(node.getStart()) + 1
    if (ts.isFunctionLike(node) && length > tooLong)
      found.long.push(`${file}:${lineAt(node.getStart()) + 1}  ${length} lines`)
    if ((ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) && node.moduleSpecifier) {
      const isType = node.importClause?.isTypeOnly === true || node.isTypeOnly === true
      const address = node.moduleSpecifier.text
      if (!isType && address.startsWith('.'))
        found.imports.push(resolve(dirname(file), address.replace(/\.js$/, '.ts')))
    }
    ts.forEachChild(node, visit)
  }
  visit(source)
  return found
}

/** Groups of modules that import each other, round and round (Tarjan). */
function circles(files) {
  const imports = new Map(files.map((each) => [resolve(each.file), each.imports]))
  const [index, low, stack, found] = [new Map(), new Map(), [], []]
  const visit = (module) => {
    index.set(module, index.size)
    low.set(module, index.get(module))
    stack.push(module)
    for (const next of imports.get(module) ?? []) {
      if (!imports.has(next)) continue
      if (!index.has(next)) visit(next)
      if (stack.includes(next)) low.set(module, Math.min(low.get(module), low.get(next)))
    }
    if (low.get(module) !== index.get(module)) return
    const circle = stack.splice(stack.indexOf(module))
    if (circle.length > 1) found.push(circle)
  }
  for (const module of imports.keys()) if (!index.has(module)) visit(module)
  return found
}

if (process.argv.includes('--list')) {
  for (const { long } of filesIn('src').map(measured)) for (const each of long) console.log(each)
  process.exit()
}

console.log('| what | src | tests |\n|---|---|---|')
const columns = ['src', 'tests'].map((folder) => {
  const files = filesIn(folder).map(measured)
  const lines = files.flatMap((each) => each.lines)
  const sum = (key) => files.reduce((total, each) => total + each[key], 0)
  const share = (count) => `${((count / lines.length) * 1000).toFixed(1)}`
  const longer = (most) => lines.filter(({ length }) => length > most).length
  return {
    lines: lines.length,
    'average line': (lines.join('').length / lines.length).toFixed(1),
    'longest line': Math.max(...lines.map(({ length }) => length)),
    'lines over 100, of a thousand': share(longer(100)),
    'lines over 120, of a thousand': share(longer(120)),
    'ternaries, of a thousand lines': share(sum('ternaries')),
    'nested ternaries, of a thousand lines': share(sum('nested')),
    [`functions of more than ${tooLong} lines`]: files.flatMap((each) => each.long).length,
    'casts (as)': sum('casts'),
    'circles of modules':
      circles(files)
        .map(({ length }) => length)
        .join(', ') || 'none',
    'files over 600 lines': files.filter((each) => each.lines.length > 600).length,
  }
})
for (const what of Object.keys(columns[0]))
  console.log(`| ${what} | ${columns.map((each) => each[what]).join(' | ')} |`)
