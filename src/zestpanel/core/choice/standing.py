"""Who could fill a role: its candidates weighed by what it asks, their order, and how firm that is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from zestpanel.core.choice.criteria import evidence_of
from zestpanel.core.choice.ranking import Criterion, Evidence, Ranked, firmness, rank
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.role import Role
from zestpanel.core.languages import language_name
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import capital, tr, word

Chances = dict[object, dict[int, tuple[float, float]]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """role: None for a language that no role is for. brief: as the role asks. rows: of those that speak its language,
    with the role's own must-haves; candidates of two languages never compete. scored: the panel's scores it rests on.
    """

    role: Role | None
    language: str
    brief: Brief
    rows: Mapping[int, Row]
    ranking: tuple[Ranked, ...]
    criteria: tuple[Criterion, ...]
    scored: LanguageScores | None
    evidence: tuple[Evidence, ...] = field(default=(), repr=False, compare=False)

    @property
    def key(self) -> str:
        """The role's id, or the language with a sign that no id has."""
        return self.role.id if self.role is not None else f"+{self.language}"

    @property
    def name(self) -> str:
        """'Main narrator, English'; a language alone where no role is for it."""
        language = language_name(self.language)
        return (
            tr("{role}, {language}", role=capital(word(self.role.name)), language=language) if self.role else language
        )

    def ranked(self, candidate_id: int) -> Ranked | None:
        return next((one for one in self.ranking if one.candidate_id == candidate_id), None)

    def weighed_by(self, criteria: Sequence[Criterion]) -> Standing:
        """The order under other weights and bounds, at once and without chances."""
        ranking = tuple(replace(one, language=self.language) for one in rank(criteria, self.evidence))
        return replace(self, criteria=tuple(criteria), ranking=ranking)


def stand(
    role: Role | None, language: str, brief: Brief, rows: Mapping[int, Row], criteria: tuple[Criterion, ...],
    scored: LanguageScores | None, chances: Chances,
) -> Standing:  # fmt: skip
    """Rank and draw. chances: what was drawn already, since roles may ask alike; added to."""
    evidence = tuple(evidence_of(row, scored) for row in rows.values())
    asked = (language, criteria, tuple((one.candidate_id, one.passes, *one.values.values()) for one in evidence))
    if asked not in chances:
        chances[asked] = firmness(criteria, evidence, np.random.default_rng(7))
    drawn, ranking = chances[asked], []
    for ranked in rank(criteria, evidence):
        first, top_three = drawn.get(ranked.candidate_id, (None, None))
        alone = first is not None and len(drawn) == 1
        ranking.append(replace(ranked, language=language, first=None if alone else first,
                               top_three=None if alone else top_three, alone=alone))  # fmt: skip
    return Standing(role=role, language=language, brief=brief, rows=rows, ranking=tuple(ranking), criteria=criteria,
                    scored=scored, evidence=evidence)  # fmt: skip
