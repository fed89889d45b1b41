"""What a candidate's takes say together: sound, pace, waits and failures, each with what it rests on."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

import numpy as np

from zestpanel.core.bench.planning import asked_alike
from zestpanel.core.connectors.speaking import Timing
from zestpanel.core.project.journal import JournalRow
from zestpanel.core.project.project import Project
from zestpanel.core.project.takes import Measured, Take
from zestpanel.core.statistics.intervals import Interval, wilson_interval
from zestpanel.core.tariffs.volume import Rates

FEWEST_FOR_P95 = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """A median over takes with the 25-75 % spread and the number of takes."""

    median: float
    low: float
    high: float
    n: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Waits:
    """Warm waits of one phase in s (all points, sorted); p95 is None below 20 of them ('too few')."""

    points: tuple[float, ...] = field(repr=False)
    median: float | None
    p95: float | None

    @property
    def n(self) -> int:
        return len(self.points)


@dataclass(frozen=True, slots=True, kw_only=True)
class Summary:
    """Everything the card shows that is not a rating or a price. sound: Figures by measure name."""

    candidate_id: int
    takes: tuple[Take, ...] = field(repr=False)
    sound: dict[str, Figure]
    first_sound: Waits
    whole_clip: Waits
    real_time_factor: Figure | None
    cold: tuple[float, ...]
    load_s: float | None
    cpu_s: Figure | None
    peak_memory_mb: float | None
    failures: dict[str, int]
    requests: int
    failure_rate: Interval | None
    rates: Rates
    odd_voice: str


def waits(points: Sequence[float]) -> Waits:
    """Quantiles by linear interpolation (type 7, Hyndman & Fan 1996)."""
    ordered = tuple(sorted(points))
    return Waits(
        points=ordered,
        median=float(np.quantile(ordered, 0.5)) if ordered else None,
        p95=float(np.quantile(ordered, 0.95)) if len(ordered) >= FEWEST_FOR_P95 else None,
    )


def figure(values: Sequence[float]) -> Figure | None:
    if not values:
        return None
    low, middle, high = np.quantile(np.asarray(values, dtype=float), [0.25, 0.5, 0.75])
    return Figure(median=float(middle), low=float(low), high=float(high), n=len(values))


def summaries(project: Project) -> dict[int, Summary]:
    """Summary by candidate id, over takes of the passages' present versions."""
    present = {p.version_id: p for p in project.texts.all()}
    measured = project.takes.measured()
    takes: dict[int, list[Take]] = defaultdict(list)
    candidates = {c.id: c for c in project.shortlist.candidates()}
    engines = project.shortlist.engines()
    for take in project.takes.all():
        passage, candidate = present.get(take.passage_version_id), candidates.get(take.candidate_id)
        engine = engines.get(candidate.engine) if candidate else None
        if passage is None or candidate is None:
            continue
        if engine is None or asked_alike(take, project.sending.of(candidate, passage, engine)):
            takes[take.candidate_id].append(take)
    journal: dict[int, list[JournalRow]] = defaultdict(list)
    for row in project.journal.rows():
        journal[row.candidate_id].append(row)
    lengths = {version: passage.characters for version, passage in present.items()}
    return {
        c.id: summary_of(c.id, takes[c.id], journal[c.id], measured, lengths, voice=c.voice)
        for c in candidates.values()
    }


def summary_of(
    candidate_id: int,
    takes: Sequence[Take],
    journal: Sequence[JournalRow],
    measured: dict[int, Measured],
    lengths: dict[int, int],
    *,
    voice: str,
) -> Summary:
    """Summary of one candidate. lengths: characters by passage version."""
    values: dict[str, list[float]] = defaultdict(list)
    for take in takes:
        for name, value in (measured[take.id].values if take.id in measured else {}).items():
            if isinstance(value, int | float):
                values[name].append(float(value))
    sound = {name: found for name, numbers in values.items() if (found := figure(numbers)) is not None}
    # waits that somebody typed in are shown as such and never averaged with the clock's
    timed = [(take, take.timing) for take in takes if take.timing is not None and not take.timing.typed]
    warm = [(take, t) for take, t in timed if not t.cold]
    closed = [row for row in journal if row.state in ("done", "failed")]
    failures = Counter(row.failure_kind for row in closed if row.state == "failed")
    factor = figure([t.real_time_factor(take.duration_s) for take, t in warm or timed])
    memory = [t.peak_memory_mb for _, t in timed if t.peak_memory_mb is not None]
    load = [t.load_s for _, t in timed if t.load_s is not None]
    used = {take.voice_used for take in takes if take.voice_used and take.voice_used != voice}

    def of(pick: Callable[[Timing], float | None]) -> list[float]:
        return [value for _, t in warm if (value := pick(t)) is not None]

    return Summary(
        candidate_id=candidate_id,
        takes=tuple(takes),
        sound=sound,
        first_sound=waits(of(lambda t: t.first_sound_s)),
        whole_clip=waits(of(lambda t: t.last_byte_s)),
        real_time_factor=factor,
        cold=tuple(t.last_byte_s for _, t in timed if t.cold),
        load_s=max(load) if load else None,
        cpu_s=figure(of(lambda t: t.cpu_s)),
        peak_memory_mb=max(memory) if memory else None,
        failures=dict(failures),
        requests=len(closed),
        failure_rate=wilson_interval(sum(failures.values()), len(closed)) if closed else None,
        rates=rates_of(takes, lengths, factor),
        odd_voice=", ".join(sorted(used)),
    )


def rates_of(takes: Sequence[Take], lengths: dict[int, int], factor: Figure | None) -> Rates:
    """The candidate's own characters per minute (all characters over all minutes), and its speed."""
    takes = [t for t in takes if t.scored]
    seconds = sum((Decimal(repr(t.duration_s)) for t in takes), Decimal(0))
    if not seconds:
        return Rates()
    characters = sum(lengths[t.passage_version_id] for t in takes)
    return Rates(
        characters_per_minute=characters / (seconds / 60),
        takes=len(takes),
        processing_per_sound_s=None if factor is None else Decimal(repr(factor.median)),
    )
