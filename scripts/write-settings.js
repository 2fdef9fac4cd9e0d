// Writes the table of docs/settings.md from the settings of the built program, and leaves the words
// around it.
import { readFileSync, writeFileSync } from 'node:fs'
import { settingRows } from '../dist/typescript/settings-table.js'

const code = (text, around = (each) => each) => (text === undefined ? '' : `\`${around(text)}\``)
const rows = settingRows.map(
  ({ meaning, prompt, project, ofSiteOnly, variables = [], code: own, transport }) =>
    `| ${meaning} | ${code(prompt)} | ${code(project)}${ofSiteOnly ? ' (of a site)' : ''} | ${variables.map((each) => code(each, (name) => `_${name}`)).join(', ')} | ${code(own)}${code(transport, (name) => `nodeTransport({ ${name} })`)} |`,
)
const text = readFileSync('docs/settings.md', 'utf8')
const [before = '', rest = ''] = text.split(/(?<=^\|---.*\n)/m)
writeFileSync(
  'docs/settings.md',
  `${before}${rows.join('\n')}\n${rest.replace(/^(?:\|.*\n)*/, '')}`,
)
