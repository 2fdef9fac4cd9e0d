// Lists which rooms of src/ use which, as the code has it, and fails where docs/architecture.md
// does not allow it.
import { readdirSync, readFileSync } from 'node:fs'
import { rooms } from './rooms.js'

const typesOnly = /^import type |^export type /
const found = new Map()
let wrong = 0
for (const [room, { mayUse, dialectsToo }] of Object.entries(rooms)) {
  const used = new Map()
  const files = readdirSync(`src/${room}`, { recursive: true, encoding: 'utf8' }).filter((name) =>
    name.endsWith('.ts'),
  )
  for (const file of files) {
    const depth = file.split(/[/\\]/).length
    for (const [statement, from] of readFileSync(`src/${room}/${file}`, 'utf8').matchAll(
      /(?:^(?:import|export)[^'\n]*?from |import\()'([^']+)'/gm,
    )) {
      const up = '../'.repeat(depth)
      if (!from.startsWith(up)) continue
      const other = from.slice(up.length).split('/')[0]
      if (!(other in rooms)) continue
      const onlyTypes = typesOnly.test(statement)
      used.set(other, (used.get(other) ?? true) && onlyTypes)
      const allowed =
        mayUse.includes(other) ||
        (other === 'dialects' && dialectsToo && from.endsWith('dialects/dialect.js')) ||
        (room === 'cli' && onlyTypes)
      if (!allowed) {
        wrong += 1
        console.error(`src/${room}/${file} uses ${from}, which the room "${room}" may not`)
      }
    }
  }
  found.set(room, used)
}
for (const [room, used] of found)
  console.log(
    `${room} -> ${
      [...used]
        .map(([other, onlyTypes]) => `${other}${onlyTypes ? ' (types)' : ''}`)
        .sort()
        .join(' · ') || '(nothing of ours)'
    }`,
  )
process.exitCode = wrong === 0 ? 0 : 1
