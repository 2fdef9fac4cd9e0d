// Writes docs/api.md from the library's public face, src/app/index.ts: every function with what goes
// in and comes out, and the types that they speak of. tests/docs holds that it is current.
import { readFileSync, writeFileSync } from 'node:fs'
import process from 'node:process'
import ts from 'typescript'

const face = 'src/app/index.ts'
const { config } = ts.readConfigFile('tsconfig.json', ts.sys.readFile)
const { options } = ts.parseJsonConfigFileContent(config, ts.sys, '.')
const program = ts.createProgram([face], options)
const checker = program.getTypeChecker()
const source = program.getSourceFile(face)

/** What a symbol is really declared as, behind its re-exports. */
function declared(symbol) {
  return symbol.flags & ts.SymbolFlags.Alias ? checker.getAliasedSymbol(symbol) : symbol
}

function said(symbol) {
  return ts.displayPartsToString(symbol.getDocumentationComment(checker)).trim()
}

/** Lines of a comment as one paragraph each. */
function prose(text) {
  return text.replace(/\{@link (\w+)\}/g, '`$1`').replace(/([^\n])\n(?!\n|- )/g, '$1 ')
}

function tagsOf(symbol, name) {
  return symbol
    .getJsDocTags(checker)
    .filter((tag) => tag.name === name)
    .map((tag) => prose(ts.displayPartsToString(tag.text)))
}

function signatureOf(declaration) {
  const from = declaration.getStart()
  const to = declaration.body?.getStart() ?? declaration.end
  return declaration
    .getSourceFile()
    .text.slice(from, to)
    .replace(/^export /, '')
    .trim()
}

function functionLines(symbol, name) {
  const lines = [`### ${name}`, '', prose(said(symbol)), '']
  for (const declaration of symbol.declarations.filter(ts.isFunctionDeclaration))
    lines.push('```ts', signatureOf(declaration), '```', '')
  const parameters = tagsOf(symbol, 'param').map(
    (text) => `- \`${text.replace(/^(\w+)\s*/, '$1`: ')}`,
  )
  const returns = tagsOf(symbol, 'returns').map((text) => `- gives back ${text}`)
  const errors = tagsOf(symbol, 'throws').map((text) => `- fails with ${text}`)
  const all = [...parameters, ...returns, ...errors]
  return all.length === 0 ? lines : [...lines, ...all, '']
}

/** A type as it is written, comments on its members and all. */
function typeLines(symbol, name) {
  const [declaration] = symbol.declarations
  const text = declaration.getText().replace(/^export /, '')
  return [
    `### ${name}`,
    '',
    ...(said(symbol) === '' ? [] : [prose(said(symbol)), '']),
    '```ts',
    text,
    '```',
    '',
  ]
}

const symbols = checker
  .getExportsOfModule(checker.getSymbolAtLocation(source))
  .map((symbol) => ({ name: symbol.name, symbol: declared(symbol) }))
  .sort((a, b) => (a.name < b.name ? -1 : 1))
const isFrom = (symbol, folder) =>
  symbol.declarations.some((each) => each.getSourceFile().fileName.includes(folder))
const ofContract = symbols.filter(({ symbol }) => isFrom(symbol, 'src/contract/contract.ts'))
const own = symbols.filter((each) => !ofContract.includes(each))
const functions = own.filter(({ symbol }) => symbol.flags & ts.SymbolFlags.Function)
const others = own.filter((each) => !functions.includes(each))
const undocumented = functions.filter(({ symbol }) => said(symbol) === '').map(({ name }) => name)
if (undocumented.length > 0) throw new Error(`without documentation: ${undocumented.join(', ')}`)

const text = [
  '# The library',
  '',
  "What the commands do, programs can do: `import { … } from 'tolmach'`. Written from the source by `npm run api`.",
  'Failures are a `Problem` with a code of [messages.md](messages.md).',
  '',
  '## Functions',
  '',
  ...functions.flatMap(({ name, symbol }) => functionLines(symbol, name)),
  '## Types and values',
  '',
  ...others.flatMap(({ name, symbol }) => typeLines(symbol, name)),
  '## The contract',
  '',
  `[contract.md](contract.md) explains the model; its types are exported, too: ${ofContract.map(({ name }) => `\`${name}\``).join(', ')}.`,
  '',
].join('\n')
const file = 'docs/api.md'
if (process.argv.includes('--check')) {
  if (readFileSync(file, 'utf8') !== text) {
    console.error(`${file} is not current: npm run api`)
    process.exitCode = 1
  }
} else writeFileSync(file, text)
