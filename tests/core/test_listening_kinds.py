"""Kinds of listening tests: their trials balance, their answers are checked, and what they say is right."""

from __future__ import annotations

import json
import sqlite3
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import add_demo_engine, pretend_take
from tests.core.test_laboratory import saved_lines
from tests.old_projects import project_of
from zestpanel.core.analysis.statistics.crossed import differences
from zestpanel.core.analysis.statistics.crossed_table import crossed_table
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.listening import Answer, Stimulus
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.listening import registry
from zestpanel.core.listening.content import ContentQuestion
from zestpanel.core.listening.kind import Around, Found, Shown, check
from zestpanel.core.listening.kinds import category_rating
from zestpanel.core.listening.plain import preference_of_table, scores_of_table
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.scaled import lines_of, stated_comparisons
from zestpanel.core.listening.scales import SCALES, Scale
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.report.answers import answers, as_rows, write_answers
from zestpanel.core.store.database import FILE
from zestpanel.core.store.project import Project

PERSON = 9  # a candidate spoken by a person
ABLE = {(c, v): 100 * c + v for v in (1, 2, 3) for c in (1, 2, 3, 4)}
BESIDE_A_PERSON = ABLE | {(PERSON, v): 900 + v for v in (1, 2, 3)}
SETTINGS = TestSettings(candidate_ids=(1, 2, 3, 4), passage_ids=(1, 2, 3), training=0)


def asked_of(versions: Iterable[int]) -> tuple[ContentQuestion, ...]:
    return tuple(ContentQuestion(version, f"When, in {version}?", "in spring", ("in winter", "never"))
                 for version in versions)  # fmt: skip


@pytest.fixture
def heard(project: Project) -> Project:
    add_demo_engine(project, "tangor")
    add_demo_engine(project, "citrange")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    project.shortlist.add(project.shortlist.engines()["Citrange"], voice="linnoway")
    for passage in project.texts.add(["One line here.", "Two lines there."], language="en-GB"):
        for candidate in project.shortlist.candidates():
            pretend_take(project, candidate.id, passage.version_id, hz=200 + 50 * candidate.id)
    return project


def opened(project: Project, kind: str, **more: object) -> int:
    given: dict[str, object] = {
        "candidate_ids": tuple(c.id for c in project.shortlist.candidates()), "training": 0,
        "passage_ids": tuple(p.id for p in project.texts.all()),
        "content": asked_of(p.version_id for p in project.texts.all()) if kind == "content" else (),
    }  # fmt: skip
    settings = TestSettings(**{**given, **more})  # type: ignore[arg-type]
    return project.panel.add_test(kind, settings.as_document())


@pytest.mark.parametrize("name", sorted(kinds()))
def test_every_kind_draws_trials_shows_them_and_takes_only_its_answers(name: str) -> None:
    kind = kind_of(name)
    beside = "reference" in kind.uses
    able = BESIDE_A_PERSON if beside else ABLE
    settings = replace(SETTINGS, reference_id=PERSON if beside else 0, anchors=True, also=("effort",),
                       content=asked_of((1, 2, 3)))  # fmt: skip
    every = [kind.design(able, settings, listener=k, rng=np.random.default_rng(k)) for k in range(4)]
    judged = {s.candidate_id for of in every for trial in of for s in trial.stimuli if s.role == "judged"}
    assert judged == {1, 2, 3, 4}
    for trial in every[0]:
        shown = kind.shown(trial, settings)
        assert [at for lane in shown.lanes for at in lane.stimuli] == list(range(len(trial.stimuli)))
        assert (
            len({trial.stimuli[lane.stimuli[0]].passage_version_id for lane in shown.lanes}) == 1 or not shown.by_text
        )
        for question in shown.questions:
            keys = [choice.key for choice in question.choices]
            lanes = [str(k) for k in range(10)] if len(shown.lanes) > 1 else []
            assert len({*keys, *lanes}) == len(keys) + len(lanes), "a key does one thing"
        good = {q.name: q.choices[0].value if q.choices else [50] * q.places if q.places else "words that were heard"
                for q in shown.questions}  # fmt: skip
        check(good, shown)
        for question in shown.questions:
            for value in [choice.value for choice in question.choices]:
                check({**good, question.name: value}, shown)
            for wrong in (7.5, True, None, [101], [50] * 40, "x" * 6_000):
                with pytest.raises(InputError, match="This is no answer"):
                    check({**good, question.name: wrong}, shown)
        for given in ({}, {"else": 1}, {**good, "else": 1}):
            with pytest.raises(InputError, match="This is no answer"):
                check(given, shown)
    with pytest.raises(NotEnoughData):
        kind.found([], Around(settings=settings, names={}))


