"""Engine programs, started by a process of its own that outlives this one if need be, and ends them with all that they
have started: see ``keeper``."""

from __future__ import annotations

import atexit
import contextlib
import errno
import marshal
import os
import select
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Mapping, Sequence
from typing import IO, Any, Final

from zestpanel.core.connectors import keeper

_END_S: Final = 5.0  # a killed process that does not go within it waits for the kernel


class Kept:
    """A running program: as ``subprocess.Popen``, but that ``end`` ends all that came of it. began_s and ended_s are of
    the monotonic clock, read beside the program: what starting it costs us, and when we look, is not in them."""

    def __init__(self, told: socket.socket, stdin: IO[bytes] | None, stdout: IO[bytes] | None) -> None:
        """Raises OSError where it could not be started."""
        self._told, self.stdin, self.stdout = told, stdin, stdout
        self.returncode: int | None = None
        self.cpu_s: float | None = None
        how, number, self.began_s = self._heard() or ("failed", errno.EIO, 0.0)
        self.ended_s = 0.0
        if how == "failed":
            for one in (told, stdin, stdout):
                if one is not None:
                    one.close()
            raise OSError(number, os.strerror(int(number)))
        self.pid = int(number)

    def fileno(self) -> int:
        """Can be read from once the program has ended."""
        return self._told.fileno()

    def _heard(self) -> tuple[str | int, float, float] | None:
        said = b""
        with contextlib.suppress(OSError):
            while len(said) < keeper.SAID and (piece := self._told.recv(keeper.SAID - len(said))):
                said += piece
        # what the keeper says is our own words
        return marshal.loads(said) if len(said) == keeper.SAID else None  # noqa: S302

    def poll(self) -> int | None:
        return self.wait(0)

    def wait(self, timeout_s: float | None = None) -> int | None:
        """The status at its end; None where it still runs after the time."""
        if self.returncode is None and select.select([self._told], [], [], timeout_s)[0]:
            code, self.cpu_s, self.ended_s = self._heard() or (-signal.SIGKILL, None, time.monotonic())
            self.returncode = int(code)
        return self.returncode

    def end(self) -> None:
        """Kill what is left of it; gone when this comes back."""
        with contextlib.suppress(OSError):
            self._told.shutdown(socket.SHUT_WR)
            self.wait(_END_S)
            select.select([self._told], [], [], _END_S)  # the keeper's own end: all below it are gone
        self._told.close()


class Leash:
    """Starts programs. Thread-safe."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._asks: socket.socket | None = None

    def start(
        self, arguments: Sequence[str], *, environment: Mapping[str, str], directory: str | None,
        stdin: Any = subprocess.DEVNULL, stdout: Any = subprocess.DEVNULL, stderr: Any = subprocess.DEVNULL,
    ) -> Kept:  # fmt: skip
        """The program, with PIPE, DEVNULL or an open file as each of its pipes. arguments: the first is the path of it.
        Raises OSError, ValueError for a NUL."""
        if any("\0" in part for part in (*arguments, *environment, *environment.values(), directory or "")):
            raise ValueError("embedded null byte")
        asked = marshal.dumps((
            [os.fsencode(part) for part in arguments],
            {os.fsencode(name): os.fsencode(value) for name, value in environment.items()},
            os.fsencode(directory or ""),
        ))  # fmt: skip
        mine, theirs = socket.socketpair()
        with contextlib.ExitStack() as theirs_only:
            theirs_only.callback(theirs.close)
            given, writes_to = _pipe(stdin, "wb", theirs_only)
            taken, reads_from = _pipe(stdout, "rb", theirs_only)
            errors, _ = _pipe(stderr, "rb", theirs_only)
            with self._lock:
                socket.send_fds(self._keepers(), [len(asked).to_bytes(keeper.HEAD, "big")],
                                [given, taken, errors, theirs.fileno()])  # fmt: skip
                self._keepers().sendall(asked)
        return Kept(mine, writes_to, reads_from)

    def _end(self) -> None:
        """Programs that still run end by their own keepers, which see that nobody holds the other end of the pipe."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            if self._process is not None and self._asks is not None:
                self._asks.close()
                self._process.wait(_END_S)

    def _keepers(self) -> socket.socket:
        if self._process is None or self._process.poll() is not None or self._asks is None:
            if self._process is None:
                atexit.register(self._end)
            self._asks, theirs = socket.socketpair()
            # no site, no environment: it needs nothing, and a session of its own keeps the terminal's signals away
            self._process = subprocess.Popen(
                [sys.executable, "-I", "-S", keeper.__file__], stdin=theirs.fileno(), stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL, start_new_session=True, env={},
            )  # fmt: skip
            theirs.close()
        return self._asks


def _pipe(wanted: Any, mode: str, theirs_only: contextlib.ExitStack) -> tuple[int, IO[bytes] | None]:
    """(the program's end, ours): what was opened for the program alone is closed with ``theirs_only``."""
    if wanted == subprocess.PIPE:
        reads, writes = os.pipe()
        given, kept = (reads, writes) if mode == "wb" else (writes, reads)
        theirs_only.callback(os.close, given)
        return given, open(kept, mode)
    if wanted == subprocess.DEVNULL:
        handle = os.open(os.devnull, os.O_RDWR | os.O_CLOEXEC)
        theirs_only.callback(os.close, handle)
        return handle, None
    return wanted.fileno(), None


leash: Final = Leash()
