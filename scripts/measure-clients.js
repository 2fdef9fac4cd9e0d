// What do generated clients look like in figures? node scripts/measure-clients.js [--list] <project> …
//
// A type is a copy when another one of its client has the same shape: members, their types and marks are
// compared, down to the last; documentation is not. What the metadata itself names twice is told apart from
// what generation made twice. A name is numbered when it is another one with a number behind it.
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import process from 'node:process'
import ts from 'typescript'

/** The files of a client that were made from the metadata: not its runtime. */
function filesOf(folder) {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && entry.name.endsWith('.ts'))
    .map((entry) => join(entry.parentPath, entry.name))
    .filter((file) => !relative(folder, file).startsWith('runtime'))
}

/** The shape of a declaration: its text without comments and names, and the types it refers to. */
function shapeOf(declaration, source) {
  const references = []
  const pieces = []
  const visit = (node) => {
    if (node !== declaration.name) {
      const children = node.getChildren(source).filter((each) => !ts.isJSDoc(each))
      if (ts.isTypeReferenceNode(node) && ts.isIdentifier(node.typeName)) {
        pieces.push('\u0000')
        references.push(node.typeName.text)
        for (const each of node.typeArguments ?? []) visit(each)
      } else if (children.length === 0) pieces.push(node.getText(source))
      else children.forEach(visit)
    }
  }
  ts.forEachChild(declaration, visit)
  return { text: pieces.join(' '), references }
}

/**
 * Groups of types that are the same by shape, refined until what they refer to is the same as well: what the
 * metadata names is the same as itself only.
 */
function classesOf(types, named) {
  const renumber = (keyOf) => {
    const numbers = new Map()
    return new Map(
      [...types.keys()].map((name) => {
        const key = keyOf(name)
        if (!numbers.has(key)) numbers.set(key, numbers.size)
        return [name, numbers.get(key)]
      }),
    )
  }
  const referring = (name, classes) =>
    types.get(name).references.map((each) => classes.get(each) ?? each)
  let classes = renumber((name) => (named.has(name) ? `@${name}` : types.get(name).text))
  for (let before = -1, now = new Set(classes.values()).size; now !== before;) {
    const last = classes
    classes = renumber((name) => [last.get(name), ...referring(name, last)].join(' '))
    before = now
    now = new Set(classes.values()).size
  }
  const last = classes
  return renumber((name) => [types.get(name).text, ...referring(name, last)].join(' '))
}

/** Types to which the metadata itself gives a name, by what they are called in the client. */
function namedByMetadata(project, client) {
  const file = join(project, 'snapshots', client, 'names.json')
  if (!existsSync(file)) return new Set()
  const { types } = JSON.parse(readFileSync(file, 'utf8'))
  const isShelved = /^[^#]*#\/(?:components\/schemas|definitions)\/[^/~]+$/
  const isNamed = (id) => (id.includes('#') ? isShelved.test(id) : true)
  return new Set(
    Object.entries(types)
      .filter(([id]) => isNamed(id))
      .map(([, name]) => name),
  )
}

function measured(project, client) {
  const folder = join(project, 'src/clients', client)
  const [types, exported] = [new Map(), new Set()]
  const found = { files: 0, bytes: 0, operations: 0, longest: 0 }
  for (const file of filesOf(folder)) {
    const text = readFileSync(file, 'utf8')
    const place = relative(folder, file)
    found.files += 1
    found.bytes += text.length
    if (/^operations\b/.test(place))
      found.operations += (
        text.match(/^export (?:async )?function (?!is\w+Fault\b)/gm) ?? []
      ).length
    found.longest = largest([found.longest, ...text.split('\n').map((line) => line.length)])
    const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest)
    for (const statement of source.statements) {
      if (!statement.modifiers?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword)) continue
      if (statement.name !== undefined) exported.add(statement.name.text)
      if (/^types\b/.test(place) && isTypeDeclaration(statement))
        types.set(statement.name.text, shapeOf(statement, source))
    }
  }
  const named = namedByMetadata(project, client)
  const groups = new Map()
  for (const [name, number] of classesOf(types, named))
    groups.set(number, [...(groups.get(number) ?? []), name])
  const several = [...groups.values()].filter((names) => names.length > 1)
  const made = several.map((names) => {
    const own = names.filter((name) => !named.has(name)).length
    // Two names of the metadata for one shape are the metadata's own.
    if (own === 0) return 0
    return own === names.length ? own - 1 : own
  })
  const numbered = [...exported].filter((name) => {
    // A status is no count, and what the metadata calls things is not for us to say.
    if (named.has(name) || /(?:Answer|Fault)\d{3}$/.test(name)) return false
    const bare = name.replace(/\d+$/, '')
    return (
      bare !== name &&
      [bare, `${bare}2`, `${bare}3`].some((each) => each !== name && exported.has(each))
    )
  })
  return {
    ...found,
    types: types.size,
    made: made.reduce((sum, count) => sum + count, 0),
    exported: exported.size,
    numbered,
    several,
    named,
  }
}

function isTypeDeclaration(statement) {
  return ts.isInterfaceDeclaration(statement) || ts.isTypeAliasDeclaration(statement)
}

function largest(numbers) {
  return numbers.reduce((most, each) => Math.max(most, each), 0)
}

const projects = process.argv.slice(2).filter((each) => !each.startsWith('--'))
const sums = ['types', 'made', 'exported', 'files', 'bytes', 'operations']
const total = {
  clients: 0,
  numbered: 0,
  longest: 0,
  ...Object.fromEntries(sums.map((key) => [key, 0])),
}
for (const project of projects) {
  for (const client of readdirSync(join(project, 'src/clients'))) {
    const one = measured(project, client)
    total.clients += 1
    for (const key of sums) total[key] += one[key]
    total.numbered += one.numbered.length
    total.longest = Math.max(total.longest, one.longest)
    if (!process.argv.includes('--list')) continue
    console.log(
      `${project} ${client}: ${one.made} of ${one.types} types made twice, ${one.numbered.length} of ${one.exported} names numbered, longest line ${one.longest}`,
    )
    for (const names of one.several.filter((each) => each.some((name) => !one.named.has(name))))
      console.log(`  = ${names.join(' ')}`)
    if (one.numbered.length > 0) console.log(`  # ${one.numbered.join(' ')}`)
  }
}
const share = (part, whole) => `${((100 * part) / Math.max(1, whole)).toFixed(1)}%`
const each = (whole) => (whole / Math.max(1, total.operations)).toFixed(1)
console.log(`clients       ${total.clients}`)
console.log(`types         ${total.types}`)
console.log(`  made twice  ${total.made} (${share(total.made, total.types)})`)
console.log(`names         ${total.exported}`)
console.log(`  numbered    ${total.numbered} (${share(total.numbered, total.exported)})`)
console.log(`longest line  ${total.longest}`)
console.log(`operations    ${total.operations}`)
console.log(`files         ${total.files} (${each(total.files)} an operation)`)
console.log(`characters    ${total.bytes} (${each(total.bytes)} an operation)`)
