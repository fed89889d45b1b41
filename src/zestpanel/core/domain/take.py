"""A take: one delivered clip and everything known of how it came about, its timing and what was measured of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """Seconds since the request began, by the monotonic clock; None where the phase does not exist.

    chunks: (arrival_s, seconds of sound before the chunk) for chunks that carry sound: the arrival trace.
    cold: the first request after the start or the loading of a model. typed: put in by hand, not by the clock; such
    a wait is shown as typed and never averaged with measured ones. slept: the machine was suspended meanwhile, so that
    the clock missed some of the wait: shown, never averaged. beside: requests to the engine then under way.
    machine: where it was, when that was not the machine of the run. joins_s: where, in the sound, a later piece of a
    text begins that was sent in pieces.
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
    joins_s: tuple[float, ...] = ()

    def real_time_factor(self, duration_s: float) -> float:
        """Time to last byte over duration of the sound."""
        return self.last_byte_s / duration_s

    def stall_free_start_s(self) -> float | None:
        """Earliest start at which playback never runs dry: max over chunks of (arrival - sound before it)."""
        return max((at - before for at, before in self.chunks), default=None)


WordTimes = tuple[tuple[str, float, float], ...]  # (word, start in s, end in s), in the order of the text
NEVER_SCORED: Final = ("captured", "vendor sample")
# how a clip was obtained that no run brought, as it is named wherever it is shown
OBTAINED: Final = {
    "rendered elsewhere": tr("rendered elsewhere"),
    "captured": tr("captured"),
    "vendor sample": tr("vendor's sample"),
    "put together": tr("put together"),
}


class Take(NamedTuple):
    """One delivered clip and everything known of how it came about. Never rewritten.

    A named tuple: the grid reads tens of thousands of them at once. Its fields are the table's columns.
    """

    id: int
    candidate_id: int
    passage_version_id: int
    repeat: int
    obtained: str
    clip: str
    duration_s: float
    rate_hz: int
    peaks: bytes
    timing: Timing | None
    voice_used: str
    model_used: str
    characters_billed: int | None
    created: str
    starred: bool
    brought: dict[str, Any] | None
    sent: tuple[str, ...] | None
    run_id: int | None
    seed: int | None
    asked: str
    copied_from: int | None
    delivered: str
    doubts: tuple[str, ...]
    accepted: bool
    note: str
    removed: str

    @property
    def how_obtained(self) -> str:
        """'captured: heard, never scored'; '' for a clip of a run."""
        name = OBTAINED.get(self.obtained, "")
        return tr("{name}: heard, never scored", name=name) if self.obtained in NEVER_SCORED else name

    @property
    def typed_credits(self) -> str:
        """'120 credits typed', of a clip that was brought in; '' for none."""
        credits = (self.brought or {}).get("credits")
        return tr("{credits} credits typed", credits=f"{credits:g}") if isinstance(credits, int | float) else ""

    @property
    def scored(self) -> bool:
        """Whether it may enter a score: captured sound and vendors' samples are heard but never scored, nor is a
        clip that was found odd on arrival, until a person lets it count."""
        return self.obtained not in NEVER_SCORED and (self.accepted or not self.doubts)


class Segment(NamedTuple):
    """A stretch of a clip. kind: one of those that families of measures declare. size: how much of it, in the kind's
    unit. about: what it is about, as data, such as words that were heard."""

    kind: str
    start_s: float
    end_s: float
    size: float = 0.0
    about: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """values: shape (steps,), one each step_s seconds from the beginning, nan where there is none."""

    step_s: float
    values: NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """Figures by name, word times as (word, start_s, end_s, good) in the order of the text, and how they were found.

    versions: of the families of measures; '' stands for those that are not named. segments, curves: what was found
    along the clip, where that was asked for.
    """

    values: dict[str, float | str | None]
    words: tuple[tuple[str, float, float, bool], ...] = ()
    words_by: str = ""
    versions: Mapping[str, int] = field(default_factory=dict, compare=False)
    segments: tuple[Segment, ...] = field(default=(), compare=False)
    curves: Mapping[str, Curve] = field(default_factory=dict, compare=False)

    def version_of(self, family: str) -> int:
        return self.versions.get(family, self.versions.get("", 0))


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """What a person says of a stretch of this kind at this place: whether something is really wrong there."""

    id: int
    take_id: int
    kind: str
    start_s: float
    end_s: float
    real: bool
    created: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Mark:
    id: int
    take_id: int
    at_s: float
    kind: str
    note: str
    created: str = ""
