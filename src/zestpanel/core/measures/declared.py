"""What a measure is, and what a family of measures is given to measure."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.take import WordTimes
from zestpanel.core.measures.loudness import hop_energies
from zestpanel.core.measures.pitch import Track, pitch_track
from zestpanel.core.measures.silence import Silence, frame_levels_dbfs, measure_silence, speech_frames
from zestpanel.core.measures.tracks import Kind, Tracks

T = TypeVar("T")
Value = float | str | None
Values = Mapping[str, Value]


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowance:
    """What a change must be over to be called one, when a bench is done again (common practice, no source).

    ratio: as a share of what it was; else as a difference in ``unit``. about: what is shown to have changed.
    """

    over: float
    unit: str = ""
    ratio: bool = False
    about: Literal["sound", "words"] = "sound"


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """One figure of a clip, and everything the pages, the record and the tables need to show it.

    name: under which it is stored. words: in a sentence; label: in a list, with its unit; short: as a column's head.
    better: which way is better, '' where neither is. languages: ISO 639-1, empty for all. rule, source and rests_on
    stand in docs/methods.md. change: None where a change is not looked for. shown: on card, Evidence and in tables.
    swept: in sweeps. claimed: what a vendor's claim calls it. shares: the measure in whose column it is shown. good:
    from "not acceptable" to "good enough", where it may be weighed in the choice. usual: from and to, of narration.
    """

    name: str
    words: str
    label: str
    short: str = ""
    unit: str = ""
    decimals: int = 1
    better: Literal["higher", "lower", ""] = ""
    languages: tuple[str, ...] = ()
    rule: str = ""
    source: str = ""
    rests_on: str = "–"
    change: Allowance | None = None
    shown: bool = False
    swept: bool = False
    claimed: str = ""
    shares: str = ""
    good: tuple[float, float] | None = None
    usual: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Family:
    """Measures that are taken together. version: raised when a rule changes, and this family alone is measured anew;
    where figures differ in it they are not compared. place: where its measures stand in lists. also: what it stores
    beside its measures and their reasons (NAME_why). tracks: what it finds along the clip: stretches of its kinds, and
    its curves. slow: measured when a person asks for it, never by itself.
    group: what its measures are shown with."""

    name: str
    version: int
    place: int
    measures: tuple[Measure, ...]
    values: Callable[[Material], Values]
    also: tuple[str, ...] = ()
    tracks: Callable[[Material], Tracks] | None = None
    kinds: tuple[Kind, ...] = ()
    curves: tuple[str, ...] = ()
    slow: bool = False
    group: Literal["wrong", "pace", "voice", "sound"] = "sound"

    @property
    def keys(self) -> frozenset[str]:
        names = [measure.name for measure in self.measures]
        return frozenset([*names, *(f"{name}_why" for name in names), *self.also])


@dataclass
class Material:
    """A clip with its text, and what several families need of it, worked out once.

    from_reply: word times that came with the sound. known: word times found before, where these are not asked for.
    """

    clip: Clip
    text: str
    language: str
    from_reply: WordTimes = ()
    known: tuple[tuple[tuple[str, float, float, bool], ...], str] | None = field(default=None)
    _made: dict[str, Any] = field(default_factory=dict)

    def once(self, name: str, make: Callable[[], T]) -> T:
        """What several parts of a family need, made the first time."""
        if name not in self._made:
            self._made[name] = make()
        found: T = self._made[name]
        return found

    @cached_property
    def silence(self) -> Silence:
        return measure_silence(self.clip)

    @cached_property
    def mono(self) -> NDArray[np.float64]:
        """All channels in one, shape (frames,)."""
        return self.clip.mono().astype(np.float64)

    @cached_property
    def levels(self) -> NDArray[np.float64]:
        """dBFS of each 10 ms."""
        return frame_levels_dbfs(self.clip)

    @cached_property
    def speaks(self) -> NDArray[np.bool_]:
        """Which of them speak."""
        return speech_frames(self.levels, self.clip)

    @cached_property
    def hops(self) -> NDArray[np.float64]:
        """Weighted energy of each whole 100 ms."""
        return hop_energies(self.clip.samples, self.clip.rate_hz)

    @cached_property
    def pitch(self) -> Track:
        return pitch_track(self.clip)

    @cached_property
    def words(self) -> tuple[tuple[tuple[str, float, float, bool], ...], str]:
        """(word times, by which way)."""
        from zestpanel.core.measures.word_times import find_word_times

        return self.known or find_word_times(self.clip, self.text, self.language, self.from_reply)
