"""The 'command' kind: a program on this machine that is started for each text."""

from __future__ import annotations

import contextlib
import os
import select
import subprocess
import tempfile
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.arrival import sound_trace
from zestpanel.core.connectors.leash import Kept
from zestpanel.core.connectors.packed import out_of_archive
from zestpanel.core.connectors.programs import (
    LARGEST_CONSOLE,
    LARGEST_OUTPUT,
    LONGEST_CONSOLE,
    Program,
    console_text,
    decoded,
    last_words,
    no_sound,
    read_output,
    size_of,
    too_much,
)
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.watching import MemoryWatch
from zestpanel.core.domain.take import Timing
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.own_files import first_bytes, is_own_file
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled

_LOOK_S: Final = 0.05  # how often it is asked whether the run was cancelled; what the program does is told at once
_LEFT_OPEN_S: Final = 0.5  # how long its output is still read after its end, where something it started holds it open
_READ: Final = 65_536
_LOOK_AT_FOLDER_S: Final = 0.25
_MOST_FILES: Final = 5_000
_READS_AT_ONCE: Final = 256


@dataclass(slots=True)
class _Ended:
    """What came of a program: sound as it arrived on its output, when it ended, and what it took."""

    chunks: list[tuple[float, bytes]] = field(default_factory=list)
    ended_s: float = 0.0
    cpu_s: float | None = None


