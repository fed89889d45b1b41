"""The bench as the grid shows it: candidates by passages, each cell's takes and state, read in one go."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Final, NamedTuple

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.choice.decided import decisions
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.measures.registry import versions
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.plan.planning import asked_alike, barred, text_reasons
from zestpanel.core.store.one_asker import asked_elsewhere
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way


class Failure(NamedTuple):
    run_id: int
    repeat: int
    text: str


def _still_failed(failures: Iterable[Failure], run_id: int, repeat: int) -> tuple[Failure, ...]:
    """The failures that a take kept of that repeat in that run leaves: not its own, and none of earlier runs. Repeats
    of one cell are made side by side, so that which of them ended last says nothing."""
    return tuple(f for f in failures if f.run_id >= run_id and (f.run_id, f.repeat) != (run_id, repeat))


ASKED_ELSEWHERE: Final = tr("another program asks for it")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """One cell. state: 'there', 'stale' (made from an earlier text), 'failed', 'open' (may have been paid),
    'barred' (will not work, with the reason), or 'missing'. take: the one that is shown and heard. failures: of
    repeats that were not made since, in order."""

    state: str
    take: Take | None = None
    takes: int = 0
    text: str = ""
    marks: int = 0
    odd_voice: bool = False
    doubts: str = ""
    failures: tuple[Failure, ...] = ()

    @property
    def why(self) -> str:
        """What stands in the way of the cell, or of a repeat of it, in words."""
        return self.failures[-1].text if self.failures else self.text


_MISSING = Cell(state="missing")


@dataclass(frozen=True, slots=True, kw_only=True)
class Bench:
    candidates: tuple[Candidate, ...]
    passages: tuple[Passage, ...]
    engines: dict[str, Engine]
    names: Mapping[int, str]
    cells: Mapping[tuple[int, int], Cell] = field(repr=False)
    brief: Brief
    takes: int
    newest_take: int
    unmeasured: int
    raters: int
    decided: frozenset[str]
    asked_elsewhere: bool = False

    def cell(self, candidate_id: int, passage_id: int) -> Cell:
        return self.cells.get((candidate_id, passage_id), _MISSING)

    @property
    def counts(self) -> tuple[int, int]:
        """(cells with a present take, cells that could have one)."""
        states = [cell.state for cell in self.cells.values()]
        return states.count("there"), len(states) - states.count("barred")


def bench_of(project: Project) -> Bench:
    """Read candidates, passages, takes, failures and marks, and give every cell its state."""
    candidates, passages = project.shortlist.candidates(), project.texts.all()
    engines = project.shortlist.engines()
    passage_of = project.texts.passage_of_version()
    marks: dict[int, int] = defaultdict(int)
    for mark in project.takes.marks():
        marks[mark.take_id] += 1
    present = {p.version_id for p in passages}
    takes: dict[tuple[int, int], list[Take]] = defaultdict(list)
    old: dict[tuple[int, int], list[Take]] = defaultdict(list)
    every_take = project.takes.all(with_timing=False)
    for take in every_take:
        where = takes if take.passage_version_id in present else old
        where[(take.candidate_id, passage_of[take.passage_version_id])].append(take)
    failed: dict[tuple[int, int], tuple[Failure, ...]] = defaultdict(tuple)
    still_open: set[tuple[int, int]] = set()
    elsewhere = bool(asked_elsewhere(project.folder))
    for row in project.journal.rows():
        if row.passage_version_id in present:
            key = (row.candidate_id, passage_of[row.passage_version_id])
            if row.state == "failed":
                failure = Failure(row.run_id, row.repeat, row.failure_text)
                failed[key] = (*_still_failed(failed[key], row.run_id, row.repeat), failure)
            elif row.state == "done":
                failed[key] = _still_failed(failed[key], row.run_id, row.repeat)
            elif row.state == "open":
                still_open.add(key)
    cells: dict[tuple[int, int], Cell] = {}
    in_the_way = barred(project.own_voices, project.notes, candidates, engines, ask_key_store=False)
    for candidate in candidates:
        give_way()
        engine = engines.get(candidate.engine)
        for passage in passages:
            key = (candidate.id, passage.id)
            fresh, stale = takes.get(key, []), old.get(key, [])
            if engine is not None and fresh:
                sent = project.sending.of(candidate, passage, engine)
                stale = [*stale, *(t for t in fresh if not asked_alike(t, sent))]
                fresh = [t for t in fresh if asked_alike(t, sent)]
            cells[key] = _cell(
                project,
                candidate,
                passage,
                engine,
                in_the_way[candidate.id],
                fresh,
                stale,
                marks,
                tuple(sorted(failed[key])),
                "" if key not in still_open else ASKED_ELSEWHERE if elsewhere else tr("may have been paid"),
            )
    return Bench(
        candidates=tuple(candidates),
        passages=tuple(passages),
        engines=engines,
        names=short_names(candidates, engines),
        asked_elsewhere=elsewhere,
        cells=cells,
        brief=project.brief,
        takes=len(every_take),
        newest_take=every_take[-1].id if every_take else 0,
        unmeasured=project.takes.count_unmeasured(versions()),
        raters=project.answers.count_listeners(),
        decided=frozenset(d.role for d in decisions(project.documents) if d.candidate_id is not None),
    )


def with_news(bench: Bench, events: Iterable[RunEvent]) -> Bench:
    """The bench after what a run has told since it was read, without reading anything again."""
    cells, takes, unmeasured = dict(bench.cells), bench.takes, bench.unmeasured
    for event in events:
        job, take = event.job, event.take
        if event.kind == "measured":
            unmeasured = max(0, unmeasured - 1)
        elif job is None:
            continue
        elif event.kind == "kept" and take is not None and take.id > bench.newest_take:
            takes, unmeasured = takes + 1, unmeasured + (job.served_from is None)
            key = (job.candidate.id, job.passage.id)
            if key in cells:
                cells[key] = _with_take(cells[key], job.candidate, take)
        elif event.kind == "failed" and (key := (job.candidate.id, job.passage.id)) in cells:
            old = cells[key]
            there = old.state == "there"
            failure = Failure(event.run_id, job.repeat, event.text)
            failures = tuple(sorted((*_still_failed(old.failures, *failure[:2]), failure)))
            cells[key] = replace(old, failures=failures) if there else Cell(state="failed", failures=failures)
    return replace(bench, cells=cells, takes=takes, unmeasured=unmeasured)


def _with_take(cell: Cell, candidate: Candidate, take: Take) -> Cell:
    """A cell after one more take of the present text: what was shown stays, unless it was none to score."""
    failures = _still_failed(cell.failures, take.run_id or 0, take.repeat)
    if cell.state != "there" or cell.take is None:
        return _shows(take, candidate, takes=1, failures=failures)
    if cell.take.starred or cell.take.scored or not take.scored:
        return replace(cell, takes=cell.takes + 1, failures=failures)
    return _shows(take, candidate, takes=cell.takes + 1, marks=cell.marks, failures=failures)


def _shows(take: Take, candidate: Candidate, *, takes: int, marks: int = 0, failures: tuple[Failure, ...] = ()) -> Cell:
    return Cell(
        state="there",
        take=take,
        takes=takes,
        failures=failures,
        odd_voice=bool(take.voice_used) and take.voice_used != candidate.voice,
        doubts="" if take.accepted else " ".join(take.doubts),
        marks=marks,
    )


def _cell(
    project: Project,
    candidate: Candidate,
    passage: Passage,
    engine: Engine | None,
    in_the_way: tuple[str, ...],
    takes: list[Take],
    old: list[Take],
    marks: Mapping[int, int],
    failures: tuple[Failure, ...],
    is_open: str,
) -> Cell:
    if takes:
        shown = next((t for t in takes if t.starred), None) or next((t for t in takes if t.scored), takes[0])
        heard = sum(marks.get(t.id, 0) for t in takes)
        return _shows(shown, candidate, takes=len(takes), marks=heard, failures=failures)
    if is_open:
        return Cell(state="open", text=is_open)
    if failures:
        return Cell(state="failed", failures=failures)
    reasons = list(in_the_way)
    if engine is not None and not engine.staged:
        reasons += text_reasons(project.sending, candidate, engine, passage)
    if reasons:
        return Cell(state="barred", text="; ".join(reasons))
    if old:
        return Cell(state="stale", text=tr("made from an earlier text or another way of sending it"), takes=len(old))
    return _MISSING
