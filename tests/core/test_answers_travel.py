"""Answers leave a project and come back whole: tests, orders, times, corrections, figures; and nothing twice."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.core.domain.listening import Sitting
from zestpanel.core.errors import TableError, ZestError
from zestpanel.core.listening.answer_file import lines_of
from zestpanel.core.listening.answers_in import is_answer_file, take_in
from zestpanel.core.listening.content import ContentQuestion
from zestpanel.core.listening.entry import EntryAnswer, EntryQuestion
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.results import result_of
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.listening.session import ListeningSession, session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.report.answers import answers, as_rows
from zestpanel.core.store.database import FILE
from zestpanel.core.store.project import Project

LINES = ["One line here.", "Two lines there.", "Three lines at last.", "Four of them."]


def bench(project: Project) -> Project:
    """Four candidates on four lines; the last stands for a person's own recordings."""
    for engine, voice in (
        ("tangor", "ilseth"),
        ("citrange", "linnoway"),
        ("tangor", "corwick"),
        ("citrange", "brindal"),
    ):
        add_demo_engine(project, engine)
        project.shortlist.add(project.shortlist.engines()[engine.title()], voice=voice)
    for passage in project.texts.add(LINES, language="en-GB", titles=["One", "Two", "Three", "Four"]):
        for candidate in project.shortlist.candidates():
            pretend_take(project, candidate.id, passage.version_id, hz=200 + 50 * candidate.id)
    return project


@pytest.fixture
def here(tmp_path: Path) -> Project:
    return bench(Project.create(tmp_path / "Here.zest"))


@pytest.fixture
def there(tmp_path: Path) -> Project:
    return bench(Project.create(tmp_path / "There.zest"))


def whole(project: Project) -> str:
    return "".join(f"{line}\n" for line in lines_of(project))


def opened(project: Project, kind: str, **more: Any) -> int:
    *judged, person = (c.id for c in project.shortlist.candidates())
    uses = kind_of(kind).uses
    beside = {"reference_id": person} if "reference" in uses else {}
    gold = {"gold": 2, "good_id": person} if "gold" in uses else {}
    content = tuple(ContentQuestion(p.version_id, "When?", "then", ("now", "never"))
                    for p in project.texts.all()) if "content" in uses else ()  # fmt: skip
    given = TestSettings(
        candidate_ids=tuple(judged), passage_ids=tuple(p.id for p in project.texts.all()), training=1,
        question="Did it laugh?", anchors=bool(beside), listeners=3, content=content, **beside, **gold, **more,
    )  # fmt: skip
    return project.panel.add_test(kind, given.as_document())


def go_through(session: ListeningSession, answer: Callable[[ListeningSession], dict[str, Any]], most: int = 99) -> None:
    session.sit_down(Sitting(kit="speakers", room="quiet room", device="a sink"))
    for _ in range(most):
        if session.finished:
            break
        for lane in range(len(session.shown.lanes)):
            session.note_play(lane)
            session.played(lane, 0.9)
        session.answer(answer(session), note="warm, „dry“")
    session.get_up()


ASKED = (EntryQuestion("Books by ear?", (EntryAnswer("often", wanted=6), EntryAnswer("never"))),)


def any_answer(session: ListeningSession) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for k, question in enumerate(session.shown.questions):
        turn = session.index + k
        if question.places:
            out[question.name] = [(10 * turn + 17 * j) % 101 for j in range(question.places)]
        elif question.choices:
            out[question.name] = question.choices[turn % len(question.choices)].value
        else:
            out[question.name] = "one line hear"
    return out


def all_kinds(project: Project) -> None:
    for name in sorted(kinds()):
        uses = kind_of(name).uses
        test = opened(
            project, name, repeats=2 if "repeats" in uses else 0, traps=1 if "traps" in uses else 0, entry=ASKED
        )
        for alias in ("Ann", "Ben", "Cleo"):
            session = session_of(project, test, project.panel.add_listener(alias, languages=["en"]))
            session.note_checks({"entry": [len(alias) % 2]})
            go_through(session, any_answer, most=4 if alias == "Cleo" else 99)
            if alias == "Ben":
                assert session.correct() == (name != "content"), "what was asked after one hearing stays"
                if not session.finished:
                    session.answer(any_answer(session))
    conduct = project.panel.test(1).conduct
    project.panel.put_conduct(1, replace(conduct, name="First", left_out=frozenset({2}), reasons={2: "had a cold"}))
    version = project.texts.all()[0].version_id
    project.answers.add_ratings([{"listener_id": 1, "candidate_id": 1, "passage_version_id": version, "score": 4.0,
                                  "origin": "file"}])  # fmt: skip


