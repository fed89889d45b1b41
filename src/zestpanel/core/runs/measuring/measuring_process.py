"""Measuring in a process of its own: pitch and alignment hold Python's lock for long, and a window must not wait.

The process reads one JSON object a line, {"clip", "text", "language", "words", "only", "before"}, and answers
{"values", "words", "words_by", "versions"} or {"error"}. It ends when its standard input does, so that it never
outlives the program.

To start one takes seconds, which is mostly loading code: one that is not needed any more is kept for the next for a
while.
"""

from __future__ import annotations

import atexit
import base64
import contextlib
import json
import os
import subprocess
import sys
import threading
from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Any, ClassVar, Final

from zestpanel.core.domain.take import Measured, WordTimes
from zestpanel.core.errors import AudioError, ZestError
from zestpanel.core.measures import tracks
from zestpanel.core.secrets.environment import for_programs
from zestpanel.core.texts import tr

KEPT_S: Final = 90.0
MOST_KEPT: Final = 2


class _Spare:
    """Processes that nobody asks at the moment, each by the command it was started with."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._kept: list[tuple[tuple[str, ...], subprocess.Popen[str], threading.Timer]] = []
        atexit.register(self.end_all)

    def take(self, command: tuple[str, ...]) -> subprocess.Popen[str] | None:
        with self._lock:
            for one in self._kept:
                if one[0] == command:
                    self._kept.remove(one)
                    one[2].cancel()
                    if one[1].poll() is None:
                        return one[1]
                    _end(one[1])
                    break
        return None

    def keep(self, command: tuple[str, ...], process: subprocess.Popen[str]) -> None:
        with self._lock:
            if len(self._kept) < MOST_KEPT and process.poll() is None:
                timer = threading.Timer(KEPT_S, self._end_one, (process,))
                timer.daemon = True
                timer.start()
                self._kept.append((command, process, timer))
                return
        _end(process)

    def _end_one(self, process: subprocess.Popen[str]) -> None:
        with self._lock:
            mine = [one for one in self._kept if one[1] is process]
            self._kept = [one for one in self._kept if one[1] is not process]
        for one in mine:  # none where it was taken in the very moment
            _end(one[1])

    def end_all(self) -> None:
        with self._lock:
            ended, self._kept = self._kept, []
        for _, process, timer in ended:
            timer.cancel()
            _end(process)


def _end(process: subprocess.Popen[str]) -> None:
    assert process.stdin is not None
    assert process.stdout is not None
    with contextlib.suppress(OSError):  # it may have ended by itself
        process.stdin.close()
    process.wait()
    process.stdout.close()


spare: Final = _Spare()


class MeasuringProcess:
    """The asking side. Use as a context manager; the process starts with the first question."""

    command: ClassVar[tuple[str, ...]] = (sys.executable, "-m", __name__)

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._under_way = False  # asked, and not answered yet: the answer would be taken for another clip's

    def __enter__(self) -> MeasuringProcess:
        return self

    def __exit__(self, *_: object) -> None:
        process, self._process = self._process, None
        if process is not None and self._under_way:
            _end(process)
        elif process is not None:
            spare.keep(self.command, process)

    @property
    def alive(self) -> bool:
        """False once the process has ended by itself: then a new one is needed."""
        return self._process is None or self._process.poll() is None

    def kill(self) -> None:
        """From any thread: whoever waits for an answer is told at once that the process ended."""
        process = self._process
        if process is not None:
            process.kill()

    def start(self) -> None:
        """Start the process now, so that its imports are over when the first clip comes."""
        if self._process is None:
            self._process = spare.take(self.command)
        if self._process is None:
            self._process = subprocess.Popen(
                self.command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
                encoding="utf-8", env=for_programs({}),
            )  # fmt: skip

    def measure(
        self, clip: Path, text: str, language: str, words: WordTimes, *, only: Collection[str] = (),
        before: Measured | None = None,
    ) -> Measured:  # fmt: skip
        """Raises AudioError for a clip that cannot be read, ZestError where the process ended."""
        self.start()
        process = self._process
        assert process is not None
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            asked = {"clip": str(clip), "text": text, "language": language, "words": words, "only": list(only),
                     "before": packed(before) if before is not None else None}  # fmt: skip
            self._under_way = True
            process.stdin.write(json.dumps(asked) + "\n")
            process.stdin.flush()
            line = process.stdout.readline()
        except OSError:
            line = ""
        if not line:
            raise ZestError(
                tr("The measuring process ended."), kept=tr("The take is kept."), remedy=tr("It is measured later.")
            )
        answer: dict[str, Any] = json.loads(line)
        self._under_way = False
        if "error" in answer:
            raise AudioError(answer["error"])
        return unpacked(answer)


def packed(measured: Measured) -> dict[str, Any]:
    """As it travels between processes."""
    return {"values": measured.values, "words": measured.words, "words_by": measured.words_by,
            "versions": dict(measured.versions), "segments": measured.segments,
            "curves": base64.b64encode(tracks.packed(measured.curves)).decode()}  # fmt: skip


def unpacked(told: Mapping[str, Any]) -> Measured:
    return Measured(values=told["values"], words=tuple((w, s, e, g) for w, s, e, g in told["words"]),
                    words_by=told["words_by"], versions=told["versions"],
                    segments=tracks.from_rows(told["segments"]),
                    curves=tracks.unpacked(base64.b64decode(told["curves"])))  # fmt: skip


def serve() -> None:
    """The answering side: until standard input ends."""
    os.nice(10)  # a window and the timing of requests come first
    with contextlib.suppress(OSError, AttributeError):  # nor does it take the processor from them when it wakes
        os.sched_setscheduler(0, os.SCHED_BATCH, os.sched_param(0))
    from zestpanel.core.audio.files import read_kept
    from zestpanel.core.measures.registry import measure

    for line in sys.stdin:
        asked = json.loads(line)
        try:
            words = tuple((w, s, e) for w, s, e in asked["words"])
            before = unpacked(asked["before"]) if asked["before"] is not None else None
            clip = read_kept(Path(asked["clip"]))
            found = measure(clip, asked["text"], asked["language"], words, only=asked["only"], before=before)
            answer = packed(found)
        except Exception as error:  # whatever it is, the asker is told which clip it was
            answer = {"error": str(error)}
        try:
            print(json.dumps(answer), flush=True)
        except BrokenPipeError:  # the program ended meanwhile: nobody is left to be told
            os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
            return


if __name__ == "__main__":
    serve()
