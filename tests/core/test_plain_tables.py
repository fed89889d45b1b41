"""Answers in tables without a project: the same figures as with one, and a sentence for every table that is none."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq
from scipy.special import expit

from tests.conftest import add_demo_engine
from zestpanel.command_line import run as verb
from zestpanel.core.analysis.statistics.drawn import share_p
from zestpanel.core.errors import TableError
from zestpanel.core.listening.plain import agreement_of_table, preference_of_table, scores_of_table
from zestpanel.core.listening.power import preference_can_tell, preference_told
from zestpanel.core.listening.rating_files import import_ratings
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.store.project import Project


def table(folder: Path, *rows: str) -> Path:
    path = folder / "t.csv"
    path.write_text("\n".join(rows) + "\n", encoding="utf-8")
    return path


def rated(separator: str = ",") -> list[str]:
    rows = ["listener,passage,candidate,score,role"]
    for k in range(6):
        for p in (1, 2, 3):
            for name, base in (("Tangor Ilseth", 4), ("Tangor Corwick", 2)):
                rows.append(f"L{k},{p},{name},{base + (k * p) % 2},")
    rows.append("L0,1,Tangor Ilseth,1,training")
    return [row.replace(",", separator) for row in rows]


def test_a_table_alone_is_scored_as_in_a_project(project: Project, tmp_path: Path) -> None:
    add_demo_engine(project, "tangor")
    for voice in ("ilseth", "corwick"):
        project.shortlist.add(project.shortlist.engines()["Tangor"], voice=voice)
    project.texts.add(["One.", "Two.", "Three."], language="en-GB")
    import_ratings(project, table(tmp_path, *rated()[:-1]), languages=["en"])
    inside = panel_scores(project).by_candidate
    for separator in (",", ";"):
        alone = dict(scores_of_table(table(tmp_path, *rated(separator)))["score"])
        for candidate, name in zip(inside, ("Tangor Ilseth", "Tangor Corwick"), strict=True):
            one, other = inside[candidate], alone[name]
            assert (one.mean, one.crossed, one.letters, one.ratings) == (
                other.mean, other.crossed, other.letters, other.ratings,
            )  # fmt: skip


def test_votes_in_either_form_say_the_same(tmp_path: Path) -> None:
    counted = preference_of_table(table(tmp_path, "winner,loser,count", "A,B,9", "B,A,3"))
    spelled = ["listener,passage,first,second,answer"]
    spelled += [
        f"L{k},1,{a},{b},{says}"
        for k in range(3)
        for a, b, says in (("A", "B", "first"), ("B", "A", "A"), ("A", "B", "1"), ("B", "A", "b"))
    ][:9]
    spelled += ["L9,1,B,A,first", "L9,2,B,A,B", "L9,3,A,B,second"]
    found = preference_of_table(table(tmp_path, *spelled))
    assert [row[:1] + row[3:6] for row in found.rows] == [("A", "9", "0", "3"), ("B", "3", "0", "9")]
    assert found.rows == counted.rows
    assert "chosen more often" not in counted.says, "a table of winners does not say who was heard first"


def test_agreement_by_both_measures(tmp_path: Path) -> None:
    found = agreement_of_table(table(tmp_path, *rated()))["score"]
    assert (found["clips"], found["listeners"], found["complete_clips"]) == (6, 6, 6)
    assert isinstance(found["alpha"], float)
    assert isinstance(found["icc_single"], float)
    assert abs(found["alpha"] - found["icc_single"]) < 0.05, "of complete tables the two nearly agree"


@pytest.mark.parametrize(
    ("read", "rows", "words"),
    [
        (scores_of_table, ["listener,passage,candidate", "a,1,A"], "row 1: the column 'score' is missing"),
        (scores_of_table, ["listener,passage,candidate,score", "a,1,A,9"], "row 2, column score: '9' is not a number"),
        (scores_of_table, ["listener,passage,candidate,score", "a,1,,4"], "row 2: the candidate is empty"),
        (preference_of_table, ["first,second,answer", "A,B,perhaps"], "row 2, column answer: 'perhaps'"),
        (preference_of_table, ["winner,loser", "A,A"], "'A' is compared with 'A'"),
        (preference_of_table, ["winner,loser,count", "A,B,-1"], "'-1' is no number of votes"),
        (agreement_of_table, ["listener,passage,candidate,score"], "holds no ratings"),
    ],
)
def test_a_bad_table_is_named(read: object, rows: list[str], words: str, tmp_path: Path) -> None:
    with pytest.raises(TableError) as refused:
        read(table(tmp_path, *rows))  # type: ignore[operator]
    assert words in str(refused.value)
    assert "Nothing was computed." in str(refused.value)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=300))
def test_any_bytes_are_refused_with_a_sentence(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "any.csv"
    path.write_bytes(data)
    for read in (scores_of_table, preference_of_table, agreement_of_table):
        with pytest.raises(TableError, match=r"any\.csv"):
            read(path)


def test_verbs_work_without_a_project(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = str(table(tmp_path, *rated()))
    assert verb(["ratings", path, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["scores"][0]["candidate"] == "Tangor Ilseth"
    assert verb(["agreement", path]) == 0
    assert "Krippendorff's alpha" in capsys.readouterr().out
    votes = str(table(tmp_path, "winner,loser,count", "A,B,30", "B,A,5"))
    assert verb(["preference", votes]) == 0
    assert capsys.readouterr().out.startswith("A is preferred to B, the next, by 86 of 100")
    assert verb(["plan-test", "--candidates", "2", "--passages", "6", "--listeners", "12"]) == 0
    assert "a preference of 75 to 25 is told from even (8 times in 10; 50 of 72 are needed)" in capsys.readouterr().out


def test_what_a_preference_can_tell_is_seen_by_the_test_of_shares_that_will_be_made() -> None:
    """Of panels with the share that is told, listeners and texts as alike as is usual, 8 in 10 are to see it; the sign
    test alone would promise it for less, since it takes 72 answers for 72 people."""
    share, most = preference_told(12, 6, 1) or (0.0, 0)
    assert (share, most) == (0.75, 50)
    rng, spread, seen = np.random.default_rng(2), 0.48, 0
    many = spread * np.sqrt(2) * np.random.default_rng(0).standard_normal(100_000)
    odds = brentq(lambda x: expit(x + many).mean() - share, -1, 8)
    listener, passage = np.repeat(np.arange(12), 6), np.tile(np.arange(6), 12)
    for _ in range(300):
        lean = odds + spread * (rng.standard_normal(12)[listener] + rng.standard_normal(6)[passage])
        seen += share_p(rng.random(72) < expit(lean), listener.tolist(), passage.tolist()) < 0.05
    assert 0.75 <= seen / 300 <= 0.95
    assert "too few" in preference_can_tell(candidates=2, passages=1, listeners=5)
