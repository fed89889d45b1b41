"""What a candidate's takes say together: sound, pace, waits and failures, each with what it rests on."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from types import MappingProxyType
from typing import Final, Protocol

import numpy as np

from zestpanel.core.analysis.channel import ChannelTakes, channel_takes
from zestpanel.core.analysis.consistency import Apart, Over, consistency
from zestpanel.core.analysis.faults import Faults, faults
from zestpanel.core.analysis.person_time import PersonTime, person_time
from zestpanel.core.analysis.statistics.intervals import Interval, wilson_interval
from zestpanel.core.analysis.statistics.tails import t_quantile
from zestpanel.core.analysis.timing.points import (
    Circumstances,
    TimingPoint,
    give_ups,
    timing_points,
    usual_circumstances,
)
from zestpanel.core.analysis.timing.waits import Waits, waits
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.domain.take import NEVER_SCORED, OBTAINED, Measured, Take, Timing
from zestpanel.core.money.volume import Rates
from zestpanel.core.store.parts import HasJournal, HasNotes, HasSending, HasShortlist, HasTakes, HasTexts
from zestpanel.core.store.sending import Sending
from zestpanel.core.texts import tr
from zestpanel.core.waiting import stand_aside


class SummaryParts(HasTexts, HasShortlist, HasNotes, HasSending, HasTakes, HasJournal, Protocol):
    """Takes, their requests, and what they speak."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Spread:
    """A median over takes with the 25-75 % spread and the number of takes."""

    median: float
    low: float
    high: float
    n: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Summary:
    """Everything the card shows that is not a rating or a price. sound: Figures by measure name, over the takes that
    count (not captured sound, vendors' samples or takes found odd, unless a person lets them).

    Waits are those of one set of circumstances, the one with most warm timings; other_waits counts the others, which
    are never averaged with them. tried_again: requests made after one that failed. doubted: takes found odd on arrival.
    person: time logged for the candidate's engine. faults: what machines find wrong in the takes. apart: how far takes
    of one text, and texts, lie from each other, by what is looked at.
    """

    candidate_id: int
    takes: tuple[Take, ...] = field(repr=False)
    sound: dict[str, Spread]
    first_sound: Waits
    whole_clip: Waits
    real_time_factor: Spread | None
    cold: tuple[float, ...]
    load_s: float | None
    cpu_s: Spread | None
    peak_memory_mb: float | None
    failures: dict[str, int]
    requests: int
    failure_rate: Interval | None
    rates: Rates
    odd_voice: str
    circumstances: Circumstances | None = None
    other_waits: int = 0
    tried_again: int = 0
    doubted: int = 0
    person: PersonTime | None = None
    hearing: Hearing | None = None
    faults: Faults | None = None
    apart: Mapping[tuple[Over, str], Apart] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Hearing:
    """How far the recogniser can be believed for a voice: of words that are heard right from nearly every other voice
    (``of``), how many it does not hear from this one. What it misses there is likelier its own fault than the voice's.
    """

    missed: int
    of: int

    @property
    def percent(self) -> float:
        return 100 * self.missed / self.of


HARD_TO_HEAR: Final = 5.0  # percent misheard (common practice, no source)
FEWEST_OTHERS: Final = 2  # voices beside this one
MOST_MISSED: Final = 0.1  # share of other takes that may miss a word which every voice says


def hearing_of(takes: Mapping[int, Sequence[Take]], measured: Mapping[int, Measured]) -> dict[int, Hearing]:
    """By candidate id, over the takes that count; candidates with too few others beside them are left out."""
    heard: dict[int, dict[int, list[str]]] = defaultdict(lambda: defaultdict(list))  # version -> candidate -> takes
    for candidate_id, of in takes.items():
        for take in of:
            right = measured[take.id].values.get("heard_right") if take.id in measured and take.scored else None
            if isinstance(right, str) and right:
                heard[take.passage_version_id][candidate_id].append(right)
    missed: Counter[int] = Counter()
    told: Counter[int] = Counter()
    for by_candidate in heard.values():
        length = min(len(right) for of in by_candidate.values() for right in of)
        for candidate_id, own in by_candidate.items():
            others = [right for other, of in by_candidate.items() if other != candidate_id for right in of]
            if len(by_candidate) <= FEWEST_OTHERS or not others:
                continue
            for place in range(length):
                if sum(right[place] == "0" for right in others) <= MOST_MISSED * len(others):
                    told[candidate_id] += len(own)
                    missed[candidate_id] += sum(right[place] == "0" for right in own)
    return {i: Hearing(missed=missed[i], of=n) for i, n in told.items() if n}


def faults_now(project: ChannelTakes) -> dict[int, Faults]:
    """By candidate id, what is found in its takes as a person's words and the other voices let it stand."""
    takes, measured = channel_takes(project), project.takes.measured()
    return faults(project, takes, measured, hard_to_hear(hearing_of(takes, measured)))


