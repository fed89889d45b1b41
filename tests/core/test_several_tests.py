"""Several listening tests of one project: covered until they are through, apart where they asked otherwise, together
where the lead says so."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.stats import permutation_test

from tests.core.test_laboratory import answered, heard, opened
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.errors import InputError
from zestpanel.core.listening import feeding, groups
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
    rows = evaluate(heard).rows.values()
    assert all(row.score is None for row in rows)
    assert {row.how_sure for row in rows} == {"a test is under way"}, "nowhere that nobody has heard it"
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


def answers_of(rng: np.random.Generator, *, apart: float, listeners: int = 16) -> list[tuple[int, str, int, float]]:
    """Five candidates on four texts; one group likes the first candidate more by so much."""
    out = []
    for unit in range(listeners):
        group, mood, taste = "ab"[unit % 2], rng.normal(0, 0.5), rng.normal(0, 0.3, 5)
        for candidate in range(5):
            for _ in range(4):
                more = apart if group == "a" and candidate == 0 else 0.0
                out.append((unit, group, candidate, 3 + mood + taste[candidate] + more + rng.normal(0, 0.7)))
    return out


def test_dealing_out_groups_anew_agrees_with_a_general_package() -> None:
    """scipy.stats.permutation_test, the same statistic, labels exchanged between two samples of listeners."""
    rng = np.random.default_rng(5)
    for apart in (0.0, 0.5):
        dealt = answers_of(rng, apart=apart, listeners=12)
        table = np.zeros((12, 5))
        for unit, _, candidate, number in dealt:
            table[unit, candidate] += number / 4
        table = table - table.mean(axis=0)
        table = table - table.mean(axis=1, keepdims=True)

        def between(first: np.ndarray, second: np.ndarray, axis: int = 0, table: np.ndarray = table) -> float:
            of = [table[x.astype(int)] for x in (first, second)]
            return float(sum(np.sum(x.sum(axis=axis) ** 2) / len(x) for x in of))

        units = [np.arange(0.0, 12, 2), np.arange(1.0, 12, 2)]
        outside = permutation_test(units, between, vectorized=False, n_resamples=np.inf, alternative="greater").pvalue
        assert groups.differ_p(dealt) == pytest.approx(outside, abs=0.03)


def test_every_kind_is_split_by_groups(heard: Project) -> None:
    kinds_of = {"ACR": {"score": 4}, "preference": {"choice": "first"}, "yes or no": {"says": "yes"},
                "CCR": {"score": 2}}  # fmt: skip
    for kind, given in kinds_of.items():
        test = opened(heard, kind, question="Did it laugh?")
        answered(heard, test, lambda s, k, given=given: given, listeners=6)
        split = groups.split_scores(heard, "first language", "en", test_id=test)
        assert split.groups == ("English",)
        assert len(split.candidate_ids) == 3
        total = sum(n for _, _, n in split.cells.values())
        assert total == len(heard.answers.of_test(test)) * (2 if kind in ("preference", "CCR") else 1)
    assert split.says == "Too few in each group to tell whether they differ."
    covered = opened(heard, "ACR", listeners=9)
    answered(heard, covered, lambda s, _: {"score": 4}, listeners=2)
    assert groups.split_scores(heard, "first language", "en", test_id=covered).cells == {}, "covered here, too"


def test_letters_and_spaces_make_no_other_person_and_two_can_be_one(heard: Project) -> None:
    ann = heard.panel.add_listener("Ann  Lee", languages=["en"])
    assert heard.panel.add_listener(" ann lee ").id == ann.id
    assert ann.alias == "Ann Lee"
    other = heard.panel.add_listener("Annie", languages=["en"])
    first, second = opened(heard, "ACR"), opened(heard, "ACR")
    session_of(heard, first, ann)
    session_of(heard, second, other)
    moved = heard.panel.sessions_to_merge(other.id, ann.id)
    heard.panel.give_sessions(moved, ann.id)
    assert [s.listener_id for test in (first, second) for s in heard.panel.sessions(test)] == [ann.id, ann.id]
    heard.panel.give_sessions(moved, other.id)
    session_of(heard, first, other)
    with pytest.raises(InputError, match=f"Both have answered test {first}"):
        heard.panel.sessions_to_merge(other.id, ann.id)