def figures(project: Project) -> list[object]:
    results = [result_of(project, test) for test in project.panel.tests()]
    return [[(r.test.kind, r.settings, r.out, r.flags, r.about, r.parts) for r in results],
            panel_scores(project).by_candidate]  # fmt: skip


def test_out_and_in_again_is_the_same_for_every_kind(here: Project, there: Project) -> None:
    all_kinds(here)
    before = whole(here)
    taken = take_in(there, before, "answers.jsonl")
    assert (taken.tests, taken.listeners, taken.sessions) == (len(kinds()) + 1, 3, 3 * len(kinds()) + 1)
    assert taken.known == taken.older == taken.without_sound == 0
    assert whole(there) == before
    assert figures(there) == figures(here), "to the last digit"
    session = there.panel.sessions(1)[1]
    assert [(s.kit, s.room, s.device) for s in session.sittings] == [("speakers", "quiet room", "a sink")]
    assert session.sittings[0].begun <= session.sittings[0].ended
    (*_, corrected) = there.answers.of_test(1)[:1]
    assert corrected.answer.heard[0] == (0.9, 1), "of each clip how much was heard, and how often"
    for project in (here, there):
        again = take_in(project, before, "answers.jsonl")
        assert (again.tests, again.sessions, again.answers) == (0, 0, 0)
        assert again.known == taken.answers
        assert whole(project) == before
    assert f"{taken.answers} were known already." in again.says("answers.jsonl")


def test_candidates_and_texts_that_are_stated_alike_are_not_mixed_up(here: Project, there: Project) -> None:
    for project in (here, there):
        with sqlite3.connect(project.folder / FILE) as file:  # as points of a sweep may be
            file.execute("UPDATE candidates SET voice = 'ilseth' WHERE voice = 'corwick'")
        for passage in project.texts.add([LINES[0]], language="en-GB", titles=["One again"]):
            for candidate in project.shortlist.candidates():
                pretend_take(project, candidate.id, passage.version_id, hz=90 + 10 * candidate.id)
    test = opened(here, "ACR")
    go_through(session_of(here, test, here.panel.add_listener("Ann", languages=["en"])), any_answer)
    before = whole(here)
    assert take_in(here, before, "a.jsonl").answers == 0
    take_in(there, before, "a.jsonl")
    assert whole(there) == before


def test_a_session_is_gone_on_with_on_another_machine_and_comes_home(here: Project, there: Project) -> None:
    test = opened(here, "ACR")
    ann = here.panel.add_listener("Ann", languages=["en"])
    go_through(session_of(here, test, ann), any_answer, most=4)
    take_in(there, whole(here), "a.jsonl")
    (other,) = there.panel.tests()
    away = session_of(there, other.id, there.panel.listeners()[0])
    assert away.index == 4
    go_through(away, any_answer)
    ben = session_of(there, other.id, there.panel.add_listener("Ben", languages=["en"]))
    go_through(ben, any_answer)
    home = take_in(here, whole(there), "b.jsonl")
    assert (home.tests, home.sessions, home.known) == (0, 1, 4)
    assert home.answers == len(away.trials) - 4 + len(ben.trials)
    assert whole(here) == whole(there)
    assert here.panel.progress()[test].finished == 2


