"""What all listening tests of a project say together: candidate by candidate, where they contradict, and what to ask
next.

Two tests contradict where each tells the same two candidates apart, the one this way and the other that way. A test
that does not tell apart contradicts nobody: it may only have had too few answers. Reasons that are named are what the
two tests differ in, not findings.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.listening import ListeningTest
from zestpanel.core.errors import ZestError
from zestpanel.core.listening.kind import Bar, Pair
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.listening.registry import kinds
from zestpanel.core.listening.results import OfLanguage, Result, result_of
from zestpanel.core.listening.scales import asked_by
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.apart import Apart
from zestpanel.core.texts import some_of, tr, trn
from zestpanel.core.waiting import give_way

MOST_SAID: Final = 6  # sentences of one sort
OPEN_AT_MOST: Final = 3  # candidates behind the best that a next question is about
_LITTLE: Final = 0.5  # of the smaller of two sets, below which they are other ones
WHY_APART: Final[Mapping[Apart, str]] = {
    "removed": tr("removed"),
    "covered": tr("covered until all planned listeners have answered"),
    "by choice": tr("by itself: so chosen"),
    "over a bed": tr("by itself: heard over music or a room"),
    "between neighbours": tr("by itself: heard between neighbours"),
    "older version": tr("replaced by a newer version"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Said:
    """What a test says of a candidate: value, interval, letters and from whom it is told apart, '' where nothing."""

    value: str = ""
    between: str = ""
    note: str = ""
    told_from: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """A test. apart: why it has no say in the choice, '' where it has. says: its result in a sentence; about: what is
    to be known of it; remarks: (candidate, what a listener wrote)."""

    test_id: int
    name: str
    kind: str
    opened: str
    listeners: int
    apart: str
    says: str = ""
    about: tuple[str, ...] = ()
    remarks: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Together:
    """Of a language. rows: (candidate id, name, a cell for each column), the most heard first. contradicts: a sentence
    each; both_true: what looks like one and is none; next: what to ask now."""

    language: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[int, str, tuple[Said, ...]], ...]
    contradicts: tuple[str, ...]
    both_true: tuple[str, ...]
    next: tuple[str, ...]


def called(test: ListeningTest, asks: str) -> str:
    """What a test is called: by the lead, else by where its ratings came from, else by its question."""
    origin = test.settings.get("origin")
    came = tr("Ratings from tables") if origin == "file" else tr("A simulated panel") if origin else asks
    return test.conduct.name or came


@dataclass(frozen=True, slots=True)
class Listed:
    """A test in a list. apart: why it has no say in the choice, '' where it has."""

    name: str
    apart: str


def listed(project: AnswerParts) -> list[tuple[ListeningTest, Listed]]:
    """All tests but those that were removed."""
    apart, out = project.panel.apart(), []
    for test in project.panel.tests():
        kind = kinds().get(test.kind)
        asks = asked_by(kind, TestSettings.from_document(test.settings)) if kind is not None else test.kind
        why = apart.get(test.id)
        if why != "removed":
            out.append((test, Listed(called(test, asks), WHY_APART[why] if why else "")))
    return out


def taken_together(project: AnswerParts) -> list[Together]:
    """A view a language, of all tests but those that were removed; covered ones have their column and say nothing."""
    apart, results = project.panel.apart(), []
    for test in project.panel.tests():
        give_way()
        if apart.get(test.id) == "removed":
            continue
        try:
            results.append(result_of(project, test))
        except ZestError:  # of a kind that this version does not know: the list of tests says so
            continue
    candidates = project.shortlist.candidates()
    names = short_names(candidates, project.shortlist.engines())
    languages = dict.fromkeys([part.language for result in results for part in result.parts])
    spoken = {c.id: primary(c.language) for c in candidates}
    out = []
    for language in languages:
        of = [(result, part) for result in results for part in result.parts if part.language == language]
        here = {c: name for c, name in names.items() if spoken[c] == language or _heard_in(c, of)}
        out.append(_of_language(language, of, here, apart))
    return out


def _heard_in(candidate: int, of: Sequence[tuple[Result, OfLanguage]]) -> bool:
    return any(candidate in bar.candidate_ids for _, part in of if part.found for bar in part.found.bars)


def _of_language(
    language: str, of: Sequence[tuple[Result, OfLanguage]], names: Mapping[int, str], apart: Mapping[int, Apart]
) -> Together:
    seen = [(result, part) for result, part in of if not result.covered]
    cells = {c: tuple(_said(c, result, part, names) for result, part in of) for c in names}
    order = sorted(names, key=lambda c: -sum(bool(one.value or one.told_from) for one in cells[c]))
    contradicts, both = _contradictions(seen, names), _both_true(seen, names)
    return Together(
        language=language,
        columns=tuple(
            Column(test_id=r.test.id, name=called(r.test, r.asks), kind=r.kind.title, opened=r.test.created[:10],
                   listeners=part.listeners, apart=WHY_APART[why] if (why := apart.get(r.test.id)) else "",
                   says="" if r.covered else part.found.says if part.found is not None else part.why, about=r.about,
                   remarks=() if r.covered else tuple((names.get(c, "?"), note) for c, note in part.remarks))
            for r, part in of
        ),
        rows=tuple((c, names[c], cells[c]) for c in order if any(one != Said() for one in cells[c])),
        contradicts=tuple(contradicts[:MOST_SAID]), both_true=tuple(both[:MOST_SAID]),
        next=tuple(_next(of, seen, names, bool(contradicts))),
    )  # fmt: skip


def _said(candidate: int, result: Result, part: OfLanguage, names: Mapping[int, str]) -> Said:
    if result.covered or part.found is None:
        return Said()
    bar = next((one for one in part.found.bars if one.candidate_ids == (candidate,)), None)
    others = [names.get(pair.first + pair.second - candidate, "") for pair in part.found.pairs
              if pair.apart and candidate in (pair.first, pair.second)]  # fmt: skip
    told = some_of([name for name in others if name], MOST_SAID)
    return Said(told_from=told) if bar is None else Said(told_from=told, note=bar.note, **_figures(bar))


def _figures(bar: Bar) -> dict[str, str]:
    decimals = 2 if abs(bar.value) < 10 else 0  # of categories; of per cent and places on a line none
    value = f"{bar.value:.{decimals}f}"
    if bar.low is None or bar.high is None:
        return {"value": value}
    return {"value": value, "between": tr("{low} to {high}", low=f"{bar.low:.{decimals}f}",
                                          high=f"{bar.high:.{decimals}f}")}  # fmt: skip


# -- what does not go together


def _pairs(part: OfLanguage) -> dict[frozenset[int], Pair]:
    return {frozenset((p.first, p.second)): p for p in part.found.pairs} if part.found is not None else {}


def _contradictions(seen: Sequence[tuple[Result, OfLanguage]], names: Mapping[int, str]) -> list[str]:
    out = []
    for (one, part), (other, of_other) in combinations(seen, 2):
        theirs = _pairs(of_other)
        against = [
            (mine.better, again.better) for key, mine in _pairs(part).items()
            if (again := theirs.get(key)) is not None and mine.apart and again.apart
            and 0 not in (mine.better, again.better) and mine.better != again.better
            and {mine.better, again.better} <= set(names)
        ]  # fmt: skip
        if not against:
            continue
        first, second = against[0]
        more = trn(", and {n} more pair likewise", ", and {n} more pairs likewise", len(against) - 1,
                   n=len(against) - 1) if len(against) > 1 else ""  # fmt: skip
        out.append(
            tr(
                "Test {id} puts {a} before {b}, test {id2} puts {b} before {a}{more}. They differ in {why}.",
                id=one.test.id, id2=other.test.id, a=names[first], b=names[second], more=more,
                why=_why(one, other),
            )
        )  # fmt: skip
    return out


def _why(one: Result, other: Result) -> str:
    """What two tests differ in, the likeliest reason first (common practice, no source)."""
    a, b = one.settings, other.settings
    reasons = [
        (bool(a.bed) != bool(b.bed) or a.bed != b.bed, tr("what lay under the clips")),
        (a.context != b.context, tr("what was heard around the clips")),
        (_apart(a.passage_ids, b.passage_ids), tr("passages")),
        (_apart(one.heard_by, other.heard_by), tr("listeners")),
        ((one.test.kind, a.scale, a.question) != (other.test.kind, b.scale, b.question), tr("what was asked")),
        (a.take_rule != b.take_rule, tr("which takes were heard")),
        (bool(a.stated_id) != bool(b.stated_id), tr("the comparisons that were planned")),
        (bool(one.test.conduct.looks) != bool(other.test.conduct.looks), tr("a result that was opened early")),
    ]
    found = [words for differs, words in reasons if differs]
    return ", ".join(found) if found else tr("nothing that is kept of them: chance, or the day")


def _apart(some: Sequence[int] | frozenset[int], others: Sequence[int] | frozenset[int]) -> bool:
    fewer = min(len(set(some)), len(set(others)))
    return fewer > 0 and len(set(some) & set(others)) < _LITTLE * fewer


def _both_true(seen: Sequence[tuple[Result, OfLanguage]], names: Mapping[int, str]) -> list[str]:
    """A difference that is heard, and a choice that is too close to call, and the other way round."""
    hearing = [(r, _pairs(part)) for r, part in seen if r.kind.planned_by == "right answers"]
    judging = [(r, _pairs(part)) for r, part in seen if r.kind.planned_by != "right answers"]
    out = []
    for heard, pairs in hearing:
        for key, pair in pairs.items():
            if not key <= set(names):
                continue
            a, b = (names[one] for one in (pair.first, pair.second))
            told = [(r, of[key]) for r, of in judging if key in of]
            open_in = [str(r.test.id) for r, of in told if not of.apart]
            apart_in = [str(r.test.id) for r, of in told if of.apart]
            if pair.apart and open_in and not apart_in:
                out.append(
                    tr(
                        "{a} and {b} sound different (test {id}), and which is better is too close to call (test "
                        "{open_in}): both can be true.",
                        a=a,
                        b=b,
                        id=heard.test.id,
                        open_in=", ".join(open_in),
                    )
                )
            elif not pair.apart and apart_in:
                out.append(tr("It is not shown that {a} and {b} can be told by ear (test {id}), yet one is rated above "
                              "the other (test {apart_in}): too few trials in the first, or more than sound was rated.",
                              a=a, b=b, id=heard.test.id, apart_in=", ".join(apart_in)))  # fmt: skip
    return out


# -- what to ask next


def _next(
    of: Sequence[tuple[Result, OfLanguage]], seen: Sequence[tuple[Result, OfLanguage]], names: Mapping[int, str],
    contradict: bool,
) -> list[str]:  # fmt: skip
    out = []
    for result, _ in of:
        missing = result.test.planned - result.progress.finished
        if not result.test.closed and missing > 0:
            out.append(trn("Test {id}: {n} more listener.", "Test {id}: {n} more listeners.", missing, n=missing,
                           id=result.test.id))  # fmt: skip
    if contradict:
        out.append(tr("Where tests contradict: the same listeners, the same passages, one question."))
    heard = {c for _, part in of if part.found for bar in part.found.bars for c in bar.candidate_ids}
    if nobody := [name for c, name in names.items() if c not in heard]:
        out.append(tr("Nobody has heard: {names}.", names=some_of(nobody, MOST_SAID)))
    rated = [(r, part) for r, part in seen if part.found is not None and r.kind.planned_by == "differences"
             and any(len(bar.candidate_ids) == 1 for bar in part.found.bars)]  # fmt: skip
    if rated:
        out += _of_the_first(rated[-1][1], seen, names)
    return out


def _of_the_first(last: OfLanguage, seen: Sequence[tuple[Result, OfLanguage]], names: Mapping[int, str]) -> list[str]:
    """The best of the last rating and those behind it that are not told apart from it: compared directly, or heard as
    different at all, unless that was asked."""
    assert last.found is not None
    bars = [bar for bar in last.found.bars if len(bar.candidate_ids) == 1 and bar.candidate_ids[0] in names]
    if not bars:
        return []
    best = max(bars, key=lambda bar: bar.value).candidate_ids[0]
    pairs = _pairs(last)
    behind = [bar.candidate_ids[0] for bar in sorted(bars, key=lambda bar: -bar.value)]
    open_ones = [c for c in behind if (pair := pairs.get(frozenset((best, c)))) is not None and not pair.apart]
    asked = {key for r, part in seen if r.kind.planned_by in ("preferences", "right answers") for key in _pairs(part)}
    left = [c for c in open_ones if frozenset((best, c)) not in asked][:OPEN_AT_MOST]
    if not left:
        return []
    others = some_of([names[c] for c in left], MOST_SAID)
    return [
        tr(
            "{best} is not told apart from {others}: ask which of the two one would publish, or whether the "
            "difference is heard at all.",
            best=names[best],
            others=others,
        )
    ]
