"""The 'command' kind: a program on this machine, started for each text or kept resident."""

from __future__ import annotations

import contextlib
import json
import os
import re
import signal
import subprocess
import tempfile
import threading
import time
from pathlib import Path
from typing import IO, Any, Final

import psutil

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import decode
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import CommandSpeak
from zestpanel.core.connectors.secrets import expand_environment
from zestpanel.core.connectors.speaking import Cancelled, Reply, SpeakRequest, Timing, never_cancelled
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.errors import AudioError, SynthesisFailure
from zestpanel.core.errors import Cancelled as WasCancelled

_POLL_S = 0.05


def end_process_tree(process: subprocess.Popen[bytes]) -> None:
    """Kill the program and all it started (it leads its own process group)."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def _decoded(data: bytes, program: str) -> Clip:
    try:
        return decode(data)
    except AudioError as error:
        raise SynthesisFailure("broken sound", f"{program} wrote no playable sound. {error.what}") from error


class _Started:
    """Shared by both ways: arguments filled, never a shell."""

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


class CommandConnector:
    """One program run per text. {text} in the arguments, or the text on standard input; a WAV at {output} or out."""

    def __init__(self, engine: Engine) -> None:
        self._program = _Started(engine)
        self._template = " ".join(self._program.speak_facts.arguments)
        self._ran_before = False

    def close(self) -> None:
        pass

    def describe(self, request: SpeakRequest) -> str:
        text = " ".join(self._program.arguments(request, output="OUTPUT.wav", text_file="TEXT.txt"))
        if "{text_file}" in self._template:
            return f"{text}\n\n(TEXT.txt)\n{request.text}"
        return text if "{text}" in self._template else f"{text}\n\n(standard input)\n{request.text}"

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        with tempfile.TemporaryDirectory(prefix="zest-") as folder:
            return self._speak_in(Path(folder), request, cancelled)

    def _speak_in(self, folder: Path, request: SpeakRequest, cancelled: Cancelled) -> Reply:
        output = folder / "out.wav"
        text_file = folder / "text.txt"
        text_file.write_text(request.text, encoding="utf-8")
        arguments = self._program.arguments(request, output=str(output), text_file=str(text_file))
        by_argument = "{text}" in self._template or "{text_file}" in self._template
        to_file = "{output}" in self._template
        cold, self._ran_before = not self._ran_before, True
        out_file, err_file = folder / "stdout", folder / "stderr"
        in_file = folder / "stdin"
        in_file.write_bytes(b"" if by_argument else request.text.encode("utf-8"))
        began = time.monotonic()
        with in_file.open("rb") as given, out_file.open("wb") as out, err_file.open("wb") as err:
            process = self._program.start(arguments, stdin=given, stdout=out, stderr=err)
            usage = self._wait(process, began, cancelled)
        last = time.monotonic() - began
        if process.returncode != 0:
            raise SynthesisFailure("program", _last_words(arguments[0], process.returncode, err_file.read_bytes()))
        place = output if to_file else out_file
        data = place.read_bytes() if place.exists() else b""
        if not data:
            raise SynthesisFailure("broken sound", f"{arguments[0]} ended well but wrote no sound.")
        clip = _decoded(data, arguments[0])
        return Reply(
            data=data,
            clip=clip,
            characters_billed=len(request.text),
            console=_text(err_file.read_bytes()),
            timing=Timing(
                last_byte_s=last,
                first_sound_s=last,
                decoded_s=time.monotonic() - began,
                cold=cold,
                cpu_s=usage[0],
                peak_memory_mb=usage[1],
                chunks=((last, 0.0),),
            ),
        )

    def _wait(
        self, process: subprocess.Popen[bytes], began: float, cancelled: Cancelled
    ) -> tuple[float | None, float | None]:
        """Wait for the end, with CPU seconds and peak memory from the kernel's own accounting (wait4)."""
        timeout = self._program.speak_facts.timeout_s
        pause = 0.002
        while True:
            pid, status, used = os.wait4(process.pid, os.WNOHANG)
            if pid:
                process.returncode = os.waitstatus_to_exitcode(status)
                return used.ru_utime + used.ru_stime, used.ru_maxrss / 1024
            if cancelled():
                end_process_tree(process)
                raise WasCancelled
            if time.monotonic() - began > timeout:
                end_process_tree(process)
                raise SynthesisFailure("timed out", f"The program did not end within {timeout:g} s and was stopped.")
            time.sleep(pause)
            pause = min(_POLL_S, pause * 1.5)


def _peak_memory_mb(process: psutil.Process) -> float:
    """The most memory the program has held since its start (the kernel's VmHWM); what it holds now where that fails."""
    try:
        for line in Path(f"/proc/{process.pid}/status").read_text().splitlines():
            if line.startswith("VmHWM:"):
                return int(line.split()[1]) * 1024 / 1e6
    except (OSError, ValueError, IndexError):
        pass
    return float(process.memory_info().rss / 1e6)


_LONGEST_CONSOLE: Final = 20_000
_BAD: Final = re.compile(r"\b(error|exception|traceback|failed|fatal|cannot|denied|not found)\b", re.IGNORECASE)


