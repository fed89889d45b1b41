"""Timings as rows: one for each candidate under each set of circumstances, with the points of one phase."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.analysis.timing.points import PHASES, Circumstances, TimingPoint
from zestpanel.core.analysis.timing.waits import Waits, quantile_interval, waits
from zestpanel.core.waiting import in_turns


@dataclass(frozen=True, slots=True, kw_only=True)
class TimingRow:
    """warm: the usable warm points of the phase, summed up; median with its interval, None below five of them.

    cold: cold points. void: typed or slept through, counted only. The last ones are of local engines, None elsewhere.
    """

    candidate_id: int
    circumstances: Circumstances
    warm: Waits
    median: Interval | None
    cold: tuple[float, ...] = field(repr=False)
    void: int
    load_s: float | None
    cpu_per_sound_s: float | None
    peak_memory_mb: float | None
    threads: int | None


def timing_rows(
    points: Sequence[TimingPoint],
    phase: str,
    given_up: Mapping[int, Mapping[Circumstances, int]] = MappingProxyType({}),
) -> list[TimingRow]:
    """Rows by candidate in the order of its first timing, then by circumstances, the level of load last.

    given_up: time-outs by candidate and circumstances (``give_ups``); they count as later than any.
    """
    _, pick = PHASES[phase]
    groups: dict[tuple[int, Circumstances], list[TimingPoint]] = defaultdict(list)
    for point in points:
        groups[(point.take.candidate_id, point.circumstances)].append(point)
    out = []
    for (candidate_id, circumstances), group in in_turns(groups.items(), 3):
        usable = [p for p in group if p.usable]
        warm = [v for p in usable if not p.timing.cold and (v := pick(p)) is not None]
        cold = [v for p in usable if p.timing.cold and (v := pick(p)) is not None]
        loads = [p.timing.load_s for p in usable if p.timing.load_s is not None]
        cpu = [p.timing.cpu_s / p.take.duration_s for p in usable if p.timing.cpu_s is not None]
        memory = [p.timing.peak_memory_mb for p in usable if p.timing.peak_memory_mb is not None]
        threads = [p.timing.threads for p in usable if p.timing.threads is not None]
        late = 0 if phase == "real-time factor" else given_up.get(candidate_id, {}).get(circumstances, 0)
        out.append(
            TimingRow(
                candidate_id=candidate_id,
                circumstances=circumstances,
                warm=waits(warm, gave_up=late),
                median=quantile_interval(warm, 0.5, gave_up=late) if warm else None,
                cold=tuple(cold),
                void=len(group) - len(usable),
                load_s=max(loads, default=None),
                cpu_per_sound_s=sum(cpu) / len(cpu) if cpu else None,
                peak_memory_mb=max(memory, default=None),
                threads=max(threads, default=None),
            )
        )
    order = {candidate: place for place, candidate in enumerate(dict.fromkeys(p.take.candidate_id for p in points))}
    return sorted(out, key=lambda row: (order[row.candidate_id], row.circumstances))


def watts_of(components: Sequence[object]) -> str:
    """The power that a plan assumes for one's own machine, as text; '' where it assumes none."""
    from zestpanel.core.money.components.own_machine import OwnMachine

    found = next((part for part in components if isinstance(part, OwnMachine)), None)
    return f"{found.watts:g}" if found is not None else ""
