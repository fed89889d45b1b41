"""Tables of survey forms: a row a listener, a column a question, read by a map that is asked for once."""

from __future__ import annotations

import io
import json
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.__main__ import main
from zestpanel.core.errors import InputError, TableError, ZestError
from zestpanel.core.listening import feeding
from zestpanel.core.listening.foreign_tables import table_of
from zestpanel.core.listening.rating_files import import_rating_text, import_ratings
from zestpanel.core.listening.results import result_of
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.listening.survey import (
    Column,
    columns_of,
    drafted,
    is_survey,
    known_or_drafted,
    map_of,
    map_text,
    ratings_of,
)
from zestpanel.core.store.project import Project

FORM = """Timestamp;Your name;Languages you speak;Frost by Tangor Ilseth;Frost by Citrange Linnoway
2026-11-02 10:00;Ann;en;4 - Good;2
2026-11-02 10:05;Ben;en, fr;Excellent;
"""
WANTED = """listener,passage,candidate,score,languages,scale
Ann,Frost,Tangor Ilseth,4,en,
Ann,Frost,Citrange Linnoway,2,en,
Ben,Frost,Tangor Ilseth,5,"en, fr",
"""


def test_a_form_is_read_as_ratings_by_a_map_drafted_from_its_columns() -> None:
    assert is_survey(FORM)
    assert not is_survey(WANTED)
    columns = drafted(columns_of(FORM), ["Frost", "Lent"], ["Tangor Ilseth", "Citrange Linnoway"])
    assert [c.what for c in columns] == ["", "listener", "languages", "score", "score"]
    assert ratings_of(FORM, "form.csv", columns) == WANTED
    assert map_of(map_text(columns), "map.csv") == columns


@pytest.mark.parametrize(
    ("columns", "says"),
    [
        ([Column(column="Your name", what="listener")], "one column is the listener, and at least one a score"),
        ([Column(column="Your name", what="listener"), Column(column="Timestamp", what="score")], "whose answer is"),
        ([Column(column="Your name", what="listener"),
          Column(column="Languages you speak", what="score", passage="Frost", candidate="1")],
         "'en' is not a number from 1 to 5"),
    ],
)  # fmt: skip
def test_what_is_missing_in_a_map_is_said(columns: list[Column], says: str) -> None:
    with pytest.raises(ZestError, match=says):
        ratings_of(FORM, "form.csv", columns)


@given(st.text(max_size=300))
def test_any_table_is_read_or_refused_in_a_sentence(text: str) -> None:
    try:
        columns = drafted(columns_of(text), ["a"], ["b"])
        ratings_of(text, "form.csv", columns)
        map_of(text, "map.csv")
    except (TableError, InputError) as error:
        said = str(error)
    else:
        return
    assert said.endswith(".")