def _text(console: bytes) -> str:
    return console[-_LONGEST_CONSOLE:].decode("utf-8", errors="replace")


def console_verdict(console: str) -> str:
    """A line on what a program wrote although it delivered: '' for nothing, else how much of it looks bad."""
    lines = [line for line in console.splitlines() if line.strip()]
    if not lines:
        return ""
    bad = [line.strip() for line in lines if _BAD.search(line)]
    if not bad:
        return f"The program wrote {len(lines)} lines; none looks like an error, and it delivered."
    return f"The program wrote {len(lines)} lines, {len(bad)} look like errors although it delivered: {bad[-1][:160]}"


def _last_words(program: str, code: int, stderr: bytes) -> str:
    lines = [line.strip() for line in stderr.decode("utf-8", errors="replace").splitlines() if line.strip()]
    said = f": {lines[-1][:200]}" if lines else " and said nothing"
    how = f"was ended by signal {-code}" if code < 0 else f"ended with status {code}"
    return f"{program} {how}{said}"


class ResidentConnector:
    """A program that stays, so that its model loads once.

    Protocol: one JSON object a line. The program first writes {"ready": true}, before it as many {"progress": ...}
    lines as it likes. Each request is
    {"text", "voice", "model", "language", "seed", "settings", "output"}; the program writes a WAV to ``output`` and
    answers {"ok": true, "voice": ..., "word_times": ...} or {"error": "..."}.
    """

    def __init__(self, engine: Engine) -> None:
        self._program = _Started(engine)
        self._process: subprocess.Popen[bytes] | None = None
        self._errors: IO[bytes] | None = None
        self._lock = threading.Lock()

    def describe(self, request: SpeakRequest) -> str:
        line = json.dumps(self._line(request, "OUTPUT.wav"), ensure_ascii=False)
        return " ".join(self._program.arguments(None)) + "\n\n(standard input)\n" + line

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
            end_process_tree(self._process)
            for pipe in (self._process.stdin, self._process.stdout, self._errors):
                if pipe is not None:
                    pipe.close()
            self._process = None

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        with self._lock, tempfile.TemporaryDirectory(prefix="zest-") as folder:
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
        answer = self._read(arguments[0], cancelled)
        while "progress" in answer:  # the first start may fetch files; each line gives it the time-out anew
            answer = self._read(arguments[0], cancelled)
        if not answer.get("ready"):
            self.close()
            raise SynthesisFailure("program", f"{arguments[0]} did not say that it is ready.")

    def _read(self, program: str, cancelled: Cancelled) -> dict[str, Any]:
        """The program's next line. A helper thread reads, so that cancelling and time-outs work."""
        process, errors = self._process, self._errors
        assert process is not None
        assert process.stdout is not None
        assert errors is not None
        got: list[bytes] = []
        reader = threading.Thread(target=lambda out: got.append(out.readline()), args=(process.stdout,))
        reader.start()
        began = time.monotonic()
        while reader.is_alive():
            reader.join(_POLL_S)
            late = time.monotonic() - began > self._program.speak_facts.timeout_s
            if reader.is_alive() and (cancelled() or late):
                end_process_tree(process)
                reader.join()
                self.close()
                if late:
                    raise SynthesisFailure("timed out", f"{program} did not answer in time and was stopped.")
                raise WasCancelled
        try:
            answer = json.loads(got[0])
            if not isinstance(answer, dict):
                raise ValueError
            return answer
        except (ValueError, IndexError):
            errors.seek(0)
            said = errors.read()
            code = process.poll() or 0
            self.close()
            raise SynthesisFailure("program", _last_words(program, code, said)) from None

    def _ask(
        self, request: SpeakRequest, output: Path, began: float, load_s: float | None, cancelled: Cancelled
    ) -> Reply:
        assert self._process is not None
        assert self._process.stdin is not None
        program = self._program.speak_facts.arguments[0]
        watched = psutil.Process(self._process.pid)
        before = watched.cpu_times()
        try:
            self._process.stdin.write((json.dumps(self._line(request, str(output))) + "\n").encode())
            self._process.stdin.flush()
        except OSError as error:
            self.close()
            raise SynthesisFailure("program", f"{program} ended while it was being asked.") from error
        answer = self._read(program, cancelled)
        last = time.monotonic() - began
        if "error" in answer:
            raise SynthesisFailure("program", f"{program} answered: {str(answer['error'])[:200]}")
        after = watched.cpu_times()
        data = output.read_bytes() if output.exists() else b""
        clip = _decoded(data, program)
        return Reply(
            data=data,
            clip=clip,
            characters_billed=len(request.text),
            voice_used=str(answer.get("voice", "")),
            timing=Timing(
                load_s=load_s,
                last_byte_s=last,
                first_sound_s=last,
                decoded_s=time.monotonic() - began,
                cold=load_s is not None,
                cpu_s=after.user + after.system - before.user - before.system,
                peak_memory_mb=_peak_memory_mb(watched),
                threads=watched.num_threads(),
                chunks=((last, 0.0),),
            ),
        )
