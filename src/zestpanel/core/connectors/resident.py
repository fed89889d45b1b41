"""The 'command' kind, resident: a program that stays, so that its model loads once."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any, Final

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.leash import Kept
from zestpanel.core.connectors.packed import out_of_archive
from zestpanel.core.connectors.programs import (
    LARGEST_CONSOLE,
    LONGEST_CONSOLE,
    Program,
    console_text,
    decoded,
    last_words,
    read_output,
    too_much,
)
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.watching import MemoryWatch, cpu_s, threads_of, tree
from zestpanel.core.connectors.word_times import word_times
from zestpanel.core.domain.take import Timing
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled

_POLL_S: Final = 0.05
_LONGEST_PROGRESS: Final = 200
_LONGEST_LINE: Final = 4_000_000
_LEFT_OPEN_S: Final = 0.5
_MOST_OTHER_LINES: Final = 1000
_READY: Final = '{"ready": true}'


class ResidentConnector:
    """A program that stays, so that its model loads once.

    Protocol: one JSON object a line, whatever else stands between left out. The program first writes {"ready": true},
    before it as many {"progress": ...} lines as it likes. Each request is
    {"text", "voice", "model", "language", "seed", "settings", "output"}; the program writes a WAV to ``output`` and
    answers {"ok": true, "voice": ..., "word_times": ...} or {"error": "..."}.
    """

    def __init__(self, engine: Engine) -> None:
        self._program = Program(engine)
        self._process: Kept | None = None
        self._errors: IO[bytes] | None = None
        self._told = 0  # bytes of the console that were given with a reply
        self._lock = threading.Lock()
        self.tell: Callable[[str], None] = lambda _: None  # what it says while it loads

    def describe(self, request: SpeakRequest) -> str:
        line = json.dumps(self._line(request, "OUTPUT.wav"), ensure_ascii=False)
        return " ".join(self._program.arguments(None)) + tr("\n\n(standard input)\n") + line

    def _line(self, request: SpeakRequest, output: str) -> dict[str, Any]:
        return {
            "text": request.text,
            "voice": request.voice,
            "model": request.model,
            "language": request.language,
            "seed": request.seed,
            "settings": dict(request.settings),
            **({"reference": request.reference} if request.reference else {}),
            **({"described": dict(request.described)} if request.described else {}),
            "output": output,
        }

    def close(self) -> None:
        if self._process is not None:
            self._process.end()
            for pipe in (self._process.stdin, self._process.stdout, self._errors):
                if pipe is not None:
                    pipe.close()
            self._process = None

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        with self._lock, tempfile.TemporaryDirectory(prefix="zest-", ignore_cleanup_errors=True) as folder:
            began = time.monotonic()
            load_s = None
            if self._process is None or self._process.poll() is not None:
                self._load(cancelled)
                load_s = time.monotonic() - began
            return self._ask(request, Path(folder) / "out.wav", began, load_s, cancelled)

    def _load(self, cancelled: Cancelled) -> None:
        self.close()
        arguments = self._program.arguments(None)
        self._errors = tempfile.TemporaryFile()  # noqa: SIM115 - lives as long as the program
        self._process = self._program.start(
            arguments, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=self._errors
        )
        self._told = 0
        answer = self._read(arguments[0], cancelled, loading=True)
        while "progress" in answer:  # the first start may fetch files; each line gives it the time-out anew
            self.tell(without_keys(str(answer["progress"]), _LONGEST_PROGRESS))
            if cancelled():
                self.close()
                raise WasCancelled
            answer = self._read(arguments[0], cancelled, loading=True)
        if not answer.get("ready"):
            self.close()
            said = without_keys(json.dumps(answer, ensure_ascii=False), _LONGEST_PROGRESS)
            raise SynthesisFailure(
                "program",
                tr(
                    "{program} did not say that it is ready, but {said}. Its first line is to be {line}.",
                    program=arguments[0],
                    said=said,
                    line=_READY,
                ),
            )

    def _read(self, program: str, cancelled: Cancelled, *, loading: bool = False) -> dict[str, Any]:
        """The program's next object. Other lines before it are of its libraries, and kept for what is said of it."""
        others: list[bytes] = []
        began = time.monotonic()  # the time-out is for the answer, however many lines come before it
        while len(others) < _MOST_OTHER_LINES:
            line = self._next_line(program, cancelled, others, began, loading)
            with contextlib.suppress(ValueError, RecursionError):
                answer = json.loads(line)
                if isinstance(answer, dict):
                    return answer
            if not line:
                break
            others.append(line[:LONGEST_CONSOLE])
        raise self._ended(program, b"".join(others))

    def _next_line(self, program: str, cancelled: Cancelled, others: list[bytes], began: float, loading: bool) -> bytes:
        """b'' at its end. A helper thread reads, so that cancelling and time-outs work."""
        process, errors = self._process, self._errors
        assert process is not None
        assert process.stdout is not None
        assert errors is not None
        got: list[bytes] = []
        reader = threading.Thread(
            target=lambda out: got.append(out.readline(_LONGEST_LINE)), args=(process.stdout,), daemon=True
        )
        reader.start()
        while reader.is_alive():
            reader.join(_POLL_S)
            late = time.monotonic() - began > self._program.speak_facts.timeout_s
            flooded = os.fstat(errors.fileno()).st_size - self._told > LARGEST_CONSOLE
            if reader.is_alive() and (cancelled() or late or flooded):
                process.end()
                reader.join(_LEFT_OPEN_S)
                if reader.is_alive():  # something it started holds its output open: neither waited for nor closed here
                    self._process = None
                self.close()
                if flooded:
                    raise too_much(program)
                if late:
                    said = console_text(b"".join(others)).strip()
                    raise SynthesisFailure(
                        "timed out",
                        tr("{program} did not answer in time and was stopped.", program=program)
                        + (tr(" Once it is loaded it is to write the line {line}.", line=_READY) if loading else "")
                        + (tr(" It wrote: {said}", said=" | ".join(said.splitlines())[-300:]) if said else ""),
                    )
                raise WasCancelled
        return got[0] if got else b""

    def _ask(
        self, request: SpeakRequest, output: Path, began: float, load_s: float | None, cancelled: Cancelled
    ) -> Reply:
        assert self._process is not None
        program = self._program.speak_facts.arguments[0]
        pid = self._process.pid
        before = cpu_s(tree(pid))
        watch = MemoryWatch(pid)
        try:
            answer = self._answer_to(request, output, cancelled)
            last = time.monotonic() - began
        finally:
            memory_mb = watch.end()
        if "error" in answer:
            raise SynthesisFailure(
                "program",
                tr(
                    "{program} answered: {without_keys}",
                    program=program,
                    without_keys=without_keys(str(answer["error"]), 200),
                ),
            )
        alive = tree(pid)
        used = max(0.0, cpu_s(alive) - before)
        data = out_of_archive(read_output(output, program))
        clip = decoded(data, program)
        return Reply(
            data=data,
            clip=clip,
            console=self._console(),
            voice_used=without_keys(str(answer.get("voice", "")), 200),
            word_times=word_times(answer.get("word_times"), clip.duration_s),
            timing=Timing(
                load_s=load_s,
                last_byte_s=last,
                first_sound_s=last,
                decoded_s=time.monotonic() - began,
                cold=load_s is not None,
                cpu_s=used,
                peak_memory_mb=memory_mb,
                threads=threads_of(alive),
                chunks=((last, 0.0),),
            ),
        )

    def _answer_to(self, request: SpeakRequest, output: Path, cancelled: Cancelled) -> dict[str, Any]:
        assert self._process is not None
        assert self._process.stdin is not None
        program = self._program.speak_facts.arguments[0]
        try:
            self._process.stdin.write((json.dumps(self._line(request, str(output))) + "\n").encode())
            self._process.stdin.flush()
        except OSError as error:  # it is gone: what it said before it went is told
            raise self._ended(program) from error
        return self._read(program, cancelled)

    def _ended(self, program: str, put_out: bytes = b"") -> SynthesisFailure:
        """What the program said last, once it answers no more."""
        process, errors = self._process, self._errors
        assert process is not None
        assert errors is not None
        process.wait(_POLL_S)
        said = os.pread(errors.fileno(), LONGEST_CONSOLE, max(0, os.fstat(errors.fileno()).st_size - LONGEST_CONSOLE))
        code = process.poll() or 0
        self.close()
        return SynthesisFailure("program", last_words(program, code, said, put_out))

    def _console(self) -> str:
        """What it wrote to standard error since the last reply."""
        if self._errors is None:
            return ""
        size = os.fstat(self._errors.fileno()).st_size
        new = os.pread(self._errors.fileno(), min(size - self._told, LONGEST_CONSOLE), self._told)
        self._told = size
        return console_text(new)
