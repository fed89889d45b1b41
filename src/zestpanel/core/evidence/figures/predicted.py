"""What predictors of the person's own say of takes: shown where it is asked for, with how far it goes along with this
project's panel, and never weighed."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Final

from zestpanel.core.evidence.declared import Figure
from zestpanel.core.evidence.figures.sound import cells_of, median_of
from zestpanel.core.evidence.known import Known
from zestpanel.core.runs.measuring.hearing import PREDICTED
from zestpanel.core.texts import tr

FEWEST_RATED: Final = 5  # candidates of a language, for it to be told how far it goes along with the panel
FIGURES: Final[tuple[Figure, ...]] = ()  # each is known by its predictor's name


@lru_cache(maxsize=100)
def own(name: str) -> Figure | None:
    """The figure of a predictor, by the name under which its values are kept; None for another name."""
    if not name.startswith(PREDICTED):
        return None
    by = name.removeprefix(PREDICTED)

    words = tr("predicted by {by}", by=by)
    return Figure(name=name, words=words, label=words, decimals=2, place=105, group="sound",
                  read=median_of(name), of_cells=cells_of(name))  # fmt: skip


def known_in(rows: Iterable[Known]) -> list[Figure]:
    """Of the predictors that have told something of these."""
    names = dict.fromkeys(name for of in rows for name in of.summary.sound if name.startswith(PREDICTED))
    return [found for name in names if (found := own(name)) is not None]


def with_doubt(figure: Figure, rated: int) -> str:
    """What a figure is called in a sentence where so many candidates are rated: of a predictor that nothing is known of
    here, that it is untested."""
    return figure.words if _is_known(figure, rated) else tr("{words}, untested here", words=figure.words)


def head_of(figure: Figure, rated: int) -> str:
    """Likewise, at the head of a column."""
    return figure.label if _is_known(figure, rated) else tr("{words}, untested here", words=figure.label)


def _is_known(figure: Figure, rated: int) -> bool:
    return not figure.name.startswith(PREDICTED) or rated >= FEWEST_RATED
