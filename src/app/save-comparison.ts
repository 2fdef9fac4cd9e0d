import { extname } from 'node:path'
import { problem } from '../contract/problem.js'
import { comparisonSummary, type Comparison } from './compare-contracts.js'
import { saveJson, saveText } from './files/text-files.js'
import { comparisonMarkdown } from './pages/comparison-markdown.js'
import { comparisonPage } from './pages/comparison-page.js'

/** What a report is written by, by the ending of its file. */
const writers: Readonly<
  Record<string, (comparison: Comparison, changes: Comparison['changes']) => string>
> = {
  '.html': comparisonPage,
  '.md': comparisonMarkdown,
}

/**
 * Can a report be written to a file of this name? Asked before anything is fetched for it.
 *
 * @throws Problem TM-1010 when its ending is none of a report
 */
export function checkReportFile(file: string): void {
  const ending = extname(file).toLowerCase()
  if (ending !== '.json' && !Object.hasOwn(writers, ending))
    throw problem('TM-1010', {
      option: '--save',
      reason: `${file} has none of the endings of a report`,
      remedy: 'Name a file that ends in .html, .md or .json.',
    })
}

/**
 * Writes a comparison to a file, whole or not at all: as a page (`.html`), as Markdown for a merge
 * request (`.md`), or as `--json` prints it (`.json`).
 *
 * @param all also what does nothing to anybody
 * @throws Problem TM-1010 when the file has another ending, TM-1008 when it can't be written
 */
export async function saveComparison(
  file: string,
  comparison: Comparison,
  all: boolean,
): Promise<void> {
  checkReportFile(file)
  const writer = writers[extname(file).toLowerCase()]
  const changes = [...comparison.changes, ...(all ? comparison.quiet : [])]
  if (writer === undefined) await saveJson(file, comparisonSummary(comparison, all))
  else await saveText(file, writer(comparison, changes))
}
