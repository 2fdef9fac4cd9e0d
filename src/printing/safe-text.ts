/**
 * Text that is safe where it is printed, by type: text from metadata becomes such only through the
 * functions of escaping.ts, and what is written to files takes nothing else. A cast to one of these
 * types is refused by lint everywhere but here and there.
 */
declare const form: unique symbol

/** Text that can be printed in a certain form as it is. */
export type Safe<Form extends string> = string & { readonly [form]: Form }

/** A piece of a TypeScript program. */
export type Code = Safe<'code'>
/** A piece of a document in Markdown. */
export type Markdown = Safe<'markdown'>
/** A piece of HTML, SVG or other XML. */
export type Markup = Safe<'markup'>
/** A piece of a graph in the DOT language. */
export type DotText = Safe<'dot'>
/** A piece of a Mermaid diagram. */
export type MermaidText = Safe<'mermaid'>
/** A piece of a file of variables. */
export type VariablesText = Safe<'variables'>

type Template<Form extends string, Also = never> = (
  fixed: TemplateStringsArray,
  ...values: readonly (Safe<Form> | number | Also)[]
) => Safe<Form>

/** A template whose fixed parts the program's own source has, and whose values are safe. */
function template<Form extends string>(
  fixed: TemplateStringsArray,
  ...values: readonly (string | number)[]
): Safe<Form> {
  let text = fixed[0] ?? ''
  for (const [at, value] of values.entries()) text += `${value}${fixed[at + 1] ?? ''}`
  return text as Safe<Form>
}

export const code: Template<'code'> = template
/** What stands in Markdown may be code between fences, which {@link fenced} looks after. */
export const markdown: Template<'markdown'> = template
export const markup: Template<'markup'> = template
export const dot: Template<'dot'> = template
export const mermaid: Template<'mermaid'> = template
export const variables: Template<'variables'> = template

type Separator = ' · ' | '' | ' ' | ', ' | '; ' | '\n' | ' | ' | ' & ' | ' || ' | '<br>'

/** Pieces put together. */
export function joined<Form extends string>(
  pieces: readonly Safe<Form>[],
  separator: Separator,
): Safe<Form> {
  return pieces.join(separator) as Safe<Form>
}
