/**
 * What nobody sees and what turns text around: control characters, separators, bidirectional marks.
 * Of these XML can carry those from U+007F on.
 */
export const unseen: readonly string[] = [
  ...Array.from({ length: 32 }, (_, at) => at),
  ...Array.from({ length: 33 }, (_, at) => 0x7f + at),
  0xad,
  0x61c,
  0x200b,
  0x200e,
  0x200f,
  0x2028,
  0x2029,
  0x202a,
  0x202b,
  0x202c,
  0x202d,
  0x202e,
  0x2060,
  0x2066,
  0x2067,
  0x2068,
  0x2069,
  0xfeff,
].map((at) => String.fromCharCode(at))

/**
 * What ends comments, literals, templates, elements, fences and cells somewhere, or tells a
 * compiler or bundler something.
 */
const closers = [
  '*/',
  "'",
  '"',
  '`',
  '${',
  '//',
  '</script>',
  ']]>',
  '-->',
  '```',
  '@ts-nocheck',
  '@__NO_SIDE_EFFECTS__',
  '#__PURE__',
  '\\',
  '|',
  '/* */',
  '#!',
  '<reference',
  '"]',
  ') {',
]

/**
 * Texts that try to get out of where they stand: each closer as it is, and with something unseen
 * inside and around it.
 */
export function hostileTexts(isXml: boolean): string[] {
  const fit = isXml ? unseen.filter((c) => c >= '\u007f' && c !== '\ufffe') : unseen
  const broken = closers.flatMap((closer) =>
    fit.flatMap((c) => [`${closer.charAt(0)}${c}${closer.slice(1)}`, `${c}${closer}${c}`]),
  )
  return [...closers, ...broken].map((closer) => `x ${closer} ;evil(); ${closer} /* \` '`)
}
