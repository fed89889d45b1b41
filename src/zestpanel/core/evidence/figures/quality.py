"""What the panel says."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

import numpy as np

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.domain.passage import Passage
from zestpanel.core.evidence.declared import CellParts, Cells, Figure, Place, Reading, Start
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr, word


def _read(of: Known, language: LanguageScores | None) -> Reading:
    score = of.score if language is None else language.scores.get(of.candidate.id)
    if score is None:
        return Reading(None)
    draws = None if language is None else language.draws_of(of.candidate.id)
    return Reading(score.mean, score.crossed.low, score.crossed.high, draws=draws, n=score.ratings)


def _told(of: Known, language: LanguageScores | None, brief: Brief) -> str:
    del brief
    score = None if language is None else language.scores.get(of.candidate.id)
    if score is None:
        return word(of.unheard or "nobody has heard this")
    return f"{score.mean:.2f} {score.letters}" + ("\n" + tr("preliminary") if score.preliminary else "")


def _of_cells(project: CellParts, cells: Cells, passages: Mapping[int, Passage]) -> Mapping[Place, float]:
    del cells  # a rating is of a passage, whichever take was heard
    by_version = {passage.version_id: passage.id for passage in passages.values()}
    scores: dict[Place, list[float]] = defaultdict(list)
    for rating in project.answers.ratings():
        if rating.scale == QUALITY and rating.passage_version_id in by_version:
            scores[rating.candidate_id, by_version[rating.passage_version_id]].append(rating.score)
    return {place: float(np.mean(of)) for place, of in scores.items()}


FIGURES = (
    Figure(
        name="quality", group="listeners", words="quality",
        label=tr("panel score"), column="MOS", decimals=2, better="higher", place=0,
        first=True, read=_read, told=_told, of_cells=_of_cells, start=lambda _: Start(2.5, 4.5, 50),
        claimed="panel score", best_of="higher",
    ),
)  # fmt: skip