def test_pairs_stand_first_equally_often_over_listeners() -> None:
    first: Counter[tuple[int, int, int]] = Counter()
    for listener in range(8):
        for trial in kind_of("preference").design(
            ABLE, SETTINGS, listener=listener, rng=np.random.default_rng(listener)
        ):
            a, b = trial.stimuli
            first[a.passage_version_id, a.candidate_id, b.candidate_id] += 1
    assert len(first) == 3 * 4 * 3
    assert set(first.values()) == {4}


@pytest.mark.parametrize("name", ["preference", "CCR", "ABX"])
def test_only_the_pairs_that_were_stated_are_heard(name: str) -> None:
    trials = kind_of(name).design(ABLE, replace(SETTINGS, stated_id=3), listener=0, rng=np.random.default_rng(1))
    pairs = Counter(frozenset(s.candidate_id for s in one.stimuli) for one in trials)
    assert pairs == {frozenset({3, other}): 3 for other in (1, 2, 4)}


def test_x_is_each_of_the_two_as_often() -> None:
    for seed in range(5):
        trials = kind_of("ABX").design(ABLE, SETTINGS, listener=0, rng=np.random.default_rng(seed))
        assert Counter(trial.detail["x"] for trial in trials) == {"a": 9, "b": 9}
        for trial in trials:
            a, b, x = trial.stimuli
            assert x == (a if trial.detail["x"] == "a" else b)


def test_a_preference_from_the_first_trial_to_the_result(heard: Project) -> None:
    test = opened(heard, "preference")
    better = heard.shortlist.candidates()[1].id
    for k in range(6):
        session = session_of(heard, test, heard.panel.add_listener(f"L{k}", languages=["en"]))
        while not session.finished:
            session.played(0, 1.0)
            assert not session.answer({"choice": "first"}), "both are to be heard"
            session.played(1, 1.0)
            place = [s.candidate_id for s in session.trial.stimuli].index(better)
            given = "neither" if (k, session.index) == (0, 0) else ("first", "second")[place]
            assert session.answer({"choice": given})
    names = {c.id: c.voice for c in heard.shortlist.candidates()}
    found = kind_of("preference").found(heard.answers.of_test(test), Around(settings=SETTINGS, names=names))
    assert found.rows[0][:6] == ("linnoway", "100 %", "68 to 100 %", "11", "1", "0")
    assert found.says.startswith("linnoway is preferred to ilseth, the next, 11 to 0. No strengths")
    assert heard.answers.ratings() == [], "no score of one clip"
    assert heard.answers.count_listeners() == 6


def test_a_stated_comparison_is_told_where_all_pairs_would_hide_it(heard: Project) -> None:
    """With five candidates Holm over all pairs asks for p below 0.005; of one stated comparison, for 0.05."""
    rng = np.random.default_rng(4)
    values = [(c, listener, p, 3.0 + (0.6 if c == 2 else 0.0) + float(rng.normal(0, 0.9)))
              for c in range(1, 6) for listener in range(10) for p in range(4)]  # fmt: skip
    pair = [one for one in values if one[0] in (1, 2)]
    around = Around(settings=TestSettings(candidate_ids=(1, 2), passage_ids=(), stated_id=1), names={1: "A", 2: "B"})
    every = lines_of(values, bounds=(1, 5))
    letters = {line.candidate_id: set(line.letters) for line in every}
    assert letters[1] & letters[2], "all pairs: not told apart"
    p = differences(crossed_table(pair, [1, 2])).p(0)
    assert p is not None
    assert p < 0.05
    assert stated_comparisons(pair, around) == (
        f"Compared with A alone, as was stated before: B (better by "
        f"{np.mean([v[3] for v in pair if v[0] == 2]) - np.mean([v[3] for v in pair if v[0] == 1]):.2f}, "
        f"p {max(p, 0.001):.3f})."
    )
    assert stated_comparisons([one for one in values if one[0] != 1], around) == "", "nobody has heard that one"


