"""Programs on this machine: started without a shell, ended with all they started, their console understood."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import subprocess
from typing import Any, Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import decode
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import CommandSpeak
from zestpanel.core.connectors.secrets import expand_environment
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.errors import AudioError, SynthesisFailure


def end_process_tree(process: subprocess.Popen[bytes]) -> None:
    """Kill the program and all it started (it leads its own process group)."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def decoded(data: bytes, program: str) -> Clip:
    try:
        return decode(data)
    except AudioError as error:
        raise SynthesisFailure("broken sound", f"{program} wrote no playable sound. {error.what}") from error


class Program:
    """The program of a connector file: arguments filled, never a shell."""

    def __init__(self, engine: Engine) -> None:
        assert isinstance(engine.speak, CommandSpeak)
        self.engine, self.speak_facts = engine, engine.speak

    def arguments(self, request: SpeakRequest | None, **more: str) -> list[str]:
        expanded = [expand_environment(part) for part in self.speak_facts.arguments]
        values = values_of(request, **more) if request else dict(more)
        return [str(part) for part in fill(expanded, values)]

    def start(self, arguments: list[str], **pipes: Any) -> subprocess.Popen[bytes]:
        extra = {name: expand_environment(value) for name, value in self.speak_facts.environment.items()}
        directory = expand_environment(self.speak_facts.directory) or None
        if directory is not None and not os.path.isdir(directory):
            raise SynthesisFailure("program", f"The working directory '{directory}' is not there.")
        try:
            return subprocess.Popen(
                arguments, start_new_session=True, env={**os.environ, **extra}, cwd=directory, **pipes
            )
        except FileNotFoundError as error:
            raise SynthesisFailure("unreachable", f"The program '{arguments[0]}' was not found.") from error
        except OSError as error:
            raise SynthesisFailure(
                "program", f"The program '{arguments[0]}' did not start ({error.strerror})."
            ) from error


LONGEST_CONSOLE: Final = 20_000
_BAD: Final = re.compile(r"\b(error|exception|traceback|failed|fatal|cannot|denied|not found)\b", re.IGNORECASE)


def console_text(console: bytes) -> str:
    return console[-LONGEST_CONSOLE:].decode("utf-8", errors="replace")


def console_verdict(console: str) -> str:
    """A line on what a program wrote although it delivered: '' for nothing, else how much of it looks bad."""
    lines = [line for line in console.splitlines() if line.strip()]
    if not lines:
        return ""
    bad = [line.strip() for line in lines if _BAD.search(line)]
    if not bad:
        return f"The program wrote {len(lines)} lines; none looks like an error, and it delivered."
    return f"The program wrote {len(lines)} lines, {len(bad)} look like errors although it delivered: {bad[-1][:160]}"


def last_words(program: str, code: int, stderr: bytes) -> str:
    lines = [line.strip() for line in stderr.decode("utf-8", errors="replace").splitlines() if line.strip()]
    said = f": {lines[-1][:200]}" if lines else " and said nothing"
    how = f"was ended by signal {-code}" if code < 0 else f"ended with status {code}"
    return f"{program} {how}{said}"
