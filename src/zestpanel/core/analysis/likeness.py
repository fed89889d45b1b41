"""How alike a candidate's takes are to its first one, to the version before, and to the recording its voice was made
of; with this project's own pairs of one voice and of two as the scale."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import combinations
from typing import Final, Literal, Protocol, TypeVar

import numpy as np

from zestpanel.core.analysis.channel import ChannelTakes, channel_takes
from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import ZestError
from zestpanel.core.measures.likeness import Likeness, likeness
from zestpanel.core.store.own_voices import Recording
from zestpanel.core.store.parts import HasOwnVoices
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way

To = Literal["first take", "version before", "recording", "another voice"]
TO: Final[Mapping[To, str]] = {
    "first take": tr("its first take of the text"), "version before": tr("the version before"),
    "recording": tr("the recording it was made of"), "another voice": tr("another voice"),
}  # fmt: skip
T = TypeVar("T")
MOST_OF_A_KIND: Final = 8  # pairs of a candidate that are compared
MOST_IN_ALL: Final = 120  # pairs of all candidates: a quarter of a second each
MOST_OTHERS: Final = 30  # pairs of two voices


class LikenessParts(ChannelTakes, HasOwnVoices, Protocol):
    """Takes, and the recordings that voices were made of."""


@dataclass(frozen=True, slots=True)
class Alike:
    """Medians over n pairs. candidate_id: 0 for pairs of two voices."""

    candidate_id: int
    to: To
    n: int
    distortion_db: float | None
    pitch_st: float | None
    colour_db: float | None


def alike(project: LikenessParts) -> list[Alike]:
    """By candidate, then pairs of two voices of one language saying the same text."""
    clips: dict[int, Clip] = {}

    def clip(take: Take) -> Clip:
        if take.id not in clips:
            clips[take.id] = project.takes.load(take)
        return clips[take.id]

    out: list[Alike] = []
    candidates = {c.id: c for c in project.shortlist.candidates()}
    takes = {c: [t for t in of if t.scored and t.copied_from is None] for c, of in channel_takes(project).items()}
    each = max(2, min(MOST_OF_A_KIND, MOST_IN_ALL // max(1, len(takes))))
    for candidate, of in takes.items():
        clips.clear()
        first, repeats = _first(of), []
        for take in of:
            if take is not first[take.passage_version_id]:
                repeats.append((first[take.passage_version_id], take))
        before = [(first[version], take) for version, take in _first(_before(project, candidates, candidate)).items()
                  if version in first]  # fmt: skip
        compared: tuple[tuple[To, list[tuple[Take, Take]]], ...] = (("first take", repeats), ("version before", before))
        for to, pairs in compared:
            found = [_of(clip, a, b) for a, b in _some(pairs, each)]
            out += _medians(candidate, to, found)
        for recording in project.own_voices.made_of(candidates[candidate].engine, candidates[candidate].voice)[:1]:
            found = [_to_recording(project, recording, clip, take) for take in _some(list(first.values()), 3)]
            out += _medians(candidate, "recording", found)
    clips.clear()
    others = [_of(clip, a, b) for a, b in _some(_others(takes, candidates), MOST_OTHERS)]
    return out + _medians(0, "another voice", others)


def _of(clip: Callable[[Take], Clip], a: Take, b: Take) -> Likeness | None:
    give_way()
    try:
        return likeness(clip(a), clip(b))
    except (ZestError, OSError):
        return None  # a clip that cannot be read is said where it is heard


def _to_recording(
    project: LikenessParts, recording: Recording, clip: Callable[[Take], Clip], take: Take
) -> Likeness | None:
    give_way()
    try:
        return likeness(project.own_voices.load(recording), clip(take), same_words=False)
    except (ZestError, OSError):
        return None


def _first(takes: list[Take]) -> dict[int, Take]:
    out: dict[int, Take] = {}
    for take in takes:
        out.setdefault(take.passage_version_id, take)
    return out


def _before(project: LikenessParts, candidates: Mapping[int, Candidate], candidate: int) -> list[Take]:
    """Takes of the version that went on as this one."""
    own = candidates[candidate]
    earlier = [c.id for c in candidates.values() if c.ended and c.first_id == own.first_id and c.id < candidate]
    return [] if own.ended or not earlier else [t for t in project.takes.all() if t.candidate_id == max(earlier)]


def _others(takes: Mapping[int, list[Take]], candidates: Mapping[int, Candidate]) -> list[tuple[Take, Take]]:
    by_text: dict[int, list[Take]] = defaultdict(list)
    for of in takes.values():
        for version, take in _first(of).items():
            by_text[version].append(take)
    return [(a, b) for of in by_text.values() for a, b in combinations(of, 2)
            if candidates[a.candidate_id].voice != candidates[b.candidate_id].voice]  # fmt: skip


def _some(many: list[T], most: int) -> list[T]:
    """So many at most, spread evenly."""
    return many if len(many) <= most else [many[round(k)] for k in np.linspace(0, len(many) - 1, most)]


def _medians(candidate: int, to: To, found: list[Likeness | None]) -> list[Alike]:
    known = [one for one in found if one is not None]
    if not known:
        return []

    def middle(name: str) -> float | None:
        values = [v for one in known if (v := getattr(one, name)) is not None]
        return float(np.median(values)) if values else None

    return [Alike(candidate, to, len(known), *(middle(name) for name in ("distortion_db", "pitch_st", "colour_db")))]


def says(found: list[Alike], names: Mapping[int, str]) -> str:
    """Who is least like itself, against how unlike two voices are here."""
    others = next((one.distortion_db for one in found if one.to == "another voice"), None)
    repeats = [one for one in found if one.to == "first take" and one.distortion_db is not None]
    out = []
    if repeats:
        worst = max(repeats, key=lambda one: one.distortion_db or 0.0)
        out.append(tr("{name} is least like its own first takes: {db} dB.", name=names.get(worst.candidate_id, "?"),
                      db=f"{worst.distortion_db:.1f}"))  # fmt: skip
    if others is not None:
        out.append(tr("Two voices saying the same are {db} dB apart here.", db=f"{others:.1f}"))
    return " ".join(out) or tr("Nothing was said twice, and there are no two voices of one language.")
