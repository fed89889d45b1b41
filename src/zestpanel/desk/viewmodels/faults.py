"""What is wrong in the takes, by ear and by machine, in one list: made without a widget."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from zestpanel.core.analysis.faults import OF_WORDS, Fault
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.listening.defects import Defect, Defects, defects
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr, trn, word

State = Literal["waits", "real", "not real", "doubtful", "marked"]
STATES: Mapping[State, str] = {
    "waits": tr("not looked at"), "real": tr("real"), "not real": tr("nothing wrong"),
    "doubtful": tr("likely the recogniser's"), "marked": tr("marked by ear"),
}  # fmt: skip
RATES_HEAD = (
    tr("Candidate"), tr("found"), tr("min examined"), tr("found a minute"), tr("marked"), tr("min heard"),
    tr("marked a minute"), tr("which"),
)  # fmt: skip
MOST_KINDS = 3  # that are named
LIST_HEAD = (tr("Candidate"), tr("Passage"), tr("at"), tr("kind"), tr("what"), tr("state"))


@dataclass(frozen=True, slots=True)
class Line:
    """One of the list: a machine's finding or a listener's mark, the other is None."""

    take: Take
    passage: Passage
    fault: Fault | None
    defect: Defect | None

    @property
    def candidate_id(self) -> int:
        return self.take.candidate_id

    @property
    def span_s(self) -> tuple[float, float]:
        if self.fault is not None:
            return self.fault.of.start_s, self.fault.of.end_s
        assert self.defect is not None
        return self.defect.mark.at_s, self.defect.mark.at_s

    @property
    def kind(self) -> str:
        """As it is stored."""
        return self.fault.of.kind if self.fault is not None else self.defect.mark.kind if self.defect else ""

    @property
    def kind_words(self) -> str:
        return self.fault.kind.words if self.fault is not None else word(self.kind)

    @property
    def says(self) -> str:
        return self.fault.says() if self.fault is not None else self.defect.mark.note if self.defect else ""

    @property
    def state(self) -> State:
        if self.fault is None:
            return "marked"
        if self.fault.real is None:
            return "doubtful" if self.fault.doubtful else "waits"
        return "real" if self.fault.real else "not real"

    @property
    def where(self) -> str:
        """'1.2 s'; of what lies all over the clip nothing."""
        start, end = self.span_s
        return tr("all of it") if end - start >= self.take.duration_s - 0.05 > 1 else f"{start:.1f} s"


@dataclass(frozen=True, slots=True)
class FaultsSeen:
    """rates: a row a candidate, as RATES_HEAD; lines: what waits first, what a recogniser told behind the
    rest of it, then by candidate and place."""

    candidate_ids: tuple[int, ...]
    rates: tuple[tuple[str, ...], ...]
    lines: tuple[Line, ...]

    def says(self, names: Mapping[int, str]) -> str:
        """Who has most, and how much waits for a person's word."""
        waits = sum(line.state == "waits" for line in self.lines)
        if not self.lines:
            return tr("Nothing is found and nothing is marked. While listening, M marks a defect, or one of F2 to F11.")
        said = []
        if self.candidate_ids and (first := self.rates[0])[3] not in ("–", "0.00"):
            said.append(tr("{name} has most found: {rate} a minute ({which}).",
                           name=names.get(self.candidate_ids[0], "?"), rate=first[3], which=first[7]))  # fmt: skip
        if waits:
            said.append(trn("{n} finding was not looked at: Y says it is real, N that nothing is wrong.",
                            "{n} findings were not looked at: Y says one is real, N that nothing is wrong.", waits,
                            n=waits))  # fmt: skip
        return " ".join(said)


def look_at_faults(project: Project, evaluation: Evaluation | None, names: Mapping[int, str]) -> FaultsSeen:
    marked: dict[int, Defects] = {one.candidate_id: one for one in defects(project)}
    found = {row.candidate.id: row.summary.faults for row in evaluation.rows.values()} if evaluation else {}
    every = [who for who in names if who in marked or found.get(who) is not None]

    def rate(of: float | None) -> str:
        return "–" if of is None else f"{of:.2f}"

    rates = {}
    lines: list[Line] = []
    for who in every:
        machine, ear = found.get(who), marked.get(who)
        which = [part for part in (machine.says(MOST_KINDS) if machine else "", ear.kinds() if ear else "") if part]
        rates[who] = (
            names[who], str(machine.counted) if machine else "–", f"{machine.minutes:.1f}" if machine else "–",
            rate(machine.per_minute if machine else None), str(len(ear.found)) if ear else "–",
            f"{ear.minutes:.1f}" if ear else "–",
            tr("not heard") if ear is None or ear.per_minute is None else f"{ear.per_minute:.2f}", "; ".join(which),
        )  # fmt: skip
        lines += [Line(one.take, one.passage, one, None) for one in (machine.found if machine else ())]
        lines += [Line(one.take, one.passage, None, one) for one in (ear.found if ear else ())]
    every.sort(key=lambda who: -((machine.per_minute or 0.0) if (machine := found.get(who)) else 0.0))
    order = {"waits": 0, "marked": 1, "real": 1, "doubtful": 2, "not real": 3}
    at = {who: k for k, who in enumerate(every)}
    lines.sort(key=lambda one: (order[one.state], one.kind in OF_WORDS, at[one.candidate_id], one.passage.id,
                               one.take.id, one.span_s))  # fmt: skip
    return FaultsSeen(tuple(every), tuple(rates[who] for who in every), tuple(lines))
