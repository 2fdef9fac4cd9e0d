/** A text as one word of a POSIX shell, in which nothing of it means anything. */
export function shellWord(text: string): string {
  return /^[\w./:=@%+,-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`
}
