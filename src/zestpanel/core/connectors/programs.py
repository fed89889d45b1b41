"""Programs on this machine: started without a shell, ended with all they started, their console understood."""

from __future__ import annotations

import os
import re
import stat
from pathlib import Path
from typing import Any, Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import decode, decode_raw
from zestpanel.core.audio.kinds import wrong_length
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import CommandSpeak
from zestpanel.core.connectors.leash import Kept, leash
from zestpanel.core.connectors.resolved import FOLDER, resolved
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.errors import AudioError, SynthesisFailure
from zestpanel.core.own_files import read_regular
from zestpanel.core.secrets.environment import for_programs
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr

_NUMBER: Final = re.compile(r"-\d+(\.\d+)?%?")
LARGEST_OUTPUT: Final = 500_000_000  # bytes: an hour of sound at 48 kHz in 24 bits
LARGEST_CONSOLE: Final = 50_000_000


def size_of(path: Path) -> int:
    """Bytes of a regular file that a program wrote; 0 where there is none. No link is followed."""
    try:
        found = path.lstat()
    except OSError:
        return 0
    return found.st_size if stat.S_ISREG(found.st_mode) else 0


def read_output(path: Path, program: str) -> bytes:
    """The sound a program wrote to a file; b'' where it wrote none. Raises SynthesisFailure for one past the limit."""
    if not size_of(path):
        return b""
    try:
        data = read_regular(path, LARGEST_OUTPUT)
    except OSError as error:
        raise SynthesisFailure(
            "broken sound",
            tr("What {program} wrote cannot be read ({strerror}).", program=program, strerror=error.strerror or error),
        ) from error
    if data is None:
        raise too_much(program)
    return data


def too_much(program: str) -> SynthesisFailure:
    return SynthesisFailure(
        "wrong content",
        tr(
            "{program} wrote more than {largest_output} MB of sound or {largest_console} MB of "
            "messages and was stopped.",
            program=program,
            largest_output=LARGEST_OUTPUT // 1_000_000,
            largest_console=LARGEST_CONSOLE // 1_000_000,
        ),
    )


