"""Who takes part in a test, how it is known that they listen, and what is taken in; what questions of one's own and
comparisons are as figures of the choice."""

from __future__ import annotations

import itertools
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from tests.core.test_listening_kinds import asked_of, heard, opened
from zestpanel.core.choice.criteria import criteria_of, set_to
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.listening import Answer, Answered, Stimulus, Trial
from zestpanel.core.evidence.registry import figures, known_to
from zestpanel.core.listening import feeding
from zestpanel.core.listening.entry import EntryAnswer, EntryQuestion, taking_part, turned_away, wrong_with_entry
from zestpanel.core.listening.feeding import own_figures
from zestpanel.core.listening.groups import split_scores
from zestpanel.core.listening.kind import Around
from zestpanel.core.listening.kinds.comparison import scale_values
from zestpanel.core.listening.planned import asked_of_a_listener, material_of
from zestpanel.core.listening.results import result_of
from zestpanel.core.listening.session import ListeningSession, session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.report.answers import answers, as_rows
from zestpanel.core.store.project import Project

__all__ = ["heard"]  # the fixture

BOOKS = EntryQuestion("How often do you hear audiobooks?", (
    EntryAnswer("every week", wanted=2), EntryAnswer("at times"), EntryAnswer("never", admits=False),
))  # fmt: skip


def sits(project: Project, test: int, alias: str) -> ListeningSession:
    return session_of(project, test, project.panel.add_listener(alias, languages=["en"]))


def answers_all(session: ListeningSession, give: Any) -> None:
    while not session.finished:
        for lane in range(len(session.shown.lanes)):
            session.played(lane, 1.0)
        session.answer(give(session))


def test_who_is_not_looked_for_or_too_many_is_turned_away_and_counts_nowhere(heard: Project) -> None:
    test = opened(heard, "ACR", entry=(BOOKS,), listeners=3)
    for alias, answer, why in (("A", 0, ""), ("B", 2, "unsuited"), ("C", 0, ""), ("D", 0, "enough"), ("E", 1, "")):
        session = sits(heard, test, alias)
        assert turned_away(BOOKS, 0, answer, session.taking_part()) == why
        session.note_checks({"entry": [answer], **({"turned_away": why} if why else {})})
        if not why:
            answers_all(session, lambda s: {"score": 4})
    progress = heard.panel.progress()[test]
    assert (progress.begun, progress.finished, progress.answered) == (3, 3, 3)
    away = heard.panel.turned_away(test)
    assert [why for _, why in away.values()] == ["unsuited", "enough"]
    asked = TestSettings.from_document(heard.panel.test(test).settings).entry
    assert taking_part(heard.panel.checks(test), asked) == Counter({(0, 0): 2, (0, 1): 1})
    split = split_scores(heard, "asked before", "en", test_id=test)
    assert set(split.groups) == {"every week", "at times"}
    session_id, (_, why) = next(iter(away.items()))
    heard.panel.put_away(session_id, None, "")
    assert list(heard.panel.turned_away(test)) != [session_id]
    assert "entry" not in next(s.checks for s in heard.panel.sessions(test) if s.id == session_id)


def test_orders_stay_balanced_where_listeners_are_turned_away(heard: Project) -> None:
    """Whoever comes next gets the order of the one who heard nothing."""
    plain, asked = opened(heard, "preference"), opened(heard, "preference", entry=(BOOKS,))

    def order(session: ListeningSession) -> list[tuple[int, ...]]:
        return [tuple(s.candidate_id for s in trial.stimuli) for trial in session.trials]

    wanted = [order(sits(heard, plain, f"L{k}")) for k in range(3)]
    found = []
    for k in range(5):
        session = sits(heard, asked, f"L{k}")
        if k in (1, 3):
            session.note_checks({"entry": [2], "turned_away": "unsuited"})
        else:
            found.append(order(session))
    assert found == wanted


def test_questions_before_a_test_can_be_answered_by_somebody() -> None:
    assert wrong_with_entry((BOOKS,)) == ""
    assert "2 to 9 different answers" in wrong_with_entry((EntryQuestion("Well?", (EntryAnswer("yes"),)),))
    nobody = EntryQuestion("Well?", (EntryAnswer("yes", admits=False), EntryAnswer("no", admits=False)))
    assert wrong_with_entry((nobody,)).startswith("Nobody would take part")


