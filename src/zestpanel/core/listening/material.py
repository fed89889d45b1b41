"""What is heard in a test: which takes, at which level, and how the lanes of a trial are made of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.audio.files import read_kept, resampled
from zestpanel.core.domain.listening import PlannedTrial
from zestpanel.core.domain.take import Take
from zestpanel.core.listening.anchors import low_passed
from zestpanel.core.listening.kind import Heard
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.loudness import CEILING_DBTP, TARGET_LUFS, Loudness
from zestpanel.core.measures.silence import measure_silence
from zestpanel.core.playback.mixer import (
    MONO_ON_TWO_DB,
    RATE_HZ,
    Lane,
    Stereo,
    as_heard,
    as_measured,
    bed_of,
    prepare_lanes,
)
from zestpanel.core.speech.builtin_voice import speak, voice_for_language
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.panel import Panel
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts

Cell = tuple[int, int]  # candidate, passage version
Words = Sequence[tuple[str, float, float, bool]]
LEAD_S: Final = 0.1  # of silence left before and after speech, where it is trimmed
TAIL_S: Final = 0.2
BETWEEN_S: Final = 0.6  # between clips heard one after the other (common practice, no source)
_DRAWS: Final = 7  # a stream of random numbers of its own for which take is drawn


def pool_of(takes: Takes, texts: Texts, settings: TestSettings) -> dict[Cell, tuple[int, ...]]:
    """The takes that may be heard of each cell, by the test's rule: all repeats, the first, or the preferred one. Only
    runs on the channel's own passages at their present version enter; captured sound and vendors' samples never do."""
    passages = {p.version_id: p for p in texts.all() if p.id in settings.passage_ids}
    heard = settings.heard_ids
    found: dict[Cell, list[Take]] = defaultdict(list)
    for take in takes.all(with_timing=False):
        if take.candidate_id in heard and take.passage_version_id in passages and take.scored:
            found[take.candidate_id, take.passage_version_id].append(take)
    order = [(c, version) for version in passages for c in heard if (c, version) in found]
    return {cell: _by_rule(found[cell], settings) for cell in order}


def _by_rule(of_cell: Sequence[Take], settings: TestSettings) -> tuple[int, ...]:
    if settings.take_rule == "drawn":
        return tuple(take.id for take in of_cell)
    first = of_cell[0]
    starred = next((take for take in of_cell if take.starred), first)
    return (starred.id if settings.take_rule == "preferred" else first.id,)


def takes_to_hear(takes: Takes, texts: Texts, settings: TestSettings) -> dict[Cell, int]:
    """One take of each cell, by (candidate, passage version): what a first listener would hear."""
    return drawn(pool_of(takes, texts, settings), settings, listener=0)


def drawn(pool: Mapping[Cell, Sequence[int]], settings: TestSettings, *, listener: int) -> dict[Cell, int]:
    """The take of each cell that one listener hears. listener: a running number. Repeats go round from listener to
    listener, from a start that is drawn for each cell: each is heard by as many."""
    rng = np.random.default_rng([settings.seed, _DRAWS])
    starts = rng.integers(0, 1_000_000, len(pool))
    return {
        cell: takes[(int(start) + listener) % len(takes)] for (cell, takes), start in zip(pool.items(), starts,
                                                                                          strict=True)
    }  # fmt: skip


def pool_of_test(
    panel: Panel, takes: Takes, texts: Texts, test_id: int, settings: TestSettings
) -> dict[Cell, tuple[int, ...]]:
    """The takes that a test may play: as fixed with its first listener, else as they would be now. Passages keep the
    order they had then, for every listener."""
    fixed = panel.fixed_takes(test_id)
    if fixed is None:
        return pool_of(takes, texts, settings)
    by_id = {take.id: take for take in takes.all(with_timing=False)}
    found: dict[Cell, list[int]] = defaultdict(list)
    for take in (by_id[one] for one in fixed.ids if one in by_id):
        found[take.candidate_id, take.passage_version_id].append(take.id)
    versions = list(dict.fromkeys(version for _, version in found))
    if not fixed.in_order:
        passages, places = texts.passage_of_version(), {p.id: place for place, p in enumerate(texts.all())}
        versions.sort(key=lambda version: places.get(passages.get(version, 0), len(places)))
    candidates = [*settings.heard_ids, *dict.fromkeys(c for c, _ in found if c not in settings.heard_ids)]
    return {(c, v): tuple(found[c, v]) for v in versions for c in candidates if (c, v) in found}


def level_of_test(takes: Takes, of: Iterable[int]) -> float:
    """The one loudness all clips of a test are brought to, LUFS as heard on two channels: the usual target, lowered
    for all where a single clip would pass the ceiling at it. Never a clip at a time: that would make a peaky clip
    quieter than its neighbours."""
    wanted = set(of)
    level = TARGET_LUFS
    known = takes.levels(wanted)
    for take in takes.all(with_timing=False):
        if take.id not in wanted:
            continue
        found = known.get(take.id)
        if found is None:
            heard = as_heard(takes.load(take))
            lufs, peak = heard.integrated_lufs, heard.true_peak_dbtp
        else:
            lufs, peak, channels = found
            lufs += 0.0 if channels > 1 else MONO_ON_TWO_DB
        if lufs is not None:
            level = min(level, lufs + CEILING_DBTP - peak)
    return level


# -- the lanes of a trial


@dataclass(frozen=True, slots=True)
class Around:
    """The same candidate's takes before and after one, None where there is none."""

    before: Take | None
    after: Take | None


