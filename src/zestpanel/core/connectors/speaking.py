"""What every connector takes and gives back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from zestpanel.core.audio.clip import Clip

Cancelled = Callable[[], bool]


def never_cancelled() -> bool:
    return False


@dataclass(frozen=True, slots=True, kw_only=True)
class SpeakRequest:
    text: str
    language: str
    voice: str
    model: str
    settings: Mapping[str, Any] = field(default_factory=dict)
    form: str = ""  # what an engine with a switch between plain and marked text wants to be told
    seed: int = 0
    # for voices of one's own: the recording it is made from, or what it is described by
    reference: str = ""
    described: Mapping[str, str] = field(default_factory=dict)
    # where the text comes from, for clips that are found by name
    passage: str = ""
    number: int = 0
    repeat: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """Seconds since the request began, by the monotonic clock; None where the phase does not exist.

    chunks: (arrival_s, seconds of sound before the chunk) for chunks that carry sound: the arrival trace.
    cold: the first request after the start or the loading of a model. typed: put in by hand, not by the clock; such
    a wait is shown as typed and never averaged with measured ones. slept: the machine was suspended meanwhile, so that
    the clock missed some of the wait: shown, never averaged. beside: requests to the engine then under way.
    machine: where it was, when that was not the machine of the run.
    """

    connected_s: float | None = None
    sent_s: float | None = None
    first_byte_s: float | None = None
    first_sound_s: float | None = None
    last_byte_s: float
    decoded_s: float
    load_s: float | None = None
    cpu_s: float | None = None
    peak_memory_mb: float | None = None
    cold: bool = False
    typed: bool = False
    slept: bool = False
    beside: int | None = None
    threads: int | None = None
    machine: str = ""
    chunks: tuple[tuple[float, float], ...] = ()

    def real_time_factor(self, duration_s: float) -> float:
        """Time to last byte over duration of the sound."""
        return self.last_byte_s / duration_s

    def stall_free_start_s(self) -> float | None:
        """Earliest start at which playback never runs dry: max over chunks of (arrival - sound before it)."""
        return max((at - before for at, before in self.chunks), default=None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Reply:
    """A delivered clip: the bytes as delivered, decoded, and what the reply said about itself.

    timing is None where no clock of ours ran. console: what a program wrote beside its sound.
    """

    data: bytes = field(repr=False)
    clip: Clip
    timing: Timing | None
    voice_used: str = ""
    model_used: str = ""
    characters_billed: int | None = None
    allowance_left: int | None = None
    word_times: tuple[tuple[str, float, float], ...] = ()
    obtained: str = "run"
    file_name: str = ""
    console: str = field(default="", repr=False)


class Connector(Protocol):
    """One engine, reachable. ``speak`` may be called from several threads at once."""

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        """Raises SynthesisFailure (with its kind) or Cancelled."""
        ...

    def describe(self, request: SpeakRequest) -> str:
        """The request as it will be sent, secrets masked."""
        ...

    def close(self) -> None: ...
