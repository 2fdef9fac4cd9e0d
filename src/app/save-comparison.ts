import { extname } from 'node:path'
import { problem } from '../contract/problem.js'
import { comparisonSummary, type Comparison } from './compare-contracts.js'
import { saveJson, saveText } from './files/text-files.js'
import { comparisonMarkdown } from './pages/comparison-markdown.js'
import { comparisonPage } from './pages/comparison-page.js'

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
  const changes = [...comparison.changes, ...(all ? comparison.quiet : [])]
  switch (extname(file).toLowerCase()) {
    case '.html':
      return saveText(file, comparisonPage(comparison, changes))
    case '.md':
      return saveText(file, comparisonMarkdown(comparison, changes))
    case '.json':
      return saveJson(file, comparisonSummary(comparison, all))
    default:
      throw problem('TM-1010', {
        option: '--save',
        reason: `${file} has none of the endings of a report`,
        remedy: 'Name a file that ends in .html, .md or .json.',
      })
  }
}