def heard_clip(
    takes: Takes, take: Take, words: Words, *, trim: bool = False, around: Around | None = None
) -> tuple[Clip, Words]:
    """A take as it is to be heard, with the times of its words in it. trim: as a listening copy; around: between its
    neighbours."""
    own = (takes.load(take), words)
    parts = [own]
    own_at = 0
    if around is not None:
        if around.before is not None:
            parts.insert(0, (takes.load(around.before), ()))
            own_at = 1
        if around.after is not None:
            parts.append((takes.load(around.after), ()))
    if trim:
        parts = [trimmed(*one) for one in parts]
    if len(parts) == 1:
        return parts[0]
    known = parts[own_at][1] or _one_word(parts[own_at][0])
    parts = [(clip, known if k == own_at else ()) for k, (clip, _) in enumerate(parts)]
    return _one_after_the_other(parts)


def _one_word(clip: Clip) -> Words:
    """Where no times of words are known: the clip's beginning and end, so that its place among neighbours is."""
    middle = clip.duration_s / 2
    return (("", 0.0, middle, True), ("", middle, clip.duration_s, True))


def lanes_of(
    takes: Takes, texts: Texts, trial: PlannedTrial, heard: Sequence[Heard], settings: TestSettings, *,
    level_lufs: float, first_key: int,
) -> list[Lane]:  # fmt: skip
    """The trial's lanes ready to be heard, keyed from first_key on."""
    by_id = {t.id: t for t in takes.all(with_timing=False)}
    wanted = [s.take_id for s in trial.stimuli if s.take_id is not None]
    measured = takes.measured(wanted)
    lanes: list[tuple[int, Clip, Words, int]] = []
    for k, lane in enumerate(heard):
        if not lane.stimuli:
            lanes.append((first_key + k, _spoken(trial), (), 1))
            continue
        parts = []
        for at in lane.stimuli:
            stimulus = trial.stimuli[at]
            assert stimulus.take_id is not None
            clip = takes.load(by_id[stimulus.take_id])
            words: Words = measured[stimulus.take_id].words if stimulus.take_id in measured else ()
            if cut := cut_off_hz(trial, at):
                clip = low_passed(clip, cut)
            parts.append(trimmed(clip, words) if settings.trim else (clip, words))
        clip, words = _one_after_the_other(parts)
        text, _ = texts.version_text(trial.stimuli[lane.stimuli[0]].passage_version_id)
        lanes.append((first_key + k, clip, words, len(text.split())))
    return prepare_lanes(lanes, target_lufs=level_lufs, known=_as_measured(takes, trial, heard, settings, first_key))[0]


