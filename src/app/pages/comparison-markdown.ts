import { worse, type Verdict } from '../../compare/change.js'
import { codeInMarkdown, inMarkdown } from '../../printing/escaping.js'
import { joined, markdown, type Markdown } from '../../printing/safe-text.js'
import { foldChanges } from '../describe/fold-changes.js'
import { nextVersionText, type Comparison, type PlacedChange } from '../compare-contracts.js'

const headings: Readonly<Record<Verdict, Markdown>> = {
  break: markdown`Breaks`,
  'may break': markdown`May break`,
  fine: markdown`Fine`,
}

/** What differs between two contracts, for a merge request: what hurts first, the rest folded. */
export function comparisonMarkdown(
  comparison: Comparison,
  changes: readonly PlacedChange[],
): Markdown {
  const { contract, from, isAnother, compiled } = comparison
  const parts = (Object.keys(headings) as Verdict[]).flatMap((verdict) =>
    partLines(
      verdict,
      changes.filter(({ calls, code }) => worse(calls.verdict, code.verdict) === verdict),
    ),
  )
  const findings = compiled?.findings ?? []
  return joined(
    [
      markdown`# What changed in ${inMarkdown(contract)}`,
      markdown``,
      markdown`Compared with ${codeInMarkdown(from)}.`,
      ...(isAnother
        ? [markdown``, markdown`Not one operation is in both: this is probably another service.`]
        : []),
      ...(changes.length === 0 ? [markdown``, markdown`Nothing differs.`] : parts),
      ...(findings.length === 0
        ? []
        : [
            markdown``,
            markdown`## The code does not compile with the next client`,
            markdown``,
            ...findings.map(
              ({ file, line, message }) =>
                markdown`- ${codeInMarkdown(`${file}:${String(line)}`)} ${inMarkdown(message)}`,
            ),
          ]),
      ...(changes.length === 0
        ? []
        : [markdown``, markdown`${inMarkdown(nextVersionText(comparison))}`]),
      markdown``,
    ],
    '\n',
  )
}

function partLines(verdict: Verdict, changes: readonly PlacedChange[]): Markdown[] {
  if (changes.length === 0) return []
  const rows = foldChanges(changes).map(
    ({ first: change, others }) =>
      markdown`| ${inMarkdown(change.text)}${others.length === 0 ? markdown`` : markdown`, and the same in ${inMarkdown(others.join(', '))}`} | ${inMarkdown(change.calls.verdict)} | ${inMarkdown(change.code.verdict)} | ${whereText(change)} |`,
  )
  const table = [markdown`| change | calls | code | where |`, markdown`|---|---|---|---|`, ...rows]
  const heading = markdown`${headings[verdict]} (${changes.length})`
  return verdict === 'fine'
    ? [
        markdown``,
        markdown`<details><summary>${heading}</summary>`,
        markdown``,
        ...table,
        markdown``,
        markdown`</details>`,
      ]
    : [markdown``, markdown`## ${heading}`, markdown``, ...table]
}

/** The caller's lines where they are known, else the place in the metadata. */
function whereText({ uses = [], after, before }: PlacedChange): Markdown {
  if (uses.length > 0)
    return joined(
      uses.slice(0, 5).map(({ file, line }) => codeInMarkdown(`${file}:${String(line)}`)),
      ', ',
    )
  const place = after ?? before
  return place === undefined
    ? markdown``
    : codeInMarkdown(`${place.document}:${String(place.line)}`)
}
