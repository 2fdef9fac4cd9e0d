import { inMarkup, linkInMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'

/** Paragraphs of a documentation, with its own lines; nothing where there is none. */
export function prose(text: string | undefined): Markup {
  if (text === undefined) return markup``
  const paragraphs = text
    .split(/\n\s*\n/)
    .map((each) => markup`<p>${joined(each.trim().split('\n').map(inMarkup), '<br>')}</p>`)
  return joined(paragraphs, '')
}

/** A link to a thing of the page. */
export function link(id: string, text: string): Markup {
  return markup`<a href="${linkInMarkup(id)}">${inMarkup(text)}</a>`
}

export function tag(text: string): Markup {
  return markup`<span class="tag">${inMarkup(text)}</span>`
}

/** A part of a thing: a heading and what is below it; nothing where that is nothing. */
export function part(title: Markup, body: Markup): Markup {
  return body === '' ? body : markup`<h4>${title}</h4>${body}`
}

/** A part that is folded at first. */
export function foldedPart(title: Markup, body: Markup): Markup {
  return body === '' ? body : markup`<details><summary>${title}</summary>${body}</details>`
}

/** Facts by name. */
export function facts(pairs: readonly (readonly [label: string, value: Markup])[]): Markup {
  if (pairs.length === 0) return markup``
  const lines = pairs.map(
    ([label, value]) => markup`<tr><th scope="row">${inMarkup(label)}</th><td>${value}</td></tr>`,
  )
  return markup`<div class="box"><table class="facts"><tbody>${joined(lines, '')}</tbody></table></div>`
}

/** Rows under headings; nothing where there are none. */
export function listed(headings: readonly string[], rows: readonly (readonly Markup[])[]): Markup {
  if (rows.length === 0) return markup``
  const head = headings.map((heading) => markup`<th scope="col">${inMarkup(heading)}</th>`)
  const lines = rows.map(
    (row) =>
      markup`<tr>${joined(
        row.map((cell) => markup`<td>${cell}</td>`),
        '',
      )}</tr>`,
  )
  return markup`<div class="box"><table><thead><tr>${joined(head, '')}</tr></thead><tbody>${joined(lines, '')}</tbody></table></div>`
}

/** Code, which can be copied where copy.js runs. */
export function codeBlock(text: string): Markup {
  return text === '' ? markup`` : markup`<pre class="copied">${inMarkup(text)}</pre>`
}

/** What is written of a thing: its name, what stands beside it, and what is below when it unfolds. */
export interface ThingParts {
  readonly id: string
  readonly title: string
  readonly line: readonly Markup[]
  readonly body: readonly Markup[]
}

/**
 * A thing in one line that unfolds, with an address of its own.
 *
 * @param isMadeLater on pages with very many: what is below is made by unfolding.js when somebody
 *   unfolds it
 */
export function thing({ id, title, line, body }: ThingParts, isMadeLater: boolean): Markup {
  const inside = joined(
    body.filter((each) => each !== ''),
    '\n',
  )
  const kept = isMadeLater ? markup`<script type="text/html">${inside}</script>` : inside
  return markup`<details class="thing" id="${inMarkup(id)}"><summary><h3>${inMarkup(title)}</h3>${joined(line, '')}</summary><div class="inside">${kept}</div></details>`
}

/** One line on what a thing is for. */
export function meaning(text: string | undefined): Markup {
  return text === undefined ? markup`` : markup`<span class="meaning">${inMarkup(text)}</span>`
}

/** A text whose parts between backticks are code. */
export function withCode(text: string): Markup {
  const parts = text.split(/`([^`]+)`/)
  return joined(
    parts.map((each, at) =>
      at % 2 === 1 ? markup`<code>${inMarkup(each)}</code>` : inMarkup(each),
    ),
    '',
  )
}
