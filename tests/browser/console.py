# A pseudo-terminal as the console of a board: prints its device path, then what comes as JSON strings on standard input; what is typed to
# it is echoed unless a program runs behind it. Used by terminals.ts.
import json, os, pty, select, sys, tty, fcntl, struct, termios

master, slave = pty.openpty()
tty.setraw(slave)
print(os.ttyname(slave))
program = None
if len(sys.argv) > 1:
    pid, program = pty.fork()
    if pid == 0:
        os.environ["TERM"] = "xterm"
        os.environ["LANG"] = "C.UTF-8"
        os.execvp("/bin/sh", ["/bin/sh", "-c", sys.argv[1]])
    fcntl.ioctl(program, termios.TIOCSWINSZ, struct.pack("HHHH", 24, 80, 0, 0))
waiting = b""
while True:
    ready, _, _ = select.select([master, sys.stdin] + ([program] if program else []), [], [])
    if master in ready:
        typed = os.read(master, 4096)
        os.write(program if program else master, typed)
    if program and program in ready:
        try:
            os.write(master, os.read(program, 4096))
        except OSError:
            program = None
    if sys.stdin in ready:
        waiting += os.read(0, 65536)
        *lines, waiting = waiting.split(b"\n")
        for line in lines:
            os.write(master, json.loads(line).encode())
        if not lines and not waiting:
            sys.exit()