def test_abx_tells_hearing_from_guessing(heard: Project) -> None:
    names = {c.id: c.voice for c in heard.shortlist.candidates()}
    for right, words in ((1.0, "The difference is heard."), (0.5, "It is not shown that the difference can be heard.")):
        test = opened(heard, "ABX")
        for k in range(8):
            session = session_of(heard, test, heard.panel.add_listener(f"L{k}", languages=["en"]))
            while not session.finished:
                for clip in range(3):
                    session.played(clip, 1.0)
                x = str(session.trial.detail["x"])
                knows = session.index % 2 == 0 or right == 1.0
                assert session.answer({"x": x if knows else "ba"["ab".index(x)]})
        found = kind_of("ABX").found(heard.answers.of_test(test), Around(settings=SETTINGS, names=names))
        assert found.says.startswith(words), found
        assert found.rows[0][1] == f"{16 * right:.0f} of 16"


def answered(project: Project, kind: str, answers: dict[str, dict[str, object]], **more: object) -> Found:
    """A test of the kind with six listeners; answers by voice of the (first) clip."""
    test = opened(project, kind, **more)
    names = {c.id: c.voice for c in project.shortlist.candidates()}
    for k in range(6):
        session = session_of(project, test, project.panel.add_listener(f"L{k}", languages=["en"]))
        while not session.finished:
            for lane in range(len(session.shown.lanes)):
                session.played(lane, 1.0)
            voice = names[session.trial.stimuli[0].candidate_id]
            given = dict(answers[voice])
            if kind == "dictation":
                text, _ = project.texts.version_text(session.trial.stimuli[0].passage_version_id)
                given = {"text": text if voice == "linnoway" else text.replace("line", "lime")}
            assert session.answer(given)
    texts = {p.version_id: (p.text, p.language) for p in project.texts.all()}
    (settings,) = (TestSettings.from_document(t.settings) for t in project.panel.tests() if t.id == test)
    return kind_of(kind).found(project.answers.of_test(test), Around(settings=settings, names=names, texts=texts))


def test_a_comparison_is_read_the_same_in_either_order(heard: Project) -> None:
    """Linnoway is slightly better whichever comes first, so the mean is 1 for both orders together."""
    found = answered(heard, "CCR", {"ilseth": {"score": 1}, "linnoway": {"score": -1}})
    assert found.rows[0][:2] == ("linnoway over ilseth", "+1.00")
    assert found.says == "Told apart: linnoway over ilseth by 1.0."


def test_a_question_of_ones_own_is_shared_out(heard: Project) -> None:
    found = answered(heard, "yes or no", {"ilseth": {"says": "no"}, "linnoway": {"says": "yes"}},
                     question="Did it laugh?")  # fmt: skip
    assert found.says == "Did it laugh? linnoway: yes 100 %; ilseth: yes 0 %."
    assert found.rows[0] == ("linnoway", "100 %", "70 to 100 %", "12", "0", "0", "")  # Wilson: 12 of 12


def test_words_that_were_not_understood_are_counted(heard: Project) -> None:
    """'line' heard as 'lime' is one of three words in one of the two texts ('One line here.', 'Two lines there.')."""
    found = answered(heard, "dictation", {"ilseth": {}, "linnoway": {}})
    assert [row[:2] for row in found.rows] == [("linnoway", "0.0 %"), ("ilseth", "33.3 %")]
    assert found.rows[1][5] in ("line, lines", "lines, line")
    trials = [t for session in heard.panel.sessions(heard.panel.tests()[-1].id) for t in session.trials]
    assert max(Counter((t.session_id, t.stimuli[0].passage_version_id) for t in trials).values()) == 1


