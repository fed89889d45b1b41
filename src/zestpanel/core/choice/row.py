"""Everything that is known of one candidate, as it stands for the choice."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.analysis.statistics.paired import Equality
from zestpanel.core.choice.gates import Gate
from zestpanel.core.evidence.known import Known
from zestpanel.core.texts import tr, word


@dataclass(frozen=True, slots=True, kw_only=True)
class Row(Known):
    """All evidence on one candidate, and what must-haves say of it. as_good_as_best: against the best-scored candidate
    of its language. rights_denied: those that the plan denies and no must-have asks for."""

    gates: tuple[Gate, ...]
    as_good_as_best: Equality | None
    best_id: int | None
    consent_missing: str = ""
    rights_denied: tuple[str, ...] = ()

    @property
    def rights(self) -> tuple[str, ...]:
        """'commercial use: no', for each that is denied."""
        return tuple(f"{word(name)}: {word('no')}" for name in self.rights_denied)

    @property
    def passes(self) -> bool:
        return all(gate.verdict == "yes" for gate in self.gates)

    @property
    def barred_at_any_volume(self) -> bool:
        """Whether it does not meet a must-have other than the budget."""
        return any(gate.verdict == "no" and not gate.of_volume for gate in self.gates)

    @property
    def how_sure(self) -> str:
        """Why it has no score, 'preliminary', or '' for a score that rests on enough."""
        if self.score is None:
            return self.unheard
        return tr("preliminary") if self.score.preliminary else ""