def test_clips_of_known_quality_tell_who_does_not_listen_and_enter_no_figure(heard: Project) -> None:
    """ITU-T P.808 (gold questions): rated within a step of what they are, or the listener is in doubt."""
    first, second = (c.id for c in heard.shortlist.candidates())
    test = opened(heard, "ACR", candidate_ids=(first,), gold=4, good_id=second)
    for alias, gives in (("good", 4), ("asleep", 1)):
        session = sits(heard, test, alias)
        checks = [trial for trial in session.trials if "gold" in trial.detail]
        assert len(checks) == 4
        assert {s.candidate_id for trial in checks for s in trial.stimuli} == {second}
        answers_all(session, lambda s, gives=gives: {"score": gives})
    result = result_of(heard, heard.panel.test(test))
    assert [(f.listener_id, f.out) for f in result.flags] == [(2, False)]
    assert "4 of 4 clips of known quality" in result.flags[0].why
    assert {rating.candidate_id for rating in heard.answers.ratings()} == {first}
    rows = as_rows(answers(heard))
    assert sorted({row[rows[0].index("role")] for row in rows[1:]}) == ["", "gold"]
    found = result.parts[0].found
    assert found is not None
    assert [bar.candidate_ids for bar in found.bars] == [(first,)]


def test_known_quality_needs_somebody_known_and_a_scale_with_a_best(heard: Project) -> None:
    first, second = (c.id for c in heard.shortlist.candidates())
    material, texts = material_of(heard), tuple(p.id for p in heard.texts.all())

    def why_not(**more: Any) -> str:
        given = {"candidate_ids": (first,), "passage_ids": texts, "gold": 2, "good_id": second}
        return asked_of_a_listener(material, "ACR", TestSettings(**{**given, **more})).why_not

    assert why_not() == ""
    assert "surely good" in why_not(good_id=0)
    assert "surely good" in why_not(good_id=first), "who is judged is not known"
    assert "the middle is best" in why_not(scale="speed")


def test_content_is_asked_once_of_each_text_and_guessing_is_drawn(heard: Project) -> None:
    test = opened(heard, "content", also=("effort",))
    first, second = (c.id for c in heard.shortlist.candidates())
    orders = set()
    for k in range(12):
        session = sits(heard, test, f"L{k}")
        versions = [trial.stimuli[0].passage_version_id for trial in session.trials]
        assert len(set(versions)) == len(versions) == 2, "nobody hears a text twice"
        orders |= {tuple(trial.detail["order"]) for trial in session.trials}
        assert not session.shown.shows_text
        assert session.shown.questions[0].once

        def give(session: ListeningSession) -> dict[str, Any]:
            right = session.trial.stimuli[0].candidate_id == first
            return {"content": "in spring" if right else "never", "effort": 4 if right else 2}

        answers_all(session, give)
        assert not session.correct(), "what is asked after one hearing cannot be answered after two"
    assert len(orders) > 3
    part = result_of(heard, heard.panel.test(test)).parts[0]
    assert part.found is not None
    assert part.found.axis is not None
    assert part.found.axis.even == pytest.approx(100 / 3), "who guesses"
    assert [(bar.candidate_ids, bar.value) for bar in part.found.bars] == [((first,), 100.0), ((second,), 0.0)]
    assert "more than the next" in part.found.says
    fed = feeding.tests_by_candidate(heard)
    assert fed[first]["en", "test content"].value == 100
    assert fed[second]["en", "test effort"].value == 2
    rows = as_rows(answers(heard))
    assert {row[rows[0].index("answer")] for row in rows[1:]} >= {"in spring", "never"}


def test_a_content_test_without_its_questions_is_not_opened(heard: Project) -> None:
    texts = heard.texts.all()
    settings = TestSettings(
        candidate_ids=tuple(c.id for c in heard.shortlist.candidates()), passage_ids=tuple(p.id for p in texts),
        content=asked_of([texts[0].version_id]),
    )  # fmt: skip
    assert "Each passage has a question" in asked_of_a_listener(material_of(heard), "content", settings).why_not


def _scores(pairs: list[tuple[int, int]], give: Any) -> list[Answered]:
    return [
        Answered(answer=Answer(given={"score": give(pair, who, text)}, origin="booth"), test_id=1, listener_id=who,
                 trial=Trial(id=1, session_id=1, place=0, stimuli=tuple(
                     Stimulus(candidate_id=c, passage_version_id=text, take_id=None) for c in pair)))
        for who in range(6) for text in range(3) for pair in pairs
    ]  # fmt: skip


