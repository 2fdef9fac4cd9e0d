/**
 * What a terminal obeys, and what turns around what it shows: control characters but tab and line
 * feed, bidirectional marks, separators.
 */
const obeyed =
  /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufff9-\ufffb]/g

/**
 * A text in which what a terminal would obey is written out, as `\\u001b`; in JSON that means the
 * same.
 *
 * @param but a text of the caller's own that stays as it is, though it has such characters
 */
export function visible(text: string, but?: string): string {
  if (but !== undefined)
    return text
      .split(but)
      .map((part) => visible(part))
      .join(but)
  return text
    .replace(/\r\n/g, '\n')
    .replace(obeyed, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`)
}

/** Has a text something that a terminal would obey? */
export function hasHidden(text: string): boolean {
  return text.search(obeyed) !== -1
}
