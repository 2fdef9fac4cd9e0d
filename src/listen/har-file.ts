import { closeSync, ftruncateSync, openSync, writeSync } from 'node:fs'

/** What stands behind the last exchange of an archive. */
const end = '\n]}}\n'

/**
 * An HTTP archive (HAR 1.2) that grows exchange by exchange, and is whole at any time: whoever ends
 * the program, whatever was heard is in it.
 */
export class HarFile {
  private readonly file: number
  private at: number
  private isFirst = true

  /**
   * @param creator the program that writes it
   * @throws Error of the system when it can't be written
   */
  constructor(path: string, creator: { readonly name: string; readonly version: string }) {
    const head = `{"log":{"version":"1.2","creator":${JSON.stringify(creator)},"entries":[`
    this.file = openSync(path, 'w')
    this.at = writeSync(this.file, head + end, 0) - end.length
  }

  /** Adds an exchange. @param entry as HAR has it, in JSON on one line */
  add(entry: string): void {
    const text = `${this.isFirst ? '' : ','}\n${entry}`
    this.isFirst = false
    // One write: there is no moment in which the end is missing.
    const written = writeSync(this.file, text + end, this.at)
    this.at += written - end.length
    ftruncateSync(this.file, this.at + end.length)
  }

  close(): void {
    closeSync(this.file)
  }
}
