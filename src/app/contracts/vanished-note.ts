import type { Note } from '../../contract/contract.js'
import { messageText } from '../../contract/problem.js'
import { projectFileName } from '../../project/project-file.js'

/** A note that the project file names what the service has no more. */
export function vanishedNote(key: string, contract: string, name: string): Note {
  return {
    code: 'TM-3011',
    effect: 'ignored',
    message: messageText('TM-3011', { key, contract, name }),
    origin: { document: projectFileName, line: 1, column: 1 },
  }
}
