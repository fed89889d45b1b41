"""Everything that is known of one candidate, before anybody weighs it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from zestpanel.core.analysis.summary import Summary
from zestpanel.core.catalogue.facts import Plan
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.listening.defects import Defects
from zestpanel.core.listening.feeding import Fed
from zestpanel.core.listening.scores import Score, primary
from zestpanel.core.money.volume import VolumeCost


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """score: in its own language. defects: those marked while listening; None where nobody has marked or rated any
    take of it. tests: what listening tests other than the main rating say of it, by language and by what they are
    called as a figure. under_way: whether a test whose result is covered has heard it."""

    candidate: Candidate
    name: str
    detail: str
    plan: Plan
    hosted: bool | None
    summary: Summary
    cost: VolumeCost
    score: Score | None
    defects: Defects | None = None
    tests: Mapping[tuple[str, str], Fed] = field(default_factory=dict, repr=False, compare=False)
    under_way: bool = False

    @property
    def unheard(self) -> str:
        """Why it has no score, as files say it; '' where it has one."""
        return "" if self.score is not None else "a test is under way" if self.under_way else "nobody has heard this"

    @property
    def language(self) -> str:
        return primary(self.candidate.language)

    @property
    def under_plan(self) -> str:
        """Its name with the plan it is bought under, which a name that tells plans apart has already."""
        return self.name if self.name.endswith(f", {self.plan.name}") else f"{self.name}, {self.plan.name}"
