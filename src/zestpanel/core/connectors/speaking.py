"""What every connector takes and gives back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.take import Timing
from zestpanel.core.waiting import Cancelled, never_cancelled


@dataclass(frozen=True, slots=True, kw_only=True)
class SpeakRequest:
    text: str
    language: str
    voice: str
    model: str
    settings: Mapping[str, Any] = field(default_factory=dict)
    marked: bool = False  # the text holds markup of its own, and goes as it is
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
class Reply:
    """A delivered clip: the bytes as delivered, decoded, and what the reply said about itself.

    timing is None where no clock of ours ran. console: what a program wrote beside its sound. word_times_unread:
    something stands where the times of words should, and in no shape that is known.
    """

    data: bytes = field(repr=False)
    clip: Clip
    timing: Timing | None
    voice_used: str = ""
    model_used: str = ""
    characters_billed: int | None = None
    allowance_left: int | None = None
    word_times: tuple[tuple[str, float, float], ...] = ()
    word_times_unread: bool = False
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