def hard_to_hear(found: Mapping[int, Hearing]) -> set[int]:
    """Candidates that the recogniser knows badly."""
    return {candidate for candidate, one in found.items() if one.percent > HARD_TO_HEAR}


def sound_of(takes: Iterable[Take], measured: Mapping[int, Measured]) -> dict[str, Spread]:
    """Figures by measure name."""
    values: dict[str, list[float]] = defaultdict(list)
    for take in takes:
        for name, value in (measured[take.id].values if take.id in measured else {}).items():
            if isinstance(value, int | float):
                values[name].append(float(value))
    return {name: found for name, numbers in values.items() if (found := figure(numbers)) is not None}


def never_scored(takes: Iterable[Take], measured: Mapping[int, Measured]) -> dict[str, tuple[int, dict[str, Spread]]]:
    """How many takes there are that count in no figure, and what is measured of them, by why: captured sound, vendors'
    samples, and what was found odd on arrival."""
    of: dict[str, list[Take]] = defaultdict(list)
    for take in takes:
        if not take.scored:
            of[OBTAINED[take.obtained] if take.obtained in NEVER_SCORED else tr("odd on arrival")].append(take)
    return {why: (len(some), sound_of(some, measured)) for why, some in of.items()}


def figure(values: Sequence[float]) -> Spread | None:
    if not values:
        return None
    low, middle, high = np.quantile(np.asarray(values, dtype=float), [0.25, 0.5, 0.75])
    return Spread(median=float(middle), low=float(low), high=float(high), n=len(values))


FEWEST_TEXTS_FOR_PACE: Final = 3


def summaries(project: SummaryParts) -> dict[int, Summary]:
    """Summary by candidate id, over ``channel_takes``."""
    present = {p.version_id: p for p in project.texts.all()}
    measured = project.takes.measured()
    takes = channel_takes(project)
    candidates = {c.id: c for c in project.shortlist.candidates()}
    engines = project.shortlist.engines()
    journal: dict[int, list[JournalRow]] = defaultdict(list)
    for row in project.journal.rows():
        journal[row.candidate_id].append(row)
    lengths = {version: passage.characters for version, passage in present.items()}
    people = person_time(project.notes, project.takes, project.shortlist)
    points: dict[int, list[TimingPoint]] = defaultdict(list)
    runs = project.journal.runs()
    for point in timing_points((t for of in takes.values() for t in of), candidates, runs):
        points[point.take.candidate_id].append(point)
    given_up = give_ups(
        (row for of in journal.values() for row in of), candidates, runs, (p for of in points.values() for p in of)
    )
    hearing = hearing_of(takes, measured)
    found = faults(project, takes, measured, hard_to_hear(hearing))
    apart = consistency(takes, measured, lengths)
    out = {
        c.id: replace(
            summary_of(
                c.id, takes[c.id], points[c.id], journal[c.id], measured, lengths, voice=c.voice,
                give_ups=given_up.get(c.id, {}), counted=_counted(project.sending, c, engines, present.values()),
            ),
            person=people.get(c.engine),
            hearing=hearing.get(c.id),
            faults=found.get(c.id),
            apart=apart.get(c.id, {}),
        )
        for c in candidates.values()
    }  # fmt: skip
    return _with_shared_pace(out, candidates)


def _counted(
    sending: Sending, candidate: Candidate, engines: Mapping[str, Engine], passages: Iterable[Passage]
) -> Decimal:
    """Characters as a candidate's plan counts them, for each character of the channel's texts in its language."""
    engine, own = engines.get(candidate.engine), candidate.language.split("-")[0].lower()
    texts = [p for p in passages if p.language.split("-")[0].lower() == own] if engine is not None else []
    characters = sum(p.characters for p in texts)
    if engine is None or not characters:
        return Decimal(1)
    return Decimal(sum(sending.of(candidate, p, engine).billed for p in texts)) / characters


def _with_shared_pace(found: dict[int, Summary], candidates: Mapping[int, Candidate]) -> dict[int, Summary]:
    """Candidates without takes of their own speak at the pace of the same sound bought under another plan."""
    known = {candidates[i].sound_key: s.rates for i, s in found.items() if not s.rates.assumed}
    for i, summary in found.items():
        rates = known.get(candidates[i].sound_key)
        if summary.rates.assumed and rates is not None:
            shared = replace(rates, billed_per_character=summary.rates.billed_per_character)
            found[i] = replace(summary, rates=shared)
    return found