def bed_of_test(clips: ClipStore, settings: TestSettings, *, level_lufs: float) -> Stereo | None:
    """What lies under all clips of a test, None for nothing. Raises AudioError where it cannot be read."""
    if not settings.bed:
        return None
    return bed_of(read_kept(clips.path(settings.bed)), lufs=level_lufs - settings.bed_below_lu)


def _as_measured(
    takes: Takes, trial: PlannedTrial, heard: Sequence[Heard], settings: TestSettings, first_key: int
) -> dict[int, Loudness]:
    """Loudness of lanes that are a take just as it was measured, by key."""
    if settings.trim:
        return {}
    alone = {first_key + k: trial.stimuli[lane.stimuli[0]].take_id for k, lane in enumerate(heard)
             if len(lane.stimuli) == 1 and cut_off_hz(trial, lane.stimuli[0]) is None}  # fmt: skip
    levels = takes.levels([take for take in alone.values() if take is not None])
    return {key: as_measured(*levels[take]) for key, take in alone.items() if take is not None and take in levels}


def _spoken(trial: PlannedTrial) -> Clip:
    """What a trap says, by the built-in voice."""
    said = speak(str(trial.detail["says"]), voice=voice_for_language(str(trial.detail["language"])))
    return Clip(samples=as_samples(said.samples), rate_hz=said.rate_hz)


def cut_off_hz(trial: PlannedTrial, at: int) -> float | None:
    """Where an anchor is cut off, None for a stimulus that is no anchor."""
    cuts: Mapping[str, Any] = trial.detail.get("cut_off_hz", {})
    return float(cuts[str(at)]) if str(at) in cuts else None


def trimmed(clip: Clip, words: Words = ()) -> tuple[Clip, Words]:
    """The clip with LEAD_S of silence before and TAIL_S after its speech, cut or put there, with times of words moved
    along: what stands at either end tells nothing. A clip whose speech cannot be told from its noise is left as it
    is."""
    found = measure_silence(clip)
    if found.beyond_reach or found.speech_s <= 0:
        return clip, words
    begin = round((found.lead_s - LEAD_S) * clip.rate_hz)
    end = clip.frames - round((found.tail_s - TAIL_S) * clip.rate_hz)
    moved = begin / clip.rate_hz
    put = ((max(0, -begin), max(0, end - clip.frames)), (0, 0))
    return (
        Clip(samples=np.pad(clip.samples[max(0, begin) : max(0, end)], put), rate_hz=clip.rate_hz),
        tuple((word, start - moved, stop - moved, good) for word, start, stop, good in words),
    )


def _one_after_the_other(parts: Sequence[tuple[Clip, Words]]) -> tuple[Clip, Words]:
    if len(parts) == 1:
        return parts[0]
    level = [resampled(clip, RATE_HZ) for clip, _ in parts]
    channels = max(clip.channels for clip in level)
    gap = np.zeros((round(BETWEEN_S * RATE_HZ), channels), dtype=np.float32)
    pieces, words, at = [], [], 0.0
    for clip, (_, of_part) in zip(level, parts, strict=True):
        samples = clip.samples if clip.channels == channels else np.repeat(clip.samples[:, :1], channels, axis=1)
        words += [(word, start + at, stop + at, good) for word, start, stop, good in of_part]
        pieces += [samples, gap]
        at += clip.duration_s + BETWEEN_S
    return Clip(samples=np.concatenate(pieces[:-1]), rate_hz=RATE_HZ), tuple(words)
