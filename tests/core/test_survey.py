"""Tables of survey forms: a row a listener, a column a question, read by a map that is asked for once."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.__main__ import main
from zestpanel.core.errors import InputError, TableError, ZestError
from zestpanel.core.listening.survey import Column, columns_of, drafted, is_survey, map_of, map_text, ratings_of

FORM = """Timestamp;Your name;Languages you speak;Frost by Tangor Ilseth;Frost by Citrange Linnoway
2026-11-02 10:00;Ann;en;4 - Good;2
2026-11-02 10:05;Ben;en, fr;Excellent;
"""
WANTED = """listener,passage,candidate,score,languages
Ann,Frost,Tangor Ilseth,4,en
Ann,Frost,Citrange Linnoway,2,en
Ben,Frost,Tangor Ilseth,5,"en, fr"
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
          Column(column="Languages you speak", what="score", passage="Frost", candidate="1")], "'en' is no score"),
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
