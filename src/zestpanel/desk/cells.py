"""The bench as the grid shows it: candidates by passages, each cell's takes and state, read in one go."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field

from zestpanel.core.bench.measuring import MEASURES_VERSION
from zestpanel.core.bench.planning import asked_alike, barred, text_reasons
from zestpanel.core.brief import Brief
from zestpanel.core.catalogue.candidate import Candidate, short_names
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.choice.decision import decisions
from zestpanel.core.passages.passage import Passage
from zestpanel.core.project.project import Project
from zestpanel.core.project.takes import Take


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """One cell. state: 'there', 'stale' (made from an earlier text), 'failed', 'open' (may have been paid),
    'barred' (will not work, with the reason), or 'missing'. take: the one that is shown and heard."""

    state: str
    take: Take | None = None
    takes: int = 0
    text: str = ""
    marks: int = 0
    odd_voice: bool = False
    doubts: str = ""


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
    unmeasured: int
    raters: int
    decided: frozenset[str]

    def cell(self, candidate_id: int, passage_id: int) -> Cell:
        return self.cells.get((candidate_id, passage_id), _MISSING)

    @property
    def counts(self) -> tuple[int, int]:
        """(cells with a present take, cells that could have one)."""
        able = [
            self.cell(c.id, p.id).state
            for c in self.candidates
            for p in self.passages
            if self.cell(c.id, p.id).state != "barred"
        ]
        return able.count("there"), len(able)


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
    failed: dict[tuple[int, int], str] = {}
    still_open: set[tuple[int, int]] = set()
    for row in project.journal.rows():
        if row.passage_version_id in present:
            key = (row.candidate_id, passage_of[row.passage_version_id])
            if row.state == "failed":
                failed[key] = row.failure_text
            elif row.state == "done":
                failed.pop(key, None)
            elif row.state == "open":
                still_open.add(key)
    cells: dict[tuple[int, int], Cell] = {}
    in_the_way = barred(project, candidates, engines, ask_key_store=False)
    for candidate in candidates:
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
                failed.get(key, ""),
                key in still_open,
            )
    return Bench(
        candidates=tuple(candidates),
        passages=tuple(passages),
        engines=engines,
        names=short_names(candidates, engines),
        cells=cells,
        brief=project.brief,
        takes=len(every_take),
        unmeasured=project.takes.count_unmeasured(version=MEASURES_VERSION),
        raters=project.panel.count_raters(),
        decided=frozenset(d.role for d in decisions(project)),
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
    failure: str,
    is_open: bool,
) -> Cell:
    if takes:
        shown = next((t for t in takes if t.starred), None) or next((t for t in takes if t.scored), takes[0])
        odd = bool(shown.voice_used) and shown.voice_used != candidate.voice
        return Cell(
            state="there",
            take=shown,
            takes=len(takes),
            text=failure,
            odd_voice=odd,
            doubts="" if shown.accepted else " ".join(shown.doubts),
            marks=sum(marks.get(t.id, 0) for t in takes),
        )
    if is_open:
        return Cell(state="open", text="may have been paid")
    if failure:
        return Cell(state="failed", text=failure)
    reasons = list(in_the_way)
    if engine is not None:
        reasons += text_reasons(project, candidate, engine, passage)
    if reasons:
        return Cell(state="barred", text="; ".join(reasons))
    if old:
        return Cell(state="stale", text="made from an earlier text or another way of sending it", takes=len(old))
    return _MISSING
