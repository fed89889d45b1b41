"""The asking side: a job for the process that may die, and one sentence when it does.

Processes are kept for the next job and ended when many bytes have passed through them; each is asked one thing at a
time, and ends with the program, since its standard input does.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import select
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from typing import Any, Final

from zestpanel.core.contained.frames import packed, unpacked
from zestpanel.core.errors import Cancelled, ZestError
from zestpanel.core.secrets.environment import for_programs
from zestpanel.core.texts import tr

_LOOK_S: Final = 0.1
_JOBS_EACH: Final = 500
_BYTES_EACH: Final = 100_000_000
_FAILED: Final = {
    "memory": tr("{what} takes more memory than 500 MB to read."),
    "time": tr("{what} takes longer to read than a file of its size should."),
    "died": tr("{what} brought down the process that read it."),
    "odd": tr("{what} is damaged, or not of the kind it says it is."),
}


class _Gone(Exception):
    """The process ended, or was ended; why is a key of _FAILED."""

    def __init__(self, why: str) -> None:
        self.why = why
        super().__init__(why)


class _Helper:
    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "zestpanel.core.contained.helper"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, bufsize=0,
            env=for_programs({"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}), start_new_session=True,
        )  # fmt: skip
        self.jobs = self.bytes = 0

    def ask(
        self, head: dict[str, Any], data: bytes, until: float, cancelled: Callable[[], bool]
    ) -> tuple[dict[str, Any], bytes]:
        """Raises _Gone or Cancelled; the process is at an end then."""
        self.jobs, self.bytes = self.jobs + 1, self.bytes + len(data)
        try:
            self._write(packed(head, len(data)), until, cancelled)
            self._write(data, until, cancelled)
            found = unpacked(lambda size: self._read(size, until, cancelled))
        except (BrokenPipeError, ConnectionResetError) as error:
            raise self._how_it_ended() from error
        if found is None:
            raise self._how_it_ended()
        self.bytes += len(found[1])
        return found

    def _how_it_ended(self) -> _Gone:
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(5)
        return _Gone("time" if self.process.poll() == -signal.SIGXCPU else "died")

    def _ready(self, writing: bool, until: float, cancelled: Callable[[], bool]) -> None:
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        while True:
            if cancelled():
                raise Cancelled
            left = until - time.monotonic()
            if left <= 0:
                raise _Gone("time")
            reading = [] if writing else [self.process.stdout]
            if any(select.select(reading, [self.process.stdin] if writing else [], [], min(left, _LOOK_S))):
                return

    def _write(self, data: bytes, until: float, cancelled: Callable[[], bool]) -> None:
        assert self.process.stdin is not None
        os.set_blocking(self.process.stdin.fileno(), False)
        view = memoryview(data)
        while view:
            self._ready(True, until, cancelled)
            with contextlib.suppress(BlockingIOError):
                view = view[os.write(self.process.stdin.fileno(), view) :]

    def _read(self, size: int, until: float, cancelled: Callable[[], bool]) -> bytes:
        assert self.process.stdout is not None
        out = bytearray()
        while len(out) < size:
            self._ready(False, until, cancelled)
            piece = os.read(self.process.stdout.fileno(), min(1 << 20, size - len(out)))
            if not piece:
                break
            out += piece
        return bytes(out)

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                pipe.close()

    @property
    def fresh(self) -> bool:
        return self.process.poll() is None and self.jobs < _JOBS_EACH and self.bytes < _BYTES_EACH


_idle: list[_Helper] = []
_lock = threading.Lock()


@atexit.register
def _end_idle() -> None:
    with _lock:
        while _idle:
            _idle.pop().end()


def _any_helper() -> _Helper:
    with _lock:
        while _idle:
            helper = _idle.pop()
            if helper.fresh:
                return helper
            helper.end()
    return _Helper()


def ask(
    job: str,
    data: bytes,
    what: str,
    *,
    error: type[ZestError],
    kept: str,
    cancelled: Callable[[], bool] = lambda: False,
    weight: int | None = None,
    **more: Any,
) -> tuple[dict[str, Any], bytes]:
    """What a job gives for some bytes: its head and its data.

    what: how the bytes are called in a sentence. weight: the bytes there are to read once they are unpacked, which the
    time allowed follows; else those that are handed in. Raises ``error`` with a sentence for everything that can go
    wrong, Cancelled within a tenth of a second of being asked to stop.
    """
    seconds = allowed_s(len(data) if weight is None else weight)
    head = {"job": job, "name": what, "seconds": seconds, **more}
    helper = _any_helper()
    try:
        # the processor's time is what is limited; the clock only ends a process that waits for what never comes
        found, blob = helper.ask(head, data, time.monotonic() + 10 + 4 * seconds, cancelled)
    except _Gone as gone:
        helper.end()
        raise error(_FAILED[gone.why].format(what=what), kept=kept) from gone
    except BaseException:
        helper.end()
        raise
    if found.get("failed") == "memory":
        helper.end()
    else:
        with _lock:
            _idle.append(helper)
    if "failed" in found:
        raise error(_FAILED.get(str(found["failed"]), _FAILED["odd"]).format(what=what), kept=kept)
    if "what" in found:
        raise error(str(found["what"]), kept=str(found["kept"]), remedy=str(found["remedy"]))
    return found, blob


def allowed_s(size_bytes: int) -> float:
    """Seconds of the processor that reading so many bytes may take: a start, and a rate below the slowest reader's."""
    return min(1.0 + 20.0 * size_bytes / 1e6, 180.0)
