"""Everything that is known of one candidate, as it stands for the choice."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.analysis.statistics.paired import Equality
from zestpanel.core.analysis.summary import Summary
from zestpanel.core.catalogue.facts import Plan
from zestpanel.core.choice.gates import Gate
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.listening.scores import Score, primary
from zestpanel.core.money.volume import VolumeCost
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """All evidence on one candidate. score: in its own language; equality and best are of that language too."""

    candidate: Candidate
    name: str
    detail: str
    plan: Plan
    hosted: bool | None
    summary: Summary
    cost: VolumeCost
    score: Score | None
    gates: tuple[Gate, ...]
    as_good_as_best: Equality | None  # against the best-scored candidate of the language
    best_id: int | None
    consent_missing: str = ""
    rights: tuple[str, ...] = ()  # those that the plan denies and no must-have asks for

    @property
    def passes(self) -> bool:
        return all(gate.verdict == "yes" for gate in self.gates)

    @property
    def barred_at_any_volume(self) -> bool:
        """Whether it does not meet a must-have other than the budget."""
        return any(gate.verdict == "no" and not gate.of_volume for gate in self.gates)

    @property
    def under_plan(self) -> str:
        """Its name with the plan it is bought under, which a name that tells plans apart has already."""
        return self.name if self.name.endswith(f", {self.plan.name}") else f"{self.name}, {self.plan.name}"

    @property
    def language(self) -> str:
        return primary(self.candidate.language)

    @property
    def how_sure(self) -> str:
        """'nobody has heard this', 'preliminary', or '' for a score that rests on enough."""
        if self.score is None:
            return "nobody has heard this"
        return tr("preliminary") if self.score.preliminary else ""
