// Writes docs/messages.md from the catalogue of the built program: npm run build && node scripts/write-messages.js
import { writeFileSync } from 'node:fs'
import { messages } from '../dist/contract/messages.js'

const cell = (text) => text.replaceAll('|', '\\|').replaceAll('<', '\\<')
const rows = Object.entries(messages).map(([code, { kind, text, advice }]) => `| ${code} | ${kind} | ${cell(text)} | ${cell(advice)} |`)
writeFileSync(
  'docs/messages.md',
  `# Messages

Every message has a stable code: 10xx the command and the project, 20xx documents, 21xx WSDL, 22xx XML Schema, 23xx OpenAPI, 30xx generation, 40xx calls, 90xx defects of ours.
Its kind decides the exit code (reference.md). Parts in braces are filled in; where a message is about a document, its place stands in front: \`desk.wsdl:48:9\`.

Codes from TM-2110 to TM-2113, TM-2202 to TM-2219 and TM-2305 to TM-2311 are used for *notes*: something in the metadata that was approximated, ignored or
refused, while the rest works. \`import\` and \`show\` list them.

| code | kind | what happened | what to try |
|---|---|---|---|
${rows.join('\n')}
`,
)
