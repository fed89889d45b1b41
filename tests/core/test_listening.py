"""Blind tests: orders that balance, sessions that resume, ratings from tables, and scores."""

from __future__ import annotations

from collections import Counter
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.core.audio.clip import Clip
from zestpanel.core.errors import InputError, NotEnoughData, TableError
from zestpanel.core.listening.design import one_at_a_time
from zestpanel.core.listening.material import level_of_test, takes_to_hear
from zestpanel.core.listening.orders import balanced_from, ordered, williams_square
from zestpanel.core.listening.power import what_can_be_told
from zestpanel.core.listening.rating_files import import_ratings
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.scales import SCALES
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.listening.session import session_of, start_session
from zestpanel.core.listening.settings import TestSettings, came_later
from zestpanel.core.listening.verdict import verdict
from zestpanel.core.measures.loudness import integrated_loudness
from zestpanel.core.playback.mixer import RATE_HZ, prepare_lanes
from zestpanel.core.store.project import Project


@given(st.integers(2, 12))
def test_williams_squares_balance_places_and_neighbours(n: int) -> None:
    # source: Williams (1949): each condition once in each position (twice over two squares for an odd number), each
    # ordered pair of neighbours equally often
    rows = williams_square(n)
    assert len(rows) == (n if n % 2 == 0 else 2 * n)
    for position in range(n):
        assert set(Counter(row[position] for row in rows).values()) == {len(rows) // n}
    neighbours = Counter(pair for row in rows for pair in pairwise(row))
    assert len(neighbours) == n * (n - 1)
    assert len(set(neighbours.values())) == 1


def test_trials_cover_every_clip_once_and_training_is_apart() -> None:
    takes = {(c, p): 100 * c + p for c in range(5) for p in range(3)}
    settings = TestSettings(candidate_ids=(0, 1, 2, 3, 4), passage_ids=(0, 1, 2), training=2)
    trials = one_at_a_time(takes, settings, listener=1, rng=np.random.default_rng(1))
    assert Counter(t.stimuli[0].take_id for t in trials if not t.training) == Counter(takes.values())
    assert [t.training for t in trials[:3]] == [True, True, False]
    assert trials[0].stimuli[0].candidate_id != trials[1].stimuli[0].candidate_id


@pytest.mark.parametrize("blocks", [False, True])
@pytest.mark.parametrize("passages", range(1, 13))
@pytest.mark.parametrize("candidates", range(2, 13))
def test_orders_are_balanced_at_every_size(candidates: int, passages: int, blocks: bool) -> None:
    # counted by brute force: Latin squares of places within a passage, and what follows what (Williams 1949) over
    # passages as evenly as whole numbers allow
    cells = [(c, p) for p in range(passages) for c in range(candidates)]
    orders = [ordered(cells, listener=k, blocks=blocks) for k in range(candidates)]
    for order in orders:
        assert sorted(order) == sorted(cells)
        if not blocks and passages > 2:
            assert all(a[1] != b[1] for a, b in pairwise(order)), "no passage twice in a row"
    places = Counter(
        (*cell, sum(p == cell[1] for _, p in order[:at])) for order in orders for at, cell in enumerate(order)
    )
    assert len(places) == candidates * passages * candidates
    assert set(places.values()) == {1}
    behind = Counter((a[0], b[0]) for order in orders for a, b in pairwise(order))
    assert not any((c, c) in behind for c in range(candidates)), "no candidate behind itself"
    even = (candidates * passages - 1) / (candidates - 1)
    told = [behind[a, b] for a in range(candidates) for b in range(candidates) if a != b]
    spare = 2.5 if (candidates, passages) == (3, 2) and not blocks else 2  # two passages in turn leave no choice
    assert max(abs(one - even) for one in told) <= spare
    assert balanced_from(candidates, passages, blocks=blocks) == candidates


def test_of_a_few_clips_a_listener_all_passages_are_heard_by_some() -> None:
    cells = [(c, p) for p in range(20) for c in range(3)]
    orders = [ordered(cells, listener=k, most=6) for k in range(12)]
    assert all(len(order) == 6 and len({p for _, p in order}) == 6 for order in orders)
    assert {p for order in orders[:4] for _, p in order} == set(range(20)), "before any is heard again by many"
    heard = Counter(cell[0] for order in orders for cell in order)
    assert max(heard.values()) == min(heard.values())


@pytest.fixture
def heard(project: Project) -> Project:
    """Three English voices with a take on each of three passages, and a French passage."""
    add_demo_engine(project, "tangor")
    add_demo_engine(project, "citrange")
    engines = project.shortlist.engines()
    for name, voice in (("Tangor", "ilseth"), ("Tangor", "corwick"), ("Citrange", "linnoway")):
        project.shortlist.add(engines[name], voice=voice)
    texts = project.texts.add(
        ["One one.", "Two two.", "Three three."], language="en-GB", titles=["One", "Two", "Three"]
    )
    project.texts.add(["Quatre."], language="fr-FR", titles=["Quatre"])
    for candidate in project.shortlist.candidates():
        for passage in texts:
            pretend_take(project, candidate.id, passage.version_id, hz=150 + 20 * candidate.id)
    return project


def settings_of(project: Project, **more: int) -> TestSettings:
    return TestSettings(
        candidate_ids=tuple(c.id for c in project.shortlist.candidates()),
        passage_ids=tuple(p.id for p in project.texts.all()), **more,
    )  # fmt: skip


def test_a_rating_counts_only_after_enough_was_heard(heard: Project) -> None:
    settings = settings_of(heard)
    test = heard.panel.add_test("ACR", settings.as_document())
    session = session_of(heard, test, heard.panel.add_listener("A", languages=["en"]))
    assert session.in_training
    session.played(0, 0.5)
    assert not session.answer({"score": 4})
    session.played(0, 0.8)
    for wrong in ({"score": 6}, {"score": "4"}, {"choice": 4}, {}):
        with pytest.raises(InputError, match="This is no answer to"):
            session.answer(wrong)
    assert session.answer({"score": 4})
    assert heard.answers.ratings() == [], "training is not scored"
    assert [r.training for r in heard.answers.ratings(training=True)] == [True]


def test_stop_and_resume_at_the_same_clip(heard: Project) -> None:
    settings = settings_of(heard, training=1)
    test_id = heard.panel.add_test("ACR", settings.as_document())
    listener = heard.panel.add_listener("A", languages=["en"])
    session = session_of(heard, test_id, listener)
    for score in (3, 5, 4):
        session.played(0, 1.0)
        session.note_play()
        assert session.answer({"score": score})
    found = heard.panel.open_test()
    assert found is not None
    assert TestSettings.from_document(found.settings) == settings
    resumed = session_of(heard, found.id, listener)
    assert (resumed.index, resumed.trial) == (3, session.trial)
    while not resumed.finished:
        resumed.played(0, 1.0)
        resumed.answer({"score": 2})
    assert len(heard.answers.ratings()) == 9
    assert heard.panel.sessions(test_id)[0].finished


def test_the_starred_take_is_heard_and_stale_ones_are_not(heard: Project) -> None:
    candidate, passage = heard.shortlist.candidates()[0], heard.texts.all()[0]
    better = pretend_take(heard, candidate.id, passage.version_id, repeat=2, hz=400)
    heard.takes.star(better, True)
    settings = settings_of(heard)
    assert takes_to_hear(heard.takes, heard.texts, settings)[(candidate.id, passage.version_id)] == better
    edited = heard.texts.edit(passage.id, "Other words.")
    assert not any(
        version in (passage.version_id, edited.version_id)
        for _, version in takes_to_hear(heard.takes, heard.texts, settings)
    )


def test_no_clips_no_test(project: Project) -> None:
    add_demo_engine(project, "tangor")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    settings = settings_of(project)
    with pytest.raises(NotEnoughData, match=r"nothing to hear yet.*Render"):
        start_session(
            project, project.panel.add_test("ACR", {}), kind_of("ACR"), settings, project.panel.add_listener("A")
        )


def test_the_planner_says_beforehand_what_cannot_be_told() -> None:
    assert "too few to tell any two candidates apart" in what_can_be_told(candidates=4, passages=6, listeners=2)
    assert "too few" in what_can_be_told(candidates=4, passages=1, listeners=30)
    few = what_can_be_told(candidates=8, passages=4, listeners=6)
    assert "listeners would tell 0.5" in few or "more passages do" in few
    assert "compared with nobody" in what_can_be_told(candidates=1, passages=4, listeners=6)
    # source: ITU-T P.800, the listening-quality scale
    assert SCALES["ACR"].steps == {5: "Excellent", 4: "Good", 3: "Fair", 2: "Poor", 1: "Bad"}


# -- tables


def write(path: Path, *rows: str) -> Path:
    path.write_text("\n".join(rows) + "\n", encoding="utf-8")
    return path


def test_ratings_from_a_table_by_number_or_name(heard: Project, tmp_path: Path) -> None:
    head = "listener,passage,candidate,score,remark"
    rows = ["Ann,1,1,4,", 'Ann,two,"Tangor · Corwick",3,x', "Ben,3,citrange linnoway,5,"]
    table = write(tmp_path / "r.csv", head, *rows)
    assert import_ratings(heard, table).count == 3
    assert sorted(r.score for r in heard.answers.ratings()) == [3, 4, 5]
    assert {p.alias for p in heard.panel.listeners()} == {"Ann", "Ben"}
    semicolons = write(tmp_path / "s.csv", "score;candidate;passage;listener", "2,5;1;1;Ann")
    assert import_ratings(heard, semicolons).count == 1


BAD_TABLES = [
    (["listener,passage,candidate"], "row 1: the column 'score' is missing"),
    (["listener,passage,candidate,score", "Ann,1,1,4", "Ann,9,1,4"], "row 3, column passage: '9' names no passage"),
    (["listener,passage,candidate,score", "Ann,1,nobody,4"], "row 2, column candidate: 'nobody' names no candidate"),
    (["listener,passage,candidate,score", "Ann,1,1,7"], "row 2, column score: '7' is not a number from 1 to 5"),
    (["listener,passage,candidate,score", "Ann,1,1,superb"], "'superb' is not a number"),
    (["listener,passage,candidate,score", ",1,1,4"], "row 2: the listener is empty"),
    (["listener,passage,candidate,score", "Ann,1"], "row 2: 4 cells are wanted, there are 2"),
    (["listener,passage,candidate,score"], "holds no ratings"),
]


@pytest.mark.parametrize(("rows", "complaint"), BAD_TABLES)
def test_a_bad_table_adds_nothing_and_names_the_place(
    heard: Project, tmp_path: Path, rows: list[str], complaint: str
) -> None:
    with pytest.raises(TableError) as caught:
        import_ratings(heard, write(tmp_path / "bad.csv", *rows))
    assert complaint in str(caught.value)
    assert str(caught.value).startswith("bad.csv")
    assert "No rating was added." in str(caught.value)
    assert heard.answers.ratings() == []
    assert heard.panel.listeners() == []


def test_any_bytes_are_refused_with_a_sentence(project: Project, tmp_path: Path) -> None:
    path = tmp_path / "any.csv"

    @given(st.binary(max_size=200))
    def check(data: bytes) -> None:
        path.write_bytes(data)
        with pytest.raises(TableError, match=r"any\.csv"):
            import_ratings(project, path)

    check()


# -- scores


def rate(project: Project, scores: dict[int, float], listeners: int, *, languages: tuple[str, ...] = ("en",)) -> None:
    rng = np.random.default_rng(5)
    rows = []
    passages = [p for p in project.texts.all() if p.language == "en-GB"]
    for k in range(listeners):
        listener = project.panel.add_listener(f"L{k} {languages}", languages=languages)
        for candidate, score in scores.items():
            for passage in passages:
                value = float(np.clip(round(score + rng.normal(0, 0.4)), 1, 5))
                rows.append({"listener_id": listener.id, "candidate_id": candidate, "score": value, "origin": "file",
                             "passage_version_id": passage.version_id})  # fmt: skip
    project.answers.add_ratings(rows)


def test_scores_say_who_is_told_apart_and_what_is_preliminary(heard: Project) -> None:
    a, b, c = (x.id for x in heard.shortlist.candidates())
    rate(heard, {a: 4.4, b: 4.4, c: 2.0}, 4)
    early = panel_scores(heard)
    assert early.by_candidate[a].preliminary
    assert "4 listeners (at least 5)" in early.by_candidate[a].why_preliminary
    rate(heard, {a: 4.4, b: 4.4, c: 2.0}, 40, languages=("en", "fr"))
    found = panel_scores(heard)
    first, last = found.by_candidate[a], found.by_candidate[c]
    for passage in heard.texts.all():  # all of them of one kind, and then not
        for kind in heard.hard_parts.kinds(passage):
            heard.hard_parts.correct(passage, kind, False)
    one_kind = panel_scores(heard).by_candidate[a]
    assert one_kind.preliminary
    assert "1 kind of text (at least 2)" in one_kind.why_preliminary
    heard.texts.describe(heard.texts.all()[0].id, tags=["news"])
    assert not panel_scores(heard).by_candidate[a].preliminary
    assert set(first.letters) & set(found.by_candidate[b].letters)
    assert not set(first.letters) & set(last.letters)
    assert first.crossed is not None
    assert first.naive is not None
    assert first.crossed.low < first.mean < first.crossed.high
    assert first.crossed.high - first.crossed.low > first.naive.high - first.naive.low
    assert sum(first.counts) == first.ratings == 44 * 3
    equal = found.languages[0].equality(a, b, margin=0.3)
    assert equal is not None
    assert equal.equal
    names = {c: str(c) for c in found.by_candidate}
    second = sorted((a, b), key=lambda one: -found.by_candidate[one].mean)[1]
    wide = abs(equal.difference) + 0.3  # as far as the panel reaches, and not
    assert f"as good within {wide:g}: {second}" in verdict(found.languages[0], names, equal_within=wide)
    assert "Shown to be as good" not in verdict(found.languages[0], names, equal_within=abs(equal.difference) + 0.001)


def test_ratings_of_a_language_not_spoken_are_kept_apart(heard: Project) -> None:
    a = heard.shortlist.candidates()[0].id
    rate(heard, {a: 5.0}, 3)
    rate(heard, {a: 1.0}, 2, languages=("fr",))
    found = panel_scores(heard)
    assert found.kept_apart == 6
    assert found.by_candidate[a].listeners == 3
    assert found.by_candidate[a].mean > 4


def test_ratings_of_a_removed_take_do_not_count_until_it_is_back(heard: Project) -> None:
    candidate, passage = heard.shortlist.candidates()[0], heard.texts.all()[0]
    take = heard.takes.all(candidate_id=candidate.id)[0]
    listener = heard.panel.add_listener("A", languages=["en"])
    row = {"listener_id": listener.id, "candidate_id": candidate.id, "take_id": take.id, "score": 5.0}
    heard.answers.add_ratings([{**row, "passage_version_id": passage.version_id, "origin": "booth"}])
    heard.takes.set_removed(take.id, True)
    assert heard.answers.ratings() == []
    heard.takes.set_removed(take.id, False)
    assert len(heard.answers.ratings()) == 1


def test_languages_of_a_known_listener_are_what_was_stated_last(heard: Project) -> None:
    heard.panel.add_listener("A")
    assert heard.panel.add_listener("A", languages=["fr"]).languages == ("fr",)
    assert heard.panel.add_listener("A").languages == ("fr",), "nothing said leaves them"


def test_listeners_of_unknown_languages_count_in_no_score_until_they_are_stated(heard: Project, tmp_path: Path) -> None:
    head = "listener,passage,candidate,score,languages"
    table = write(tmp_path / "r.csv", head, "Ann,1,1,4,", 'Ben,1,1,5,"en, fr"')
    assert import_ratings(heard, table).count == 2
    found = panel_scores(heard)
    assert (found.by_candidate[1].ratings, found.not_stated, found.not_spoken) == (1, 1, 0)
    assert "1 by listeners whose languages are not stated" in found.why_kept_apart()
    heard.panel.put_languages(next(p.id for p in heard.panel.listeners() if p.alias == "Ann"), ["en"])
    assert panel_scores(heard).by_candidate[1].ratings == 2
    twice = write(tmp_path / "t.csv", "listener,passage,candidate,score", "Ann,1,1,4", "Ann,One,1,2")
    with pytest.raises(TableError, match="row 3: Ann rates this candidate on this passage in row 2 already"):
        import_ratings(heard, twice)


def test_listeners_hear_only_languages_they_speak(heard: Project) -> None:
    french = next(p for p in heard.texts.all() if p.language == "fr-FR")
    candidate = heard.shortlist.candidates()[0]
    pretend_take(heard, candidate.id, french.version_id)
    settings = settings_of(heard, training=0)
    test = heard.panel.add_test("ACR", settings.as_document())
    both = start_session(
        heard, test, kind_of("ACR"), settings, heard.panel.add_listener("Both", languages=["en", "fr"])
    )
    english = start_session(heard, test, kind_of("ACR"), settings, heard.panel.add_listener("One", languages=["en-US"]))
    assert len(both.trials) == len(english.trials) + 1
    assert french.version_id not in {t.stimuli[0].passage_version_id for t in english.trials}
    with pytest.raises(NotEnoughData, match="No clip of this test is in a language that Es speaks"):
        start_session(heard, test, kind_of("ACR"), settings, heard.panel.add_listener("Es", languages=["es"]))
    with pytest.raises(InputError, match="Which languages does Who speak"):
        start_session(heard, test, kind_of("ACR"), settings, heard.panel.add_listener("Who"))


def test_a_voice_of_two_languages_has_two_scores(heard: Project) -> None:
    a, b, _ = (c.id for c in heard.shortlist.candidates())
    rate(heard, {a: 4.0, b: 2.0}, 6)
    french = next(p for p in heard.texts.all() if p.language == "fr-FR")
    heard.answers.add_ratings([
        {"listener_id": heard.panel.add_listener(f"F{k}", languages=["fr"]).id, "candidate_id": a, "score": 1.0,
         "passage_version_id": french.version_id, "origin": "file"} for k in range(5)
    ])  # fmt: skip
    found = panel_scores(heard)
    english, other = found.of_language("en-GB"), found.of_language("fr")
    assert english is not None
    assert other is not None
    assert (round(english.scores[a].mean), other.scores[a].mean) == (4, 1.0)
    assert found.by_candidate[a] == english.scores[a], "its own language stands first"


def test_what_came_later_is_told_and_one_level_holds_for_the_test(heard: Project) -> None:
    settings = settings_of(heard)
    takes = takes_to_hear(heard.takes, heard.texts, settings)
    plain = level_of_test(heard.takes, takes.values())
    assert plain == pytest.approx(-23.0), "tones at -12 dB reach the target"
    peaky = np.zeros(32_000)
    peaky[::4000] = 0.9
    candidate, passage = heard.shortlist.candidates()[0], heard.texts.all()[0]
    take = heard.takes.keep(Clip(samples=peaky + 0.01 * np.sin(np.arange(32_000) / 9), rate_hz=16_000),
                            candidate_id=candidate.id, passage_version_id=passage.version_id, repeat=2)  # fmt: skip
    heard.takes.star(take.id, True)
    level = level_of_test(heard.takes, takes_to_hear(heard.takes, heard.texts, settings).values())
    assert level < -26, "lowered for all by the one clip that would pass the ceiling"
    loud = [prepare_lanes([(t, heard.takes.load(one), (), 2)], target_lufs=level)[0][0]
            for t, one in enumerate(heard.takes.all()[:3])]  # fmt: skip
    levels = [integrated_loudness(Clip(samples=lane.samples, rate_hz=RATE_HZ))[0] for lane in loud]
    assert levels == pytest.approx([level] * 3, abs=0.15)
    heard.shortlist.add(heard.shortlist.engines()["Citrange"], voice="brindal")
    heard.texts.add(["Five."], language="en-GB")
    now = came_later(settings, (c.id for c in heard.shortlist.candidates()), (p.id for p in heard.texts.all()))
    assert now == (1, 1)