def decoded(data: bytes, program: str, speak: CommandSpeak | None = None) -> Clip:
    """Raises SynthesisFailure. speak: states how raw samples are packed, where they are raw."""
    if speak is not None and speak.encoding != "file":
        try:
            return decode_raw(data, speak.encoding, rate_hz=speak.rate_hz or 0, channels=speak.channels)
        except AudioError as error:
            raise SynthesisFailure(
                "broken sound", tr("{program} wrote no playable sound. {what}", program=program, what=error.what)
            ) from error
    if wrong := wrong_length(data):
        raise SynthesisFailure("broken sound", f"{program}: {wrong}")
    try:
        return decode(data)
    except AudioError as error:
        said = f" {quoted}" if (quoted := _one_line(data[:LONGEST_CONSOLE], _MOST_QUOTED // 3)) else ""
        raise SynthesisFailure(
            "broken sound", tr("{program} wrote no playable sound. {what}", program=program, what=error.what) + said
        ) from error


def no_sound(program: str, stderr: bytes, stdout: bytes = b"") -> SynthesisFailure:
    """Of a program that ended well and left none: with what it said, which mostly tells why."""
    said = last_words(program, 0, stderr, stdout)
    return SynthesisFailure("broken sound", tr("{program} wrote no sound. {said}", program=program, said=said))


class Program:
    """The program of a connector file: arguments filled, never a shell."""

    def __init__(self, engine: Engine) -> None:
        assert isinstance(engine.speak, CommandSpeak)
        self.engine, self.speak_facts = engine, engine.speak
        self._means = resolved(engine.speak)

    def arguments(self, request: SpeakRequest | None, **more: str) -> list[str]:
        """The program and its arguments. Raises SynthesisFailure for a value that it would take for an option."""
        expanded = self._means.arguments
        values = values_of(request, **more) if request else dict(more)
        filled = [str(part) for part in fill(expanded, values)]
        if any("\0" in part for part in filled):
            raise SynthesisFailure(
                "bad text", tr("The text holds a sign that no program can be given (U+0000); it was not run.")
            )
        for part, place in zip(filled, expanded, strict=True):
            if part == place:
                if part == "--":  # nothing behind it is an option (POSIX.1, utility syntax guideline 10)
                    break
            elif part.startswith("-") and not place.startswith("-") and not _NUMBER.fullmatch(part):
                shown = part if len(part) <= 40 else part[:39] + "…"
                raise SynthesisFailure(
                    "bad text",
                    tr(
                        "'{shown}' begins with '-', which {expanded} would take for an option; it was not run. "
                        "Put -- before {place} in the connector file, or give the text in {{text_file}} or on "
                        "standard input.",
                        shown=shown,
                        expanded=expanded[0],
                        place=place,
                    ),
                )
        return filled

    def start(self, arguments: list[str], *, output_folder: str = "", **pipes: Any) -> Kept:
        directory = self._means.directory.replace(FOLDER, output_folder) or None
        if directory is not None and not os.path.isdir(directory):
            raise SynthesisFailure(
                "program", tr("The working directory '{directory}' is not there.", directory=directory)
            )
        try:
            if not self._means.found:  # nothing of that name in the directory is run in its place
                raise FileNotFoundError
            return leash.start(
                arguments, environment=for_programs(self._means.environment), directory=directory, **pipes
            )
        except FileNotFoundError as error:
            raise SynthesisFailure(
                "unreachable", tr("The program '{arguments}' was not found.", arguments=arguments[0])
            ) from error
        except OSError as error:
            raise SynthesisFailure(
                "program",
                tr(
                    "The program '{arguments}' did not start ({strerror}).",
                    arguments=arguments[0],
                    strerror=error.strerror,
                ),
            ) from error


LONGEST_CONSOLE: Final = 20_000
_MOST_QUOTED: Final = 600
_BAD: Final = re.compile(r"\b(error|exception|traceback|failed|fatal|cannot|denied|not found)\b", re.IGNORECASE)


def console_text(console: bytes) -> str:
    return without_keys(console.decode("utf-8", errors="replace"))[-LONGEST_CONSOLE:]


def console_verdict(console: str) -> str:
    """A line on what a program wrote although it delivered: '' for nothing, else how much of it looks bad."""
    lines = [line for line in console.splitlines() if line.strip()]
    if not lines:
        return ""
    bad = [line.strip() for line in lines if _BAD.search(line)]
    if not bad:
        return tr("The program wrote {lines} lines; none looks like an error, and it delivered.", lines=len(lines))
    return tr(
        "The program wrote {lines} lines, {bad} look like errors although it delivered: {bad2}",
        lines=len(lines),
        bad=len(bad),
        bad2=bad[-1][:160],
    )


def last_words(program: str, code: int, stderr: bytes, stdout: bytes = b"") -> str:
    """How it ended, all that it said of it (the end of it, where that is long), and the end of its output."""
    how = tr("was ended by signal {code}", code=-code) if code < 0 else tr("ended with status {code}", code=code)
    said, put_out = _one_line(stderr, _MOST_QUOTED), _one_line(stdout, _MOST_QUOTED // 3)
    words = f"{program} {how}" + (f": {said}" if said else tr(" and said nothing"))
    return tr("{words} · its output ended with: {put_out}", words=words, put_out=put_out) if put_out else words


def _one_line(data: bytes, most: int) -> str:
    """The end of a text, its lines parted by a bar; '' for what is no text."""
    text = without_keys(data[-LONGEST_CONSOLE:].decode("utf-8", errors="replace"))
    line = " | ".join(part for part in map(str.strip, text.splitlines()) if part)
    if "\ufffd" in line or not line.isprintable():
        return ""
    return line if len(line) <= most else f"… {line[-most:]}"
