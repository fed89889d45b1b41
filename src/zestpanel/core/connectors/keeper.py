"""Runs as a process of its own: starts engine programs and ends them with all that they start, however they hide it.

It is given, over the socket on its standard input, what to start and the program's pipes. For each program it makes a
keeper: a process that is the reaper of all below it (prctl(2), PR_SET_CHILD_SUBREAPER), so that a child in a session of
its own, or one whose parent has ended, stays within reach. The keeper tells over a pipe how the program went, and kills
whatever is left once the other end of the pipe is closed: by a call that is over, or because the panel was killed.

Nothing but the standard library's core is loaded, and there is one thread: a fork is safe and takes half a millisecond.
"""

import contextlib
import ctypes
import marshal
import os
import select
import signal
import socket
import sys
import time

SUBREAPER = 36  # PR_SET_CHILD_SUBREAPER
HEAD = 8  # bytes that say how long a message is
SAID = 64  # bytes of each thing that a keeper tells
_LOOK_S = 0.002


def main() -> None:
    asked = socket.socket(fileno=os.dup(0))
    os.dup2(os.open(os.devnull, os.O_RDWR), 0)  # the place of a program's standard input stays taken
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # keepers are waited for by nobody
    libc = ctypes.CDLL(None)
    while True:
        head, handles = received(asked)
        if len(head) < HEAD:
            return
        size, body = int.from_bytes(head, "big"), b""
        while len(body) < size and (piece := asked.recv(size - len(body))):
            body += piece
        if len(body) == size and os.fork() == 0:
            asked.close()
            with contextlib.suppress(BaseException):
                keep(libc, marshal.loads(body), handles)  # noqa: S302 - our own words
            os._exit(0)
        for handle in handles:
            os.close(handle)


def received(asked: socket.socket) -> tuple[bytes, list[int]]:
    data, ancillary, _, _ = asked.recvmsg(HEAD, socket.CMSG_SPACE(4 * 4), socket.MSG_CMSG_CLOEXEC)
    handles: list[int] = []
    for level, kind, given in ancillary:
        if level == socket.SOL_SOCKET and kind == socket.SCM_RIGHTS:
            handles += [int.from_bytes(given[at : at + 4], sys.byteorder) for at in range(0, len(given) // 4 * 4, 4)]
    while 0 < len(data) < HEAD and (piece := asked.recv(HEAD - len(data))):
        data += piece
    return data, handles


def keep(libc: ctypes.CDLL, asked: tuple[list[bytes], dict[bytes, bytes], bytes], handles: list[int]) -> None:
    """One program's life. asked: arguments, environment, directory. handles: its standard input, output and error, and
    the pipe to the panel."""
    arguments, environment, directory = asked
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    os.setsid()
    libc.prctl(SUBREAPER, 1, 0, 0, 0)
    told = socket.socket(fileno=handles[3])
    try:
        os.chdir(directory or ".")
        began_s = time.monotonic()  # the same clock in every process (clock_gettime(2))
        pid = os.posix_spawn(  # nothing of ours but the pipes is left in it; Python ignores these two signals
            arguments[0], arguments, environment, setsid=True, setsigdef=(signal.SIGPIPE, signal.SIGXFSZ),
            file_actions=[(os.POSIX_SPAWN_DUP2, handle, number) for number, handle in enumerate(handles[:3])],
        )  # fmt: skip
    except OSError as error:
        say(told, "failed", error.errno or 0, 0.0)
        return
    for handle in handles[:3]:
        os.close(handle)
    say(told, "begun", pid, began_s)
    waits = select.poll()
    waits.register(os.pidfd_open(pid), select.POLLIN)
    waits.register(told, select.POLLIN)
    if told.fileno() in [handle for handle, _ in waits.poll()]:
        os.kill(pid, signal.SIGKILL)
    ended_s = time.monotonic()
    _, status, used = os.wait4(pid, 0)
    with contextlib.suppress(OSError):  # there may be nobody any more
        say(told, os.waitstatus_to_exitcode(status), used.ru_utime + used.ru_stime, ended_s)
        told.recv(1)  # what it left running may still write to its output: until the call is over
    end_all()


def say(told: socket.socket, what: str | int, number: float, at_s: float) -> None:
    told.sendall(marshal.dumps((what, number, at_s)).ljust(SAID, b"\0"))


def end_all() -> None:
    """Kill all below until nobody is left: who is killed leaves its own children to us."""
    while True:
        for pid in children():
            with contextlib.suppress(OSError):
                os.kill(pid, signal.SIGKILL)
        try:
            while os.waitpid(-1, os.WNOHANG)[0]:
                pass
        except ChildProcessError:
            return
        time.sleep(_LOOK_S)


def children() -> list[int]:
    me, found = os.getpid(), []
    for name in os.listdir("/proc"):
        if name.isdigit():
            with contextlib.suppress(OSError, ValueError, IndexError), open(f"/proc/{name}/stat", "rb") as file:
                if int(file.read().rpartition(b")")[2].split()[1]) == me:  # proc(5): the fourth field
                    found.append(int(name))
    return found


if __name__ == "__main__":
    main()
