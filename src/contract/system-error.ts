/** The code of an error that the system gave (`ENOENT`), or `''`. */
export function systemCode(error: unknown): string {
  return typeof error === 'object' &&
    error !== null &&
    'code' in error &&
    typeof error.code === 'string'
    ? error.code
    : ''
}

/** What a failed file operation means, in plain words. */
export function fileReason(error: unknown): string {
  const known: Record<string, string> = {
    ENOENT: 'there is no such file',
    EACCES: 'its permissions forbid it',
    EPERM: 'its permissions forbid it',
    EISDIR: 'it is a folder',
    ENOTDIR: 'a part of the path is not a folder',
    ENOSPC: 'the disk is full',
    EROFS: 'the disk is read-only',
    EEXIST: 'there is something of that name already',
    ENOTEMPTY: 'the folder is not empty',
    ELOOP: 'its links go in a circle',
    ENAMETOOLONG: 'the name is too long',
  }
  const code = systemCode(error)
  return known[code] ?? (code === '' ? String(error) : code)
}

/** What something that was thrown says. */
export function messageOf(thrown: unknown): string {
  return thrown instanceof Error ? thrown.message : String(thrown)
}
