"""Which words of the text a recogniser does not hear, and where each word lies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.tracks import Tracks
from zestpanel.core.measures.word_errors import character_errors
from zestpanel.core.measures.words_told import KINDS, words_told
from zestpanel.core.texts import tr

if TYPE_CHECKING:
    from zestpanel.core.measures.words_heard import WordsHeard


def _found(of: Material) -> WordsHeard | str:
    from zestpanel.core.measures.words_heard import words_heard

    return of.once("words heard", lambda: words_heard(of.clip, of.text, of.language))


def _tracks(of: Material) -> Tracks:
    heard = _found(of)
    if isinstance(heard, str):
        return Tracks()
    return Tracks(segments=words_told(heard.pairs, of.text, of.language, of.words[0], of.clip.duration_s))


def _values(of: Material) -> Values:
    heard = _found(of)
    return {"words_wrong": None, "words_wrong_why": heard} if isinstance(heard, str) else values_of(heard)


def values_of(heard: WordsHeard) -> Values:
    """What is kept of what any recogniser heard."""
    return {
        "words_wrong": heard.wrong_percent,
        "characters_wrong": None if (rate := character_errors(heard.pairs)) is None else 100 * rate,
        "words_missing": float(heard.missing),
        "words_added": float(heard.added),
        "words_replaced": float(heard.replaced),
        "words_wrong_later": later_percent(heard.right),
        "heard": heard.heard,
        "heard_right": "".join("1" if right else "0" for right in heard.right),
        "heard_by": heard.by,
    }


def later_percent(right: Sequence[bool]) -> float | None:
    """Places heard wrong in the last third of a text less those in the first, in points; None for a short one."""
    third = len(right) // 3
    if third < FEWEST_OF_THIRD:
        return None
    return 100 * (sum(right[:third]) - sum(right[-third:])) / third


FEWEST_OF_THIRD: Final = 20
FAMILY: Final = Family(
    name="words heard",
    version=11,
    place=60,
    group="wrong",
    values=_values,
    tracks=_tracks,
    kinds=KINDS,
    also=("words_missing", "words_added", "words_replaced", "heard", "heard_right", "heard_by"),
    measures=(
        Measure(name="words_wrong", words=tr("words wrong"), label=tr("words wrong, %"), short="wrong %", unit="%",
                good=(20.0, 0.0), decimals=0, better="lower",
                change=Allowance(over=5.0, unit="points", about="words"), shown=True, swept=True,
                rule=tr("a recogniser against the text (the built-in one hears English); both sides in plain words by "
                     "one rule a language, of several right readings the best one; (missing + added + replaced) over "
                     "the words of the reading followed"),
                source=tr("word error rate, after Levenshtein (1966)"),
                rests_on=tr("the recogniser hearing these voices alike; 'misheard' says how far it does")),
        Measure(name="words_wrong_later", words=tr("words wrong later on"), label=tr("words wrong later on, points"),
                unit="points", decimals=0, better="lower",
                rule=tr("share of places heard wrong in the last third of a text less that in the first"),
                source=tr("common practice, no source"), rests_on=tr("texts of sixty words and more")),
        Measure(name="characters_wrong", words=tr("characters wrong"), label=tr("characters wrong, %"), unit="%",
                better="lower",
                rule=tr("as words wrong, a letter at a time: (missing + added + replaced) over letters and figures"),
                source=tr("character error rate, after Levenshtein (1966)"),
                rests_on=tr("the recogniser hearing these voices alike; 'misheard' says how far it does")),
    ),
)  # fmt: skip