def summary_of(
    candidate_id: int,
    takes: Sequence[Take],
    timed: Sequence[TimingPoint],
    journal: Sequence[JournalRow],
    measured: dict[int, Measured],
    lengths: dict[int, int],
    *,
    voice: str,
    give_ups: Mapping[Circumstances, int] = MappingProxyType({}),
    counted: Decimal = Decimal(1),
) -> Summary:
    """Summary of one candidate. lengths: characters by passage version. give_ups: time-outs by circumstances. counted:
    characters as its plan counts them for each of the script, where no take of its own tells."""
    stand_aside()
    sound = sound_of((one for one in takes if one.scored), measured)
    # typed waits and those slept through are shown as such, and never averaged with the clock's
    usual = usual_circumstances(timed)
    usable = [p for p in timed if p.usable]
    ours = [p for p in usable if p.circumstances == usual]
    given_up = give_ups.get(usual, 0) if usual is not None else sum(give_ups.values())
    warm = [p for p in ours if not p.timing.cold]
    closed = [row for row in journal if row.state in ("done", "failed")]
    failures = Counter(row.failure_kind for row in closed if row.state == "failed")
    factor = figure([p.timing.real_time_factor(p.take.duration_s) for p in warm or ours])
    memory = [p.timing.peak_memory_mb for p in usable if p.timing.peak_memory_mb is not None]
    load = [p.timing.load_s for p in usable if p.timing.load_s is not None]
    used = {take.voice_used for take in takes if take.voice_used and take.voice_used != voice}

    def of(pick: Callable[[Timing], float | None]) -> list[float]:
        return [value for p in warm if (value := pick(p.timing)) is not None]

    return Summary(
        candidate_id=candidate_id,
        takes=tuple(takes),
        sound=sound,
        first_sound=waits(of(lambda t: t.first_sound_s), gave_up=given_up),
        whole_clip=waits(of(lambda t: t.last_byte_s), gave_up=given_up),
        real_time_factor=factor,
        cold=tuple(p.timing.last_byte_s for p in usable if p.timing.cold),
        load_s=max(load) if load else None,
        cpu_s=figure(of(lambda t: t.cpu_s)),
        peak_memory_mb=max(memory) if memory else None,
        failures=dict(failures),
        requests=len(closed),
        failure_rate=wilson_interval(sum(failures.values()), len(closed)) if closed else None,
        rates=rates_of(takes, lengths, warm or ours, counted=counted),
        odd_voice=", ".join(sorted(used)),
        circumstances=usual,
        other_waits=len(usable) - len(ours) - sum(p.timing.cold for p in usable if p.circumstances != usual),
        tried_again=sum(row.attempt > 1 for row in closed),
        doubted=sum(bool(take.doubts) and not take.accepted for take in takes),
    )


def rates_of(
    takes: Sequence[Take], lengths: dict[int, int], timed: Sequence[TimingPoint], *, counted: Decimal = Decimal(1)
) -> Rates:
    """The candidate's own characters per minute (all characters over all minutes), what its plan counts of them, and
    its speed (all waits over all the sound waited for: a mean of ratios would weigh a short clip like a long one).

    A text counts once, with the mean of its takes, however often it was repeated or timed under load.
    """
    takes = [t for t in takes if t.scored]
    spoken = _by_text((t.passage_version_id, t.duration_s) for t in takes)
    seconds = _sum(spoken.values())
    if not seconds:
        return Rates(billed_per_character=counted)
    billed = _by_text((t.passage_version_id, float(t.characters_billed)) for t in takes
                      if t.characters_billed is not None and t.copied_from is None)  # fmt: skip
    of_billed = sum(lengths[version] for version in billed)
    waited = _sum(_by_text((p.take.passage_version_id, p.timing.last_byte_s) for p in timed).values())
    made = _sum(_by_text((p.take.passage_version_id, p.take.duration_s) for p in timed).values())
    return Rates(
        characters_per_minute=sum(lengths[version] for version in spoken) / (seconds / 60),
        takes=len(takes),
        pace_between=_pace_between(spoken, lengths),
        processing_per_sound_s=waited / made if made else None,
        billed_per_character=_sum(billed.values()) / of_billed if of_billed else counted,
    )


def _by_text(values: Iterable[tuple[int, float]]) -> dict[int, float]:
    """The mean of each text's values."""
    found: dict[int, list[float]] = {}
    for version, value in values:
        found.setdefault(version, []).append(value)
    return {version: sum(of) / len(of) for version, of in found.items()}


def _pace_between(spoken: Mapping[int, float], lengths: Mapping[int, int]) -> tuple[Decimal, Decimal] | None:
    """95 % interval of the characters a minute for other texts of the kind: the jackknife of a ratio of sums, leaving
    out a passage at a time (Quenouille 1956, Tukey 1958), with Student's t. None for fewer than three passages.
    spoken: seconds by text."""
    count = len(spoken)
    if count < FEWEST_TEXTS_FOR_PACE:
        return None
    characters = np.array([lengths[version] for version in spoken], dtype=float)
    minutes = np.array(list(spoken.values())) / 60
    whole = characters.sum() / minutes.sum()
    without = (characters.sum() - characters) / (minutes.sum() - minutes)
    spread = float(np.sqrt((count - 1) / count * ((without - without.mean()) ** 2).sum()))
    half = t_quantile(0.975, count - 1) * spread
    low, high = max(whole / 10, whole - half), whole + half
    return Decimal(repr(round(float(low), 6))), Decimal(repr(round(float(high), 6)))


def _sum(values: Iterable[float]) -> Decimal:
    return sum((Decimal(repr(value)) for value in values), Decimal(0))