def test_a_scale_that_is_added_is_asked_and_answered(heard: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    warm = Scale(question="How warm is this voice?", steps={3: "Warm", 2: "Neither", 1: "Cold"}, about="How warm?")
    monkeypatch.setitem(SCALES, "warmth", warm)
    session = session_of(heard, opened(heard, "ACR", scale="warmth"), heard.panel.add_listener("A", languages=["en"]))
    assert session.shown.questions[0].words == warm.question
    session.played(0, 1.0)
    with pytest.raises(InputError, match="Answers are: Warm, Neither, Cold"):
        session.answer({"score": 4})
    assert session.answer({"score": 3})
    assert [(r.score, r.scale) for r in heard.answers.ratings()] == [(3.0, "warmth")]


class _Told(category_rating.CategoryRating):
    name, title, asks = "told", "Told", "Was it told?"


@pytest.fixture
def with_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """A kind more, as a file in ``kinds`` would bring it."""
    found = {**kinds(), "told": _Told()}
    monkeypatch.setattr(registry, "kinds", lambda: found)


def test_a_kind_that_is_added_is_run_and_an_unknown_one_is_named(heard: Project, with_told: None) -> None:
    session = session_of(heard, opened(heard, "told"), heard.panel.add_listener("A", languages=["en"]))
    assert isinstance(session.shown, Shown)
    with pytest.raises(InputError, match=r"does not know listening tests of the kind 'else'\. Its answers are kept"):
        kind_of("else")


def test_an_answer_can_be_taken_back_and_given_anew(heard: Project) -> None:
    test = opened(heard, "ACR")
    session = session_of(heard, test, heard.panel.add_listener("A", languages=["en"]))
    trial = session.trial
    session.played(0, 1.0)
    session.answer({"score": 4})
    heard.answers.add(trial.id, Answer(given={"score": 2}, origin="booth"))
    assert [a.answer.given for a in heard.answers.of_test(test)] == [{"score": 2}]
    heard.answers.add(trial.id, Answer(given={"score": 2}, origin="booth"), withdrawn=True)
    assert heard.answers.of_test(test) == []
    assert heard.answers.ratings() == []


def test_ratings_of_an_earlier_project_keep_their_numbers_and_their_trials(tmp_path: Path) -> None:
    """Every rating that stood stands, with its score, its listener and its take; sessions go on where they stopped."""
    folder = project_of(tmp_path / "Old.zest", "0008")
    with sqlite3.connect(folder / FILE) as old:
        tables = {name: [row[1] for row in old.execute(f"PRAGMA table_info({name})")]
                  for name in ("passages", "passage_versions", "candidates", "takes", "listeners", "tests", "sessions",
                               "ratings")}  # fmt: skip

        def add(table: str, **values: object) -> None:
            kinds_of = {row[1]: row[2] for row in old.execute(f"PRAGMA table_info({table})") if row[3]}
            usual = {"created": "2025-03-01T08:00:00.000+00:00", "duration_s": 1.5, "rate_hz": 16_000, "language": "en",
                     "channels": 1, "repeat": 1, "engine": "Tangor", "voice": "ilseth"}  # fmt: skip
            filled = {name: usual.get(name, 0 if kind in ("INTEGER", "FLOAT", "BOOLEAN") else "[]" if kind == "JSON"
                      else b"" if kind == "BLOB" else "then") for name, kind in kinds_of.items()
                      if name not in values}  # fmt: skip
            row = {**filled, **values}
            marks = ", ".join("?" * len(row))
            quoted = ", ".join(f'"{name}"' for name in row)
            old.execute(f"INSERT INTO {table} ({quoted}) VALUES ({marks})", tuple(row.values()))

        assert all(tables.values())
        for number in (1, 2):
            add("passages", id=number)
            add("passage_versions", id=number, passage_id=number, number=1)
            add("candidates", id=number, settings="{}")
            add("listeners", id=number, alias=f"L{number}", languages='["en"]')
        for take in (1, 2, 3):
            add("takes", id=take, candidate_id=2 if take == 2 else 1, passage_version_id=1)
        add("tests", id=1, kind="ACR", settings=json.dumps({"candidate_ids": [1, 2], "passage_ids": [1, 2]}))
        trials = [[1, 1, 1, True], [1, 1, 1, False], [2, 1, 2, False]]
        add("sessions", id=7, test_id=1, listener_id=1, trials=json.dumps(trials))
        common = {"scale": "ACR", "training": False, "withdrawn": False, "passage_version_id": 1}
        booth = {**common, "listener_id": 1, "session_id": 7, "origin": "booth"}
        table = {**common, "listener_id": 2, "origin": "file"}
        add("ratings", id=1, candidate_id=1, take_id=1, trial=0, score=5.0, **{**booth, "training": True})
        add("ratings", id=2, candidate_id=1, take_id=1, trial=1, score=4.0, **booth)
        add("ratings", id=3, candidate_id=1, score=1.0, **table)
        add("ratings", id=4, candidate_id=1, score=2.0, **table)  # the later one of the same clip stands
        add("ratings", id=5, candidate_id=2, score=3.0, **table)
        add("ratings", id=6, candidate_id=2, score=3.0, **{**table, "withdrawn": True})
    old.close()
    project = Project.open(folder)
    stand = [(r.id, r.listener_id, r.candidate_id, r.score, r.origin) for r in project.answers.ratings()]
    assert stand == [(2, 1, 1, 4.0, "booth"), (4, 2, 1, 2.0, "file")]
    assert [r.id for r in project.answers.ratings(training=True)] == [1, 2, 4]
    (session,) = project.panel.sessions(1)
    assert [(t.stimuli[0], t.training) for t in session.trials] == [
        (Stimulus(candidate_id=c, passage_version_id=p, take_id=t), training) for c, p, t, training in trials
    ]
    assert project.answers.answered_places(7) == {0, 1}
    open_test = project.panel.open_test()
    assert open_test is not None
    assert open_test.id == 1, "what came in tables is no open test"
    project.close()


def test_every_figure_can_be_recomputed_from_the_saved_answers(heard: Project, tmp_path: Path) -> None:
    """The table that was saved, read without the project, gives the same scores and the same preferences."""
    for passage in heard.texts.add(["Three more words."], language="en-GB"):
        for candidate in heard.shortlist.candidates():
            pretend_take(heard, candidate.id, passage.version_id, hz=150 * candidate.id)
    test = opened(heard, "ACR")
    for k in range(5):
        session = session_of(heard, test, heard.panel.add_listener(f"L{k}", languages=["en"]))
        while not session.finished:
            session.played(0, 1.0)
            session.answer({"score": 2 + (session.index + k) % 3})
    assert write_answers(heard, tmp_path / "ratings.csv") == 30
    inside = panel_scores(heard).by_candidate
    alone = dict(scores_of_table(tmp_path / "ratings.csv")["ACR"])
    names = short_names(heard.shortlist.candidates(), heard.shortlist.engines())
    for candidate_id, score in inside.items():
        other = alone[names[candidate_id]]
        assert (score.mean, score.crossed, score.letters) == (other.mean, other.crossed, other.letters)
    answered(heard, "preference", {"ilseth": {"choice": "second"}, "linnoway": {"choice": "first"}})
    write_answers(heard, tmp_path / "all.jsonl")
    lines = saved_lines(tmp_path / "all.jsonl")
    assert Counter(line["kind"] for line in lines) == {"ACR": 30, "preference": 18}
    assert all(len(line["clips"]) == (2 if line["kind"] == "preference" else 1) for line in lines)
    rows = as_rows(answers(heard))
    votes = [row for row in rows if row[1] in ("kind", "preference")]
    (tmp_path / "votes.csv").write_text("\n".join(",".join(row) for row in votes))
    assert preference_of_table(tmp_path / "votes.csv").rows[0][:1] == ("Citrange · Linnoway",)
    with pytest.raises(InputError, match=r"as \.csv or \.jsonl"):
        write_answers(heard, tmp_path / "all.txt")


def test_a_slip_of_the_key_is_corrected_until_the_next_answer(heard: Project) -> None:
    test = opened(heard, "ACR")
    session = session_of(heard, test, heard.panel.add_listener("A", languages=["en"]))
    assert not session.correct(), "there is nothing before the first"
    session.played(0, 1.0)
    session.answer({"score": 1})
    assert session.correct()
    assert not session.correct(), "one step back, not to earlier ones"
    assert session.may_answer, "it was heard"
    session.answer({"score": 5})
    assert [a.answer.given for a in heard.answers.of_test(test)] == [{"score": 5}]
    assert session.index == 1
