"""Several listening tests of one project: covered until they are through, apart where they asked otherwise, together
where the lead says so."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from tests.core.test_laboratory import answered, heard, opened
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.errors import InputError
from zestpanel.core.listening import feeding
from zestpanel.core.listening.results import open_early, result_of
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.listening.session import session_of
from zestpanel.core.store.project import Project

__all__ = ["heard"]


def means(project: Project) -> set[float]:
    return {round(one.mean, 2) for one in panel_scores(project).by_candidate.values()}


def test_a_result_is_covered_everywhere_until_all_planned_listeners_have_finished(heard: Project) -> None:
    test = opened(heard, "ACR", listeners=6)
    line = opened(heard, "yes or no", listeners=4, question="Did it laugh?")
    answered(heard, test, lambda s, _: {"score": 4}, listeners=2)
    answered(heard, line, lambda s, _: {"says": "yes"}, listeners=2)
    assert result_of(heard, heard.panel.test(test)).covered
    assert heard.panel.apart() == {test: "covered", line: "covered"}
    assert heard.answers.ratings() == []
    assert all(row.score is None for row in evaluate(heard).rows.values())
    assert feeding.tests_by_candidate(heard) == {}
    assert "18 of tests under way, covered" in panel_scores(heard).why_kept_apart()
    open_early(heard.panel, test)
    open_early(heard.panel, test)
    result = result_of(heard, heard.panel.test(test))
    assert not result.covered
    assert [n for _, n in result.test.conduct.looks] == [2], "one look, kept with its date"
    about = " ".join(result.about)
    assert "2 of 6 planned listeners have answered." in about
    assert "opened before all planned listeners" in about
    assert means(heard) == {4.0}
    session = session_of(heard, test, heard.panel.add_listener("L2", languages=["en"]))
    session.played(0, 1.0)
    session.answer({"score": 1})
    assert heard.panel.apart()[test] == "covered", "once more have answered, it is covered again"
    answered(heard, test, lambda s, _: {"score": 4}, listeners=6)
    assert test not in heard.panel.apart()
    assert len(heard.panel.test(test).conduct.looks) == 1, "all have answered: no look"


def test_a_test_that_is_closed_early_shows_its_result_and_that_is_a_look(heard: Project) -> None:
    test = opened(heard, "ACR", listeners=6)
    answered(heard, test, lambda s, _: {"score": 3}, listeners=2)
    heard.panel.close_test(test)
    assert heard.panel.apart() == {}
    assert [n for _, n in heard.panel.test(test).conduct.looks] == [2]
    with pytest.raises(InputError, match="closed"):
        session_of(heard, test, heard.panel.add_listener("L3", languages=["en"]))
    heard.panel.close_test(test, closed=False)
    answered(heard, test, lambda s, _: {"score": 3}, listeners=3)
    assert heard.panel.apart() == {test: "covered"}


def test_what_was_asked_otherwise_stands_by_itself_until_a_person_says_that_it_is_one(heard: Project) -> None:
    # a dry 4.0 and one over music of 1.0 are no 2.5
    dry = opened(heard, "ACR")
    answered(heard, dry, lambda s, _: {"score": 4}, listeners=3)
    music = opened(heard, "ACR", bed_name="rain.wav")
    heard.panel.put_conduct(music, heard.panel.test(music).conduct)
    answered(heard, music, lambda s, _: {"score": 1}, listeners=3)
    assert means(heard) == {2.5}, "named, but nothing lay under it"
    between = opened(heard, "ACR", context="neighbours")
    answered(heard, between, lambda s, _: {"score": 1}, listeners=3)
    assert heard.panel.apart() == {between: "between neighbours"}
    heard.panel.put_conduct(music, replace(heard.panel.test(music).conduct, mixed=False))
    assert means(heard) == {4.0}
    assert "54 of tests that stand by themselves" in panel_scores(heard).why_kept_apart()
    heard.panel.put_conduct(between, replace(heard.panel.test(between).conduct, mixed=True))
    assert means(heard) == {2.5}


def test_a_newer_version_replaces_the_older_once_it_has_answers(heard: Project) -> None:
    old = opened(heard, "ACR")
    answered(heard, old, lambda s, _: {"score": 2}, listeners=3)
    new = opened(heard, "ACR", version_of=old, listeners=3)
    other = opened(heard, "ACR", version_of=old, scale="naturalness")
    answered(heard, other, lambda s, _: {"score": 5}, listeners=3)
    answered(heard, new, lambda s, _: {"score": 4}, listeners=2)
    assert means(heard) == {2.0}, "another scale is no newer version, and the one under way is covered"
    answered(heard, new, lambda s, _: {"score": 4}, listeners=3)
    assert (means(heard), heard.panel.apart()) == ({4.0}, {old: "older version"})
    heard.panel.put_conduct(old, replace(heard.panel.test(old).conduct, mixed=True))
    assert means(heard) == {3.0}
    heard.panel.put_conduct(new, replace(heard.panel.test(new).conduct, removed="2026-12-01"))
    assert means(heard) == {2.0}


def test_nobody_rates_words_in_vain(heard: Project) -> None:
    test = opened(heard, "ACR")
    answered(heard, test, lambda s, _: {"score": 4}, listeners=3)
    first, gone = heard.texts.all()[0], heard.shortlist.candidates()[0]
    heard.texts.edit(first.id, "One other line here.")
    heard.shortlist.set_removed([gone.id], True)
    changed = result_of(heard, heard.panel.test(test)).changed
    assert changed.passages == (first.title,)
    assert changed.answers == 9
    assert len(changed.taken_off) == 1
    before = {one.ratings for one in panel_scores(heard).by_candidate.values()}
    with pytest.raises(InputError, match=r"Words of this test were changed .* old words or begin a new version"):
        session_of(heard, test, heard.panel.add_listener("L9", languages=["en"]))
    heard.panel.put_conduct(test, replace(heard.panel.test(test).conduct, old_texts=True))
    answered(heard, test, lambda s, _: {"score": 4}, listeners=4)
    (part,) = result_of(heard, heard.panel.test(test)).parts
    assert part.answers == 4 * 9
    after = {one.ratings for one in panel_scores(heard).by_candidate.values()}
    assert (before, after) == ({6}, {12}), "each candidate, on three texts by four, on two by three"


def test_who_is_left_out_has_the_leads_reason(heard: Project) -> None:
    test = opened(heard, "ACR")
    answered(heard, test, lambda s, k: {"score": 1 if k == 0 else 4}, listeners=3)
    person = heard.panel.listeners()[0].id
    conduct: Any = replace(heard.panel.test(test).conduct, left_out=frozenset({person}), reasons={person: "had a cold"})
    heard.panel.put_conduct(test, conduct)
    assert heard.panel.test(test).conduct == conduct
    assert means(heard) == {4.0}