class _Folder:
    """What a program fills its folder with, looked at every quarter of a second."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._next_s = folder, 0.0

    def is_over(self) -> bool:
        if time.monotonic() < self._next_s:
            return False
        self._next_s = time.monotonic() + _LOOK_AT_FOLDER_S
        size = count = 0
        waiting = [str(self._folder)]
        while waiting:
            with contextlib.suppress(OSError), os.scandir(waiting.pop()) as entries:
                for entry in entries:
                    count += 1
                    if count > _MOST_FILES:
                        return True
                    if entry.is_dir(follow_symlinks=False):
                        waiting.append(entry.path)
                    elif not entry.is_symlink():
                        size += entry.stat(follow_symlinks=False).st_size
        return size > LARGEST_OUTPUT + LARGEST_CONSOLE


class CommandConnector:
    """One program run per text. {text} in the arguments, or the text on standard input; a WAV at {output} or out."""

    def __init__(self, engine: Engine) -> None:
        self._program = Program(engine)
        self._template = " ".join(self._program.speak_facts.arguments)
        self._own_name = "{output_folder}" in f"{self._template} {self._program.speak_facts.directory}"
        self._ran_before = False

    def close(self) -> None:
        pass

    def describe(self, request: SpeakRequest) -> str:
        places = {"output": "OUTPUT.wav", "output_folder": "FOLDER", "text_file": "TEXT.txt"}
        text = " ".join(self._program.arguments(request, **places))
        if "{text_file}" in self._template:
            return tr("{words}\n\n(TEXT.txt)\n{words2}", words=text, words2=request.text)
        return (
            text
            if "{text}" in self._template
            else tr("{words}\n\n(standard input)\n{words2}", words=text, words2=request.text)
        )

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        with tempfile.TemporaryDirectory(prefix="zest-", ignore_cleanup_errors=True) as folder:
            return self._speak_in(Path(folder), request, cancelled)

    def _speak_in(self, folder: Path, request: SpeakRequest, cancelled: Cancelled) -> Reply:
        output = folder / "out.wav"
        text_file = folder / "text.txt"
        text_file.write_text(request.text, encoding="utf-8")
        made = folder / "made"
        made.mkdir()
        arguments = self._program.arguments(request, output=str(output), output_folder=str(made),
                                            text_file=str(text_file))  # fmt: skip
        by_argument = "{text}" in self._template or "{text_file}" in self._template
        to_file = "{output}" in self._template
        cold, self._ran_before = not self._ran_before, True
        err_file, in_file = folder / "stderr", folder / "stdin"
        in_file.write_bytes(b"" if by_argument else request.text.encode("utf-8"))
        with in_file.open("rb") as given, err_file.open("wb") as err:
            process = self._program.start(arguments, output_folder=str(made), stdin=given, stdout=subprocess.PIPE,
                                          stderr=err)  # fmt: skip
            began = process.began_s
            watch = MemoryWatch(process.pid)
            try:
                ended = self._wait(process, began, cancelled, err_file)
            finally:
                process.end()  # and what it left running
                memory_mb = watch.end()
                assert process.stdout is not None
                process.stdout.close()
        put_out = b"".join(part for _, part in ended.chunks[-2:])
        if process.returncode:
            raise SynthesisFailure("program", last_words(arguments[0], process.returncode, _end_of(err_file), put_out))
        if self._own_name and not any(made.iterdir()):
            raise no_sound(arguments[0], _end_of(err_file), put_out)
        if self._own_name:
            output = _the_one_in(made, arguments[0], raw=self._program.speak_facts.encoding != "file")
        if to_file or self._own_name:
            data = read_output(output, arguments[0])
            chunks: Sequence[tuple[float, bytes]] = [(ended.ended_s, data)]
        else:
            data, chunks = b"".join(part for _, part in ended.chunks), ended.chunks
        if not data:
            raise no_sound(arguments[0], _end_of(err_file), put_out if to_file else b"")
        if self._program.speak_facts.encoding == "file" and (sound := out_of_archive(data)) is not data:
            data, chunks = sound, [(ended.ended_s, sound)]
        clip = decoded(data, arguments[0], self._program.speak_facts)
        return Reply(
            data=data,
            clip=clip,
            console=console_text(_end_of(err_file)),
            timing=_timing(chunks, clip, ended, cold=cold, memory_mb=memory_mb, decoded_s=time.monotonic() - began),
        )

    def _wait(self, process: Kept, began: float, cancelled: Cancelled, console: Path) -> _Ended:
        """Read the output as it fills and wait for the end; the system wakes us for both (poll, pidfd)."""
        found, counted, heard = _Ended(), 0, 0
        watched = _Folder(console.parent)
        assert process.stdout is not None
        ended = process.fileno()
        events = select.poll()
        events.register(ended, select.POLLIN)
        events.register(process.stdout, select.POLLIN | select.POLLHUP)
        os.set_blocking(process.stdout.fileno(), False)
        while True:
            ready = dict(events.poll(_LOOK_S * 1000))
            at = time.monotonic() - began
            if process.stdout.fileno() in ready and not _read(process.stdout, at, found.chunks):
                events.unregister(process.stdout)
            if ended in ready:
                break
            self._check(at, cancelled)
            heard += sum(len(part) for _, part in found.chunks[counted:])
            counted = len(found.chunks)
            if heard > LARGEST_OUTPUT or size_of(console) > LARGEST_CONSOLE or watched.is_over():
                raise too_much(self._program.speak_facts.arguments[0])
        process.wait()
        found.ended_s, found.cpu_s = process.ended_s - began, process.cpu_s
        _read_on(process.stdout, began, found.chunks)
        return found

    def _check(self, at_s: float, cancelled: Cancelled) -> None:
        timeout = self._program.speak_facts.timeout_s
        if cancelled():
            raise WasCancelled
        if at_s > timeout:
            raise SynthesisFailure(
                "timed out", tr("The program did not end within {timeout} s and was stopped.", timeout=f"{timeout:g}")
            )


def _the_one_in(folder: Path, program: str, *, raw: bool) -> Path:
    """The sound file that a program left under a name of its own. Raises SynthesisFailure for none, or several."""
    try:
        files = sorted(p for p in folder.rglob("*") if is_own_file(p))
        if not raw and len(files) > 1:
            files = [p for p in files if kind_of_sound(first_bytes(p, 512)) is not None]
    except OSError as error:
        raise SynthesisFailure(
            "broken sound",
            tr("What {program} left in its folder cannot be read ({strerror}).", program=program,
               strerror=error.strerror or error),
        ) from error  # fmt: skip
    if len(files) != 1:
        what = ", ".join(p.name for p in files[:3]) or "none"
        raise SynthesisFailure(
            "broken sound",
            tr("{program} was to leave one sound file in its folder; there is: {what}.", program=program, what=what),
        )
    return files[0]


def _read(pipe: IO[bytes], at_s: float, chunks: list[tuple[float, bytes]]) -> bool:
    """Take what the pipe holds now, some of it where it is filled faster than read. False when it is closed."""
    for _ in range(_READS_AT_ONCE):
        try:
            part = os.read(pipe.fileno(), _READ)
        except BlockingIOError:
            return True
        if not part:
            return False
        chunks.append((at_s, part))
    return True


def _end_of(console: Path) -> bytes:
    """The last of what a program wrote to standard error."""
    with console.open("rb") as file:
        file.seek(max(0, size_of(console) - LONGEST_CONSOLE))
        return file.read(LONGEST_CONSOLE)


def _read_on(pipe: IO[bytes], began: float, chunks: list[tuple[float, bytes]]) -> None:
    """What is left in the pipe of a program that has ended; not without end where another one holds it open."""
    until = time.monotonic() + _LEFT_OPEN_S
    most = len(chunks) + LARGEST_OUTPUT // _READ
    while _read(pipe, time.monotonic() - began, chunks) and time.monotonic() < until and len(chunks) < most:
        select.select([pipe], [], [], _LOOK_S)


def _timing(
    chunks: Sequence[tuple[float, bytes]],
    clip: Clip,
    ended: _Ended,
    *,
    cold: bool,
    memory_mb: float | None,
    decoded_s: float,
) -> Timing:
    first, trace = sound_trace(chunks, clip) if len(chunks) > 1 else (chunks[0][0], ((chunks[0][0], 0.0),))
    return Timing(
        last_byte_s=chunks[-1][0],
        first_sound_s=first,
        decoded_s=decoded_s,
        cold=cold,
        cpu_s=ended.cpu_s,
        peak_memory_mb=memory_mb,
        chunks=trace,
    )
