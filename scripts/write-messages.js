// Writes the table of docs/messages.md from the catalogue of the built program, and leaves the
// words above it: npm run build && node scripts/write-messages.js
import { readFileSync, writeFileSync } from 'node:fs'
import { messages } from '../dist/contract/messages.js'

const cell = (text) => text.replaceAll('|', '\\|').replaceAll('<', '\\<')
const rows = Object.entries(messages).map(
  ([code, { kind, text, advice }]) => `| ${code} | ${kind} | ${cell(text)} | ${cell(advice)} |`,
)
const words = readFileSync('docs/messages.md', 'utf8').split(/^\| TM-/m)[0]
writeFileSync('docs/messages.md', `${words}${rows.join('\n')}\n`)
