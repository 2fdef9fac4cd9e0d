"""Types into a shell that sits at a pseudo-terminal, and waits for what it shows.

argv: the shell's words as JSON, then the steps as JSON: [{"keys": text, "shows": text}, ...].
Prints everything that was shown; ends with 1 where something was not shown in time.
"""
import json, os, pty, select, struct, sys, termios, time, fcntl

words, steps = json.loads(sys.argv[1]), json.loads(sys.argv[2])
pid, terminal = pty.fork()
if pid == 0:
    os.execvp(words[0], words)
fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 50, 160, 0, 0))
shown = b""


def wait(text, seconds=60):
    """Waits until a text is shown behind what was shown before it."""
    global shown
    start, until = len(shown), time.time() + seconds
    while time.time() < until:
        if select.select([terminal], [], [], 0.2)[0]:
            try:
                shown += os.read(terminal, 65536)
            except OSError:
                break
        if text.encode() in shown[start:]:
            return True
    return False


missing = None
for step in steps:
    os.write(terminal, step["keys"].encode())
    if not wait(step["shows"]):
        missing = step["shows"]
        break
os.kill(pid, 9)
print(shown.decode(errors="replace"))
if missing is not None:
    print(f"\nnot shown: {missing}")
    sys.exit(1)