def test_comparison_scores_become_values_of_single_candidates() -> None:
    """Scheffé (1952): least squares over all pairs, held against numpy's own solver where pairs are uneven, and against
    means over opponents where each is compared with each."""
    around = Around(settings=TestSettings(candidate_ids=(1, 2, 3), passage_ids=()), names={1: "A", 2: "B", 3: "C"})
    quality = {1: 0.0, 2: 1.0, 3: 3.0}
    even = _scores(list(itertools.permutations((1, 2, 3), 2)), lambda p, *_: quality[p[1]] - quality[p[0]])
    found = {bar.candidate_ids[0]: bar.value for bar in scale_values(even, around)}
    assert found == pytest.approx({1: -4 / 3, 2: -1 / 3, 3: 5 / 3}), "each against the mean of all"
    rng = np.random.default_rng(4)
    uneven = _scores([(1, 2), (1, 2), (2, 3)], lambda *_: int(rng.integers(-3, 4)))
    values = {bar.candidate_ids[0]: bar for bar in scale_values(uneven, around)}
    rows = [[{p[0]: -1, p[1]: 1}.get(c, 0) for c in (1, 2, 3)] for one in uneven
            for p in [[s.candidate_id for s in one.trial.stimuli]]]  # fmt: skip
    y = [one.answer.given["score"] for one in uneven]
    wanted = np.linalg.lstsq(np.vstack([rows, [1, 1, 1]]), np.array([*y, 0]), rcond=None)[0]
    assert [values[c].value for c in (1, 2, 3)] == pytest.approx(list(wanted))
    assert all(bar.low is not None and bar.low < bar.value < (bar.high or 0) for bar in values.values())
    assert scale_values(_scores([(1, 2), (3, 4)], lambda *_: 1), around) == (), "never compared, not even over others"


def test_intervals_of_comparison_values_hold_for_other_listeners_and_texts() -> None:
    rng, hit, of = np.random.default_rng(5), 0, 0
    around = Around(settings=TestSettings(candidate_ids=(1, 2, 3), passage_ids=()), names={1: "A", 2: "B", 3: "C"})
    for _ in range(150):
        by_person = rng.normal(0, 0.4, (6, 3))
        by_text = rng.normal(0, 0.4, (3, 3))

        def give(pair: tuple[int, int], who: int, text: int, people: Any = by_person, texts: Any = by_text) -> int:
            a, b = (people[who, c - 1] + texts[text, c - 1] for c in pair)
            return int(np.clip(round(b - a + rng.normal(0, 0.9)), -3, 3))

        for bar in scale_values(_scores([(1, 2), (3, 2), (1, 3)], give), around):
            assert bar.low is not None
            assert bar.high is not None
            hit, of = hit + (bar.low <= 0 <= bar.high), of + 1
    assert hit / of >= 0.93


def test_each_question_of_ones_own_is_a_figure_of_its_own(heard: Project) -> None:
    first = heard.shortlist.candidates()[0].id
    laugh, dark = opened(heard, "yes or no", question="Did it laugh?"), opened(
        heard, "ACR", scale="own", question="How dark?", steps=("dark", "between", "bright"))  # fmt: skip
    for k in range(4):
        answers_all(sits(heard, laugh, f"L{k}"), lambda s: {"says": "yes" if s.trial.stimuli[0].candidate_id == first
                                                            else "no"})  # fmt: skip
        answers_all(sits(heard, dark, f"L{k}"), lambda s: {"score": 2})
    names = own_figures(heard.panel)
    assert names == ["test yes or no Did it laugh?", "test own How dark?"]
    fed = feeding.tests_by_candidate(heard)[first]
    assert fed["en", names[0]].value == 100
    assert fed["en", names[1]].value == 50, "the middle of three steps"
    figure = figures()[names[1]]
    assert figure.words == "How dark?"
    assert names[1] in figures()
    assert "test own " not in figures()
    assert "test else x" not in figures()
    assert [one.name for one in known_to([*names, "quality"])][-2:] == names
    stored = {names[0]: set_to(figures()[names[0]], {"weight": "20"}, Brief())}
    from zestpanel.core.choice.criteria import CRITERIA

    heard.edit_document(CRITERIA, stored, label="weights")
    weighed = {one.name: (one.weight, one.worst, one.best) for one in criteria_of(heard.documents, heard.brief)}
    assert weighed[names[0]] == (20, 50, 100)


def test_what_a_test_cannot_tell_is_said_beside_it(heard: Project) -> None:
    test = opened(heard, "ACR", take_rule="drawn")
    answers_all(sits(heard, test, "only me"), lambda s: {"score": 4})
    about = " ".join(result_of(heard, heard.panel.test(test)).about)
    assert "One person has answered" in about
    assert "There was one take of each cell" in about
    settings = TestSettings.from_document(heard.panel.test(test).settings)
    material = material_of(heard)
    assert "kHz" not in asked_of_a_listener(material, "ACR", settings).says()
    first = next(iter(material.rates))
    uneven = replace(material, rates={**material.rates, first: 8_000})
    assert "Clips are of 8, " in asked_of_a_listener(uneven, "ACR", settings).says()