def test_without_a_project_the_map_is_written_first_and_used_then(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rows = [f"L{k};en;{3 + k % 2};{1 + k % 2};{3 + k % 2};{2}" for k in range(6)]
    (tmp_path / "form.csv").write_text("Name;Languages;A on one;B on one;A on two;B on two\n" + "\n".join(rows))
    asked = ["ratings", str(tmp_path / "form.csv"), "--map", str(tmp_path / "map.csv")]
    assert main(asked) != 0
    assert "map.csv was written, with a line for each column" in capsys.readouterr().err
    columns = [Column(column="Name", what="listener"), Column(column="Languages", what="languages")]
    columns += [
        Column(column=f"{c} on {p}", what="score", passage=p, candidate=c) for p in ("one", "two") for c in "AB"
    ]
    (tmp_path / "map.csv").write_text(map_text(columns))
    assert main(asked) == 0
    said = capsys.readouterr().out
    assert "3.50  " in said
    assert " A (6 listeners, 2 passages)" in said


@pytest.fixture
def heard(project: Project) -> Project:
    """Two voices on two passages."""
    add_demo_engine(project, "tangor")
    add_demo_engine(project, "citrange")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    project.shortlist.add(project.shortlist.engines()["Citrange"], voice="linnoway")
    for passage in project.texts.add(["One line.", "Two lines."], language="en-GB", titles=["Frost", "Lent"]):
        for candidate in project.shortlist.candidates():
            pretend_take(project, candidate.id, passage.version_id)
    return project


def spreadsheet(rows: list[list[object]]) -> bytes:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in rows:
        sheet.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


NAMES = ["Tangor · Ilseth", "Citrange · Linnoway"]
LONG = [["listener", "passage", "candidate", "score"], ["Ann", "Frost", NAMES[0], 4], ["Ann", "Frost", NAMES[1], 2]]
RECORD = {"who": {"name": "Ann"}, "text": "Frost", "voice": NAMES[0], "score": 4, "seen": True}


@pytest.mark.parametrize(
    ("name", "data", "wanted"),
    [
        ("long.xlsx", spreadsheet(LONG), {("ACR", 4.0), ("ACR", 2.0)}),
        ("1252.csv", "listener,passage,candidate,score\nRenée,Frost,1,4\nJosé,Frost,2,2".encode("cp1252"),
         {("ACR", 4.0), ("ACR", 2.0)}),
        ("utf-16.csv", "listener,passage,candidate,score\nAnn,Frost,1,4\nAnn,Frost,2,2".encode("utf-16"),
         {("ACR", 4.0), ("ACR", 2.0)}),
        ("empty.csv", b"listener,passage,candidate,score\nAnn,Frost,1,4\nAnn,Frost,2,\nAnn,Lent,1,NA", {("ACR", 4.0)}),
        ("words.csv", b"listener,passage,candidate,score\nAnn,Frost,1,Good\nAnn,Frost,2,2 - poor",
         {("ACR", 4.0), ("ACR", 2.0)}),
        ("scales.csv", b"listener,passage,candidate,score,scale\nAnn,Frost,1,77,0-100\nAnn,Frost,1,6,1 to 7\n"
         b"Ann,Frost,1,3,naturalness", {("0 to 100", 77.0), ("1 to 7", 6.0), ("naturalness", 3.0)}),
        ("wide clips.csv", f"Time;Rater;Frost / {NAMES[0]};Frost / {NAMES[1]}\n10:00;Ann;88;12".encode(),
         {("0 to 100", 88.0), ("0 to 100", 12.0)}),
        ("wide candidates.csv", f"rater,sentence,{NAMES[0]},{NAMES[1]}\nAnn,Frost,4,2\nAnn,Lent,5,-".encode(),
         {("ACR", 4.0), ("ACR", 2.0), ("ACR", 5.0)}),
        ("wide scales.csv", f"rater,text,voice,naturalness,pleasantness\nAnn,Frost,{NAMES[0]},4,2".encode(),
         {("naturalness", 4.0), ("pleasantness", 2.0)}),
        ("nested.json", json.dumps({"answers": [RECORD, {**RECORD, "text": "Lent", "score": 2}]}).encode(),
         {("ACR", 4.0), ("ACR", 2.0)}),
        ("nested.jsonl", f"{json.dumps(RECORD)}\n{json.dumps({**RECORD, 'text': 'Lent', 'score': 2})}\n".encode(),
         {("ACR", 4.0), ("ACR", 2.0)}),
        ("effort.csv", f"rater,text,voice,answer\nAnn,Frost,{NAMES[0]},Considerable effort".encode(),
         {("effort", 2.0)}),
    ],
)  # fmt: skip
def test_tables_as_people_have_them(
    heard: Project, tmp_path: Path, name: str, data: bytes, wanted: set[tuple[str, float]]
) -> None:
    """What is drafted is read as it is: nothing has to be changed."""
    path = tmp_path / name
    path.write_bytes(data)
    text = table_of(path, kept="").text
    if is_survey(text):
        text = ratings_of(text, name, known_or_drafted(heard.shortlist, heard.documents, heard.texts, text))
    import_rating_text(heard, text, name, languages=["en"])
    assert {(one.scale, one.score) for one in heard.answers.ratings()} == wanted
    assert {result_of(heard, test).parts[0].answers for test in heard.panel.tests()} <= {1, 2, 3}


def test_scores_from_0_to_100_are_a_figure_of_their_own(heard: Project, tmp_path: Path) -> None:
    rows = [f"L{k},{p},{c},{50 + 20 * (c == 1) + k}" for k in range(6) for p in ("Frost", "Lent") for c in (1, 2)]
    (tmp_path / "of.csv").write_text(
        "listener,passage,candidate,score,scale\n" + "".join(f"{r},0 to 100\n" for r in rows)
    )
    assert import_ratings(heard, tmp_path / "of.csv", languages=["en"]).says("of.csv") == "24 ratings from of.csv."
    (test,) = heard.panel.tests()
    (part,) = result_of(heard, test).parts
    assert part.found is not None
    assert [round(bar.value, 1) for bar in part.found.bars] == [72.5, 52.5]
    assert {of["en", "test 0 to 100"].value for of in feeding.tests_by_candidate(heard).values()} == {72.5, 52.5}
    assert panel_scores(heard).by_candidate == {}, "no category is made of it"


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("listener,passage,candidate,score\nAnn,Frost,1,87", r"'87' is not a number from 1 to 5.*scale: 0 to 100"),
        ("listener,passage,candidate,score\nAnn,Frost,1,6", r"'6' is not a number from 1 to 5.*scale: 1 to 7"),
        ("listener,passage,candidate,score\nAnn,Frost,1,superb", r"Or one of its words: Excellent, Good"),
        ("listener,passage,candidate,score,scale\nAnn,Frost,1,4,warmth", r"'warmth' is no scale.*Known are: ACR"),
    ],
)
def test_each_refusal_says_what_to_change(heard: Project, table: str, says: str) -> None:
    with pytest.raises(TableError, match=says):
        import_rating_text(heard, table, "a.csv")
    assert heard.panel.tests() == []


def test_means_are_no_answers(heard: Project) -> None:
    table = f"system,mean,n,sd\n{NAMES[0]},4.1,20,0.6"
    columns = known_or_drafted(heard.shortlist, heard.documents, heard.texts, table)
    with pytest.raises(InputError, match="kept as evidence from outside"):
        ratings_of(table, "means.csv", columns)
