import { execFile } from 'node:child_process'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { repository } from './program.js'

/** Is there a Python that can make a pseudo-terminal? In CI there must be. */
export const hasTerminal: boolean =
  process.env['TOLMACH_WANTS_PYTHON'] === '1' || existsSync('/usr/bin/python3')

/**
 * Plays a person at a terminal: waits for a text, types another (or opens the last address in
 * sight); tells all that was on the screen, and the exit code.
 */
const person = `
import json, os, pty, re, sys, urllib.request
words, talk = json.loads(sys.argv[1]), json.loads(sys.argv[2])
pid, line = pty.fork()
if pid == 0:
    os.execvp(words[0], words)
screen = b''
seen = 0
def read():
    global screen
    try:
        piece = os.read(line, 65536)
    except OSError:
        piece = b''
    screen += piece
    return piece != b''
for wanted, typed in talk:
    while screen.find(wanted.encode(), seen) < 0:
        if not read():
            print(json.dumps({'code': -1, 'screen': screen.decode(), 'missing': wanted})); sys.exit()
    seen = screen.find(wanted.encode(), seen) + len(wanted.encode())
    if typed == 'open the last address':
        while re.search(rb'https?://[^ \\r\\n]+\\r?\\n', screen) is None and read(): pass
        urllib.request.urlopen(re.findall(rb'https?://[^ \\r\\n]+', screen)[-1].decode()).read()
    else:
        os.write(line, typed.encode())
while read(): pass
print(json.dumps({'code': os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]), 'screen': screen.decode()}))
`

/**
 * Runs the built program in a pseudo-terminal.
 *
 * @param talk what to wait for on the screen, and what to type then
 */
export async function atTerminal(
  cwd: string,
  words: readonly string[],
  talk: readonly (readonly [wanted: string, typed: string])[],
): Promise<{ code: number; screen: string; missing?: string }> {
  const command = [process.execPath, join(repository, 'dist/bin/main.js'), ...words]
  const { stdout } = await promisify(execFile)(
    '/usr/bin/python3',
    ['-c', person, JSON.stringify(command), JSON.stringify(talk)],
    {
      cwd,
      env: { ...process.env, NO_COLOR: '1', NODE_OPTIONS: '', TERM: 'xterm', COLUMNS: '100' },
      timeout: 60_000,
    },
  )
  return JSON.parse(stdout) as { code: number; screen: string; missing?: string }
}
