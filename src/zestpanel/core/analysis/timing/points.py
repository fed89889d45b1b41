"""Timings as points: one a take, with the circumstances it was taken under."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.run import JournalRow, RunRow
from zestpanel.core.domain.take import Take, Timing
from zestpanel.core.store.journal import Journal
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.texts import tr, word
from zestpanel.core.waiting import in_turns


@dataclass(frozen=True, slots=True, kw_only=True, order=True)
class Circumstances:
    """What a timing was taken on. Timings of different circumstances are never averaged.

    at_once: the level of requests at once the run allowed, 0 for the engine's own limit. side_by_side: a program of
    this machine that shared it with other programs and with the measuring (False for services).
    """

    route: str
    machine: str
    network: str
    at_once: int
    side_by_side: bool = False

    def says(self) -> str:
        load = (
            tr("the engine's own limit at once") if not self.at_once else tr("{at_once} at once", at_once=self.at_once)
        )
        load += tr(", beside other programs and the measuring") if self.side_by_side else ""
        return f"{word(self.route)}, {load}, {self.machine}" + (
            tr(", network {network}", network=self.network) if self.network else ""
        )


UNKNOWN: Final = Circumstances(route="", machine=tr("not recorded"), network="", at_once=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TimingPoint:
    """One take's timing with where it belongs. characters: billed for it, None where that is not known."""

    take: Take
    timing: Timing
    circumstances: Circumstances

    @property
    def usable(self) -> bool:
        """Whether our clock saw the whole wait: not typed in, and the machine did not sleep meanwhile."""
        return not self.timing.typed and not self.timing.slept

    @property
    def hour(self) -> float:
        """Hour of the day, 0 to 24, in the machine's own time zone, when the take was kept."""
        at = datetime.fromisoformat(self.take.created).astimezone()
        return at.hour + at.minute / 60 + at.second / 3600


PHASES: Final[dict[str, tuple[str, Callable[[TimingPoint], float | None]]]] = {
    "first sound": (tr("Wait to first sound"), lambda p: p.timing.first_sound_s),
    "stall-free start": (tr("Earliest start without a stall"), lambda p: p.timing.stall_free_start_s()),
    "whole clip": (tr("Wait for the whole clip"), lambda p: p.timing.last_byte_s),
    "real-time factor": (tr("Wait over length of the sound"), lambda p: p.timing.real_time_factor(p.take.duration_s)),
}


def circumstances_of(take: Take, candidate: Candidate, runs: Mapping[int, RunRow]) -> Circumstances:
    elsewhere = take.timing.machine if take.timing is not None else ""
    run = runs.get(take.run_id) if take.run_id is not None else None
    if run is None:
        return UNKNOWN
    return Circumstances(
        route=candidate.route,
        machine=elsewhere or run.machine,
        network=run.network,
        at_once=run.at_once,
        # only programs of a machine have CPU seconds
        side_by_side=run.side_by_side and take.timing is not None and take.timing.cpu_s is not None,
    )


def timing_points(
    takes: Iterable[Take], candidates: Mapping[int, Candidate], runs: Mapping[int, RunRow]
) -> list[TimingPoint]:
    """The takes that were timed, with their circumstances."""
    return [
        TimingPoint(
            take=take, timing=take.timing, circumstances=circumstances_of(take, candidates[take.candidate_id], runs)
        )
        for take in in_turns(takes)
        if take.timing is not None and take.candidate_id in candidates
    ]


def give_ups(
    rows: Iterable[JournalRow],
    candidates: Mapping[int, Candidate],
    runs: Mapping[int, RunRow],
    points: Iterable[TimingPoint],
) -> dict[int, dict[Circumstances, int]]:
    """Requests that ended by time-out, by candidate id and circumstances: nobody knows how long they would have taken,
    only that it was longer than anybody waited. points: the candidates' timings, which tell programs from services."""
    programs = {point.take.candidate_id for point in points if point.timing.cpu_s is not None}
    out: dict[int, dict[Circumstances, int]] = defaultdict(lambda: defaultdict(int))
    for row in in_turns(rows):
        run, candidate = runs.get(row.run_id), candidates.get(row.candidate_id)
        if row.state != "failed" or row.failure_kind != "timed out" or run is None or candidate is None:
            continue
        where = Circumstances(
            route=candidate.route,
            machine=run.machine,
            network=run.network,
            at_once=run.at_once,
            side_by_side=run.side_by_side and candidate.id in programs,
        )
        out[row.candidate_id][where] += 1
    return out


def points_of(takes: Iterable[Take], journal: Journal, shortlist: Shortlist) -> list[TimingPoint]:
    """The timings of such takes, in their order."""
    candidates = {c.id: c for c in shortlist.candidates()}
    return timing_points(takes, candidates, journal.runs())


def usual_points(points: Iterable[TimingPoint]) -> dict[int, list[TimingPoint]]:
    """By candidate id: its points under its usual circumstances, in their order."""
    of_each: dict[int, list[TimingPoint]] = defaultdict(list)
    for point in points:
        of_each[point.take.candidate_id].append(point)
    out: dict[int, list[TimingPoint]] = {}
    for candidate_id, mine in in_turns(of_each.items(), 3):
        usual = usual_circumstances(mine)
        out[candidate_id] = [p for p in mine if p.circumstances == usual]
    return out


def usual_circumstances(points: Sequence[TimingPoint]) -> Circumstances | None:
    """Those with most warm timings (of equals, the latest): what a candidate's one figure is stated for."""
    count: dict[Circumstances, int] = defaultdict(int)
    last: dict[Circumstances, int] = {}
    for point in points:
        if point.usable:
            count[point.circumstances] += 0 if point.timing.cold else 1
            last[point.circumstances] = point.take.id
    return max(count, key=lambda c: (count[c], last[c]), default=None)
