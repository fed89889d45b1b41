"""Programs and services that listen: a recogniser that writes down what it hears in a clip, or a predictor that gives a
figure. Reached as engines are, by the same files, agreements and keys."""

from __future__ import annotations

import json
import math
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Any, Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import CommandSpeak, HttpSpeak
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.http.asking import filled, make_client, send
from zestpanel.core.connectors.http.connector import raise_for_failure
from zestpanel.core.connectors.http.finding import at_path, json_of
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.connectors.programs import Program, last_words, size_of, too_much
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.keys import find_secret
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled

LARGEST_ANSWER: Final = 5_000_000
MOST_WORDS: Final = 200_000  # characters of what is said to be heard
_LOOK_S: Final = 0.1


def name_of(ear: Engine) -> str:
    """With its version: figures of two versions are told apart."""
    assert ear.hears is not None
    return f"{ear.engine} {ear.hears.version}".strip()


def hears_language(ear: Engine, language: str) -> bool:
    assert ear.hears is not None
    own = {one.split("-")[0].lower() for one in ear.hears.languages}
    return not own or language.split("-")[0].lower() in own


def listen(ear: Engine, clip: Clip, language: str, cancelled: Cancelled = never_cancelled) -> str:
    """What it answers of a clip: the words it hears, or a figure as it is written. It is given the sound and its
    language, and neither text nor name of what it hears. Raises SynthesisFailure, Cancelled."""
    require_agreement(ear)
    with tempfile.TemporaryDirectory(prefix="zest-", ignore_cleanup_errors=True) as folder:
        path = Path(folder) / "clip.wav"
        write_wav(path, clip)
        values = {"clip": str(path), "language": language, "locale": language.replace("-", "_")}
        try:
            if isinstance(ear.speak, CommandSpeak):
                data = _of_program(ear, Path(folder), values, cancelled)
            else:
                data = _over_http(ear, values, cancelled)
            return _answer(ear, data)
        except SynthesisFailure as failure:
            raise failure.in_words(without_keys(failure.what)) from None


def figure(ear: Engine, clip: Clip, language: str, cancelled: Cancelled = never_cancelled) -> float:
    """Raises SynthesisFailure for an answer that is no number, too."""
    said = listen(ear, clip, language, cancelled).strip()
    with suppress(ValueError):
        if math.isfinite(value := float(said)):
            return value
    raise SynthesisFailure(
        "wrong content", tr("{ear} was to give a figure, and said: '{said}'.", ear=ear.engine, said=said[:120])
    )


def _answer(ear: Engine, data: bytes) -> str:
    assert ear.hears is not None
    found: Any = data.decode("utf-8", errors="replace").strip()
    if ear.hears.answer:
        found = at_path(json_of(data), ear.hears.answer.partition(" ")[2])
        if found is None:
            raise SynthesisFailure(
                "wrong content",
                tr("There is nothing at '{place}' in what {ear} answered: {said}", place=ear.hears.answer,
                   ear=ear.engine, said=without_keys(data[:200].decode("utf-8", errors="replace"))),
            )  # fmt: skip
    if not isinstance(found, str):
        found = json.dumps(found)
    if len(found) > MOST_WORDS:
        raise SynthesisFailure("wrong content", tr("{ear} answered more than any clip can say.", ear=ear.engine))
    return str(found)


def _of_program(ear: Engine, folder: Path, values: dict[str, str], cancelled: Cancelled) -> bytes:
    assert isinstance(ear.speak, CommandSpeak)
    program = Program(ear)
    arguments = program.arguments(None, **values)
    out_file, err_file = folder / "stdout", folder / "stderr"
    with out_file.open("wb") as out, err_file.open("wb") as err:
        process = program.start(arguments, stdout=out, stderr=err)
        until = time.monotonic() + ear.speak.timeout_s
        try:
            while process.wait(_LOOK_S) is None:
                if cancelled():
                    raise WasCancelled
                if time.monotonic() > until:
                    raise SynthesisFailure(
                        "timed out",
                        tr("The program did not end within {timeout} s and was stopped.",
                           timeout=f"{ear.speak.timeout_s:g}"),
                    )  # fmt: skip
                if size_of(out_file) > LARGEST_ANSWER or size_of(err_file) > LARGEST_ANSWER:
                    raise too_much(arguments[0])
        finally:
            process.end()  # and what it left running
    said = out_file.read_bytes()[:LARGEST_ANSWER]
    if process.returncode:
        raise SynthesisFailure("program", last_words(arguments[0], process.returncode, err_file.read_bytes(), said))
    return said


def _over_http(ear: Engine, values: dict[str, str], cancelled: Cancelled) -> bytes:
    assert isinstance(ear.speak, HttpSpeak)
    speak = ear.speak.model_copy(update={
        "files": {name: path.replace("{clip}", "{reference}") for name, path in ear.speak.files.items()},
    })  # fmt: skip
    name = secret_of(ear)
    secret = find_secret(name) if name else ""
    asked = filled(speak, {**values, "reference": values["clip"]}, secret)
    with make_client(speak, connections=1) as client:
        received = send(client, speak, asked, secret, time.monotonic(), cancelled)
    raise_for_failure(speak, received)
    if len(received.data) > LARGEST_ANSWER:
        raise too_much(ear.engine)
    return received.data
