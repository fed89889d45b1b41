"""What a passage becomes under each plan of the shortlist: how it is sent, what is billed, requests, seconds."""

from __future__ import annotations

from zestpanel.core.domain.passage import Passage
from zestpanel.core.sending.as_sent import understands
from zestpanel.core.text.marks.duration import ASSUMED_PER_MINUTE, expected_s
from zestpanel.core.texts import tr, word
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table

_NO_PLAN = tr("no plan stated")


class PlansTable(Table):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.setAccessibleName(tr("What the passage becomes under each plan"))

    def per_minute(self, candidate_id: int) -> tuple[float, bool]:
        """(characters a minute, whether measured) of a candidate."""
        row = self._state.evaluation.rows.get(candidate_id) if self._state.evaluation is not None else None
        measured = row.summary.rates.characters_per_minute if row is not None else None
        return (ASSUMED_PER_MINUTE, False) if measured is None else (float(measured), True)

    def show_passage(self, passage: Passage) -> None:
        """A line for each engine and plan that has a voice for the passage's language."""
        rows: list[list[str]] = []
        bad: list[tuple[int, int]] = []
        tips, seen = dict[tuple[int, int], str](), set[tuple[str, str]]()
        assumed = False
        for candidate in self._state.bench.candidates:
            engine = self._state.bench.engines.get(candidate.engine)
            key = (candidate.engine, candidate.plan)
            voice = engine.voice(candidate.voice) if engine else None
            if engine is None or key in seen or voice is None or not voice.speaks(passage.language):
                continue
            seen.add(key)
            sent = self._state.project.sending.of(candidate, passage, engine)
            per_minute, measured = self.per_minute(candidate.id)
            assumed = assumed or not measured
            seconds = expected_s(passage.text, [m for m in passage.marks if understands(engine, m.kind)], per_minute)
            fate = (
                tr("{lost} lost", lost=len(sent.lost))
                if sent.lost
                else tr("all marks kept")
                if sent.changes
                else tr("no marks")
            )
            if sent.lost:
                bad.append((len(rows), 1))
            tips[(len(rows), 1)] = "; ".join(f"{c.kind} '{c.words}': {c.why}" for c in sent.lost)
            rows.append([
                f"{candidate.engine}\n{candidate.plan or _NO_PLAN}",
                f"{word(sent.written)}\n{fate}",
                f"{sent.billed:,}",
                str(len(sent.requests)),
                f"{seconds:.1f}" + ("" if measured else "*"),
            ])  # fmt: skip
        head = [tr("Engine and plan"), tr("Sent as"), tr("Billed"), tr("Requests"), tr("About s")]
        self.show_rows(head, rows, numbers=[2, 3, 4], tips=tips, bad=bad, wide=0)
        per = tr("{assumed_per_minute} characters a minute", assumed_per_minute=f"{ASSUMED_PER_MINUTE:,.0f}")
        self.setToolTip(tr("* {per} assumed until takes are measured", per=per) if assumed else "")
        self.setVisible(bool(rows))