def test_a_text_that_was_edited_since_comes_along_behind_the_present_one(here: Project, there: Project) -> None:
    test = opened(here, "ACR")
    go_through(session_of(here, test, here.panel.add_listener("Ann", languages=["en"])), any_answer)
    first = here.texts.all()[0]
    here.texts.edit(first.id, "Other words now.")
    there.texts.edit(there.texts.all()[0].id, "Yet others here.")
    table = as_rows(answers(here))
    assert {row[table[0].index("passage")] for row in table[1:]} == {"One", "Two", "Three", "Four"}, "no row loses its"
    rows = [json.loads(line) for line in whole(here).splitlines()]
    assert {row["title"] for row in rows if row["record"] == "text"} == {"One", "Two", "Three", "Four"}
    key = next(row["key"] for row in rows if row.get("title") == "One")
    elsewhere = changed(whole(here), "text", lambda row: row["key"] == key and row.update(text="Never heard of."))
    taken = take_in(there, elsewhere.replace(key, "0" * 16), "a.jsonl")
    assert taken.answers == len(here.answers.every_of(test))
    assert there.texts.all()[0].text == "Yet others here.", "the present words stay"
    assert "Never heard of." in {text for text, _ in there.texts.every_text().values()}


def changed(lines: str, record: str, change: Callable[[dict[str, Any]], object]) -> str:
    out = []
    for line in lines.splitlines():
        row = json.loads(line)
        if row["record"] == record:
            change(row)
        out.append(json.dumps(row))
    return "\n".join(out)


@pytest.mark.parametrize(
    ("record", "change", "says"),
    [
        ("file", lambda row: row.update(version=3), "newer Zest Panel"),
        ("candidate", lambda row: row.update(key="0" * 16, voice="nobody"), "not in this project: Tangor nobody"),
        ("text", lambda row: row.update(key="0" * 16, title="Elsewhere"), "not in this project: Elsewhere"),
        ("session", lambda row: row["trials"].reverse(), "two orders cannot be one"),
        ("session", lambda row: row.update(listener="Nobody"), "does not say who Nobody is"),
        ("session", lambda row: row.update(created="yesterday"), "no line of a file of answers"),
        ("session", lambda row: row.update(checks={"headphones": 3}), "checks that cannot be"),
        ("test", lambda row: row.update(key="1" * 16, settings={"candidate_ids": [[1]]}), "settings that cannot be"),
        ("test", lambda row: row.update(key="1" * 16, conduct={"reasons": 3}), "settings that cannot be"),
        ("listener", lambda row: row.update(alias=""), "no line of a file of answers"),
    ],
)
def test_what_does_not_fit_is_refused_whole(
    here: Project, record: str, change: Callable[[dict[str, Any]], None], says: str
) -> None:
    test = opened(here, "ACR")
    go_through(session_of(here, test, here.panel.add_listener("Ann", languages=["en"])), any_answer, most=3)
    before = whole(here)
    with pytest.raises(TableError, match=says) as caught:
        take_in(here, changed(before, record, change), "a.jsonl")
    assert "Nothing was taken in." in str(caught.value)
    assert whole(here) == before, "and nothing half"


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60, deadline=None)
@given(
    at=st.integers(0, 10_000), cut=st.integers(1, 40), put=st.sampled_from(["", "null", '"', "[]", "{}", "9e999", "\0"])
)
def test_damaged_files_are_refused_in_a_sentence_or_taken(here: Project, at: int, cut: int, put: str) -> None:
    if not here.panel.tests():
        test = opened(here, "preference")
        go_through(session_of(here, test, here.panel.add_listener("Ann", languages=["en"])), any_answer, most=2)
    lines = whole(here)
    place = at % len(lines)
    with suppress(ZestError):
        take_in(here, lines[:place] + put + lines[place + cut :], "a.jsonl")
    for one in here.panel.tests():
        result_of(here, one)


def test_other_files_are_none() -> None:
    assert not is_answer_file("listener,passage,candidate,score\n")
    assert is_answer_file('{"record": "file", "holds": ""}')


def test_a_file_of_the_first_version_is_still_taken_in(here: Project, tmp_path: Path) -> None:
    """It knows nothing of where an answer was given."""
    test = opened(here, "ACR")
    go_through(session_of(here, test, here.panel.add_listener("Ann", languages=["en"])), any_answer, most=3)
    lines = []
    for line in map(json.loads, lines_of(here)):
        if line["record"] == "file":
            line["version"] = 1
        for answer in (one for trial in line.get("trials", ()) for one in trial["answers"]):
            for name in ("client", "sequence", "client_clock"):
                del answer[name]
        lines.append(json.dumps(line))
    with here.panel.alone():
        taken = take_in(here, "\n".join(lines), "old.jsonl")
    assert (taken.answers, taken.known) == (0, 3)
