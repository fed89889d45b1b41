"""Words that were not heard as they are written, as stretches of the clip: what is missing, added, said twice, or heard
otherwise, figures that were, and signs and tags that are read aloud."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from difflib import SequenceMatcher
from typing import Final

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.readings.sign_names import are_signs
from zestpanel.core.measures.readings.text import Place, places
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.measures.word_errors import Pair
from zestpanel.core.texts import tr

MISSING, ADDED, TWICE, OTHERWISE, FIGURE, SIGN = (
    "word missing", "word added", "words repeated", "word otherwise", "figure otherwise", "sign read aloud",
)  # fmt: skip
_PART: Final = "\t"  # between what is written and what was heard
WordTimes = Sequence[tuple[str, float, float, bool]]


def _written(one: Segment) -> str:
    return one.about.partition(_PART)[0]


def _heard(one: Segment) -> str:
    return one.about.partition(_PART)[2]


KINDS: Final = (
    Kind(MISSING, tr("word missing"), lambda one: tr("'{written}' is not heard", written=_written(one))),
    Kind(ADDED, tr("word added"), lambda one: tr("'{heard}' is heard beside the text", heard=_heard(one))),
    Kind(TWICE, tr("said twice"), lambda one: tr("'{heard}' is heard twice", heard=_heard(one))),
    Kind(OTHERWISE, tr("word heard otherwise"),
         lambda one: tr("'{written}' is heard as '{heard}'", written=_written(one), heard=_heard(one))),
    Kind(FIGURE, tr("figure or sign heard otherwise"),
         lambda one: tr("'{written}' is heard as '{heard}'", written=_written(one), heard=_heard(one))),
    Kind(SIGN, tr("sign or tag read aloud"), lambda one: tr("'{heard}' is read aloud", heard=_heard(one))),
)  # fmt: skip


def words_told(
    pairs: Sequence[Pair], text: str, language: str, times: WordTimes, duration_s: float
) -> tuple[Segment, ...]:
    """By the places of the text; size of each is the index of its place."""
    script = places(text, language)
    if len(pairs) != len(script):
        return ()
    when = _when(script, text, times, duration_s)
    out = []
    heard_before: list[str] = []
    for k, pair in enumerate(pairs):
        rest = [word for later in pairs[k + 1 : k + 4] for word in later.heard]
        for kind, said, heard in _told(script[k], pair, heard_before, rest):
            kind = SIGN if kind == ADDED and are_signs(heard.split(), text, language) else kind
            start, end = when[k]
            out.append(Segment(kind, start, end, float(k), f"{said}{_PART}{heard}"))
        heard_before += pair.heard
    return tuple(out)


def _told(place: Place, pair: Pair, before: Sequence[str], after: Sequence[str]) -> Iterator[tuple[str, str, str]]:
    """(kind, what is written, what was heard) of one place."""
    said, heard = list(pair.said), list(pair.heard)
    if said == heard:
        return
    figure = not place.written.replace("'", "").replace("’", "").replace("-", "").isalpha()
    steps = SequenceMatcher(a=said, b=heard, autojunk=False).get_opcodes()
    if not any(step == "equal" for step, *_ in steps) and said and heard and len(heard) <= len(said) + 1:
        yield FIGURE if figure else OTHERWISE, place.written, " ".join(heard)
        return
    for step, a, b, c, d in steps:
        if step == "replace" or (step == "delete" and figure and heard):
            yield FIGURE if figure else OTHERWISE, place.written, " ".join(heard)
            return
        if step == "delete":
            yield MISSING, place.written if len(said) == b - a else " ".join(said[a:b]), ""
        elif step == "insert":
            run = heard[c:d]
            earlier, later = [*before, *heard[:c]], [*heard[d:], *after]
            again = _again(run, earlier, later)
            yield (TWICE, place.written, " ".join(again)) if again else (ADDED, place.written, " ".join(run))


def _again(run: Sequence[str], earlier: Sequence[str], later: Sequence[str]) -> list[str]:
    """What of the words that were added is said just before or behind them, too: all of them, or most where they are
    several, since a recogniser often mishears where a repetition begins."""
    for n in range(len(run), max(1, len(run) // 2), -1):
        if list(earlier[-n:]) == list(run[-n:]):
            return list(run[-n:])
        if list(later[:n]) == list(run[:n]):
            return list(run[:n])
    return list(run) if len(run) == 1 and (earlier[-1:] == list(run) or later[:1] == list(run)) else []


def _when(script: Sequence[Place], text: str, times: WordTimes, duration_s: float) -> list[tuple[float, float]]:
    """Start and end of each place: of its words, where their times are known; else by its share of the text."""
    words, at, out = words_with_places(text), 0, []
    known = len(words) == len(times)
    for place in script:
        found = text.find(place.written, at)
        start = found if found >= 0 else at
        at = start + (len(place.written) if found >= 0 else 0)
        inside = [k for k, (_, begin, end) in enumerate(words) if begin < max(at, start + 1) and end > start]
        if known and inside:
            out.append((times[inside[0]][1], max(times[inside[-1]][2], times[inside[0]][1])))
        else:
            size = max(1, len(text))
            out.append((duration_s * start / size, duration_s * min(size, at + 1) / size))
    return out
