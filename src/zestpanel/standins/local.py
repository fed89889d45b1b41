"""Two local engines, played as a command: resident with JSON lines, or run once for a text.

    python -m zestpanel.standins.local --resident [--engine sunquat] [--load-s 1.5]
    python -m zestpanel.standins.local --voice hesk --output OUT.wav "the text"

Rangpur is small and quick. Sunquat is large and slow: it holds memory, takes its time for every text, and makes
voices from recordings and from descriptions. Resident, both load for a while before they say that they are ready.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import numpy as np

if TYPE_CHECKING:
    from zestpanel.standins.timbre import Timbre


@dataclass(frozen=True, slots=True)
class LocalEngine:
    """load_s: until it is ready at first. holds_mb: memory it keeps. slowness: seconds of work per second of sound."""

    voices: tuple[str, ...]
    load_s: float
    holds_mb: int = 0
    slowness: float = 0.0
    own_voices: bool = False


ENGINES: Final = {
    "rangpur": LocalEngine(voices=("hesk", "ansgild"), load_s=1.5),
    "sunquat": LocalEngine(voices=("torvane", "ismere"), load_s=4.0, holds_mb=250, slowness=0.2, own_voices=True),
}


def timbre_for(engine: LocalEngine, asked: Mapping[str, Any]) -> Timbre:
    """The voice asked for: one of the engine's, one made from a recording, or one made from a description."""
    from zestpanel.standins.own_voice import from_description, from_recording
    from zestpanel.standins.voices import VOICES

    voice = str(asked["voice"])
    language = str(asked.get("language", "en"))
    if engine.own_voices and asked.get("reference"):
        return from_recording(Path(str(asked["reference"])), language)
    if engine.own_voices and asked.get("described"):
        return from_description(asked["described"], language)
    if voice not in engine.voices:
        raise ValueError(f"no voice {voice}")
    return VOICES[voice]


def say(engine: LocalEngine, asked: Mapping[str, Any]) -> None:
    from zestpanel.core.audio.files import write_wav
    from zestpanel.standins.timbre import speak

    settings = asked.get("settings", {})
    began = time.monotonic()
    clip, _ = speak(
        str(asked["text"]),
        timbre_for(engine, asked),
        pace=float(settings.get("pace", 1.0)),
        breath=float(settings.get("breath", 0.0)),
        seed=int(asked.get("seed", 0)),
    )
    time.sleep(max(0.0, clip.duration_s * engine.slowness - (time.monotonic() - began)))
    write_wav(Path(str(asked["output"])), clip)


def serve(engine: LocalEngine, load_s: float) -> None:
    """Answer one JSON line with one JSON line until standard input ends."""
    from zestpanel.standins.timbre import speak
    from zestpanel.standins.voices import VOICES

    began = time.monotonic()
    held = np.ones(engine.holds_mb * 1_000_000 // 8)  # as a model's weights would be
    speak("Ready.", VOICES[engine.voices[0]])
    time.sleep(max(0.0, load_s - (time.monotonic() - began)))
    print(json.dumps({"ready": True, "weights": len(held)}), flush=True)
    for line in sys.stdin:
        try:
            asked = json.loads(line)
            say(engine, asked)
            answer: dict[str, Any] = {"ok": True, "voice": asked["voice"]}
        except Exception as error:  # whatever it is, the asker is told and the engine lives on
            answer = {"error": str(error)}
        print(json.dumps(answer), flush=True)


def main() -> None:
    parser = argparse.ArgumentParser(description="The stand-in local engines.")
    parser.add_argument("--engine", default="rangpur", choices=sorted(ENGINES))
    parser.add_argument("--resident", action="store_true")
    parser.add_argument("--load-s", type=float)
    parser.add_argument("--voice", default="hesk")
    parser.add_argument("--reference", default="", help="a recording whose voice is followed")
    parser.add_argument("--output", type=Path, default=Path("out.wav"))
    parser.add_argument("text", nargs="?", default="")
    options = parser.parse_args()
    engine = ENGINES[options.engine]
    if options.resident:
        serve(engine, engine.load_s if options.load_s is None else options.load_s)
        return
    asked = {"text": options.text or sys.stdin.read(), "voice": options.voice, "output": options.output}
    try:
        say(engine, {**asked, "reference": options.reference})
    except ValueError as error:
        parser.exit(2, f"{error}\n")


if __name__ == "__main__":
    main()
