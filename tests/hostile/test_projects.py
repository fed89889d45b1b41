"""Projects of strangers: whatever stands in whichever cell, every verb ends in its lines or in a sentence of ours, what
makes no sense is named and set aside, and the rest works."""

from __future__ import annotations

import os
import random
import shutil
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import JSON, Boolean, Float, Integer, LargeBinary

from tests.hostile.whole_project import whole_project
from zestpanel.command_line import run
from zestpanel.core.store.checking import damage_in
from zestpanel.core.store.database import FILE
from zestpanel.core.store.project import Project
from zestpanel.core.store.schema import metadata

MANY = 600 if os.environ.get("ZEST_DEEP") else 5
VERBS = (
    ["runs"], ["brief"], ["voices"], ["shortlist"], ["weights"], ["choice"], ["cost"], ["prices"], ["ratings"],
    ["answers", "--to", "answers.csv"], ["report", "--to", "record"], ["catalogue"], ["agree"], ["run", "--estimate"],
    ["measure"], ["bug-report"], ["runs", "--compare", "1", "1"], ["pack"],
)  # fmt: skip
ODD_JSON = ("[]", "{}", '"x"', "5", "null", "[null]", '{"a": []}', "[[1,2],3]", "NaN", '[{"x":1}]', "[" * 90_000)
ODD_TEXT = ("2026-13-45", "", "x\x00y", "\u202e", "9" * 500, "<b>x</b>")
ODD_NUMBERS = (-1, 2**62, 0, -2.5, 1e300, float("inf"))
ODD_BYTES = (b"", b"xx")


def odd_cells(folder: Path) -> Iterator[tuple[str, int, str, Any]]:
    with sqlite3.connect(folder / FILE) as database:
        for table in metadata.sorted_tables:
            for (number,) in database.execute(f'SELECT rowid FROM "{table.name}" LIMIT 40'):
                for column in table.columns:
                    odd: tuple[Any, ...] = ODD_TEXT
                    if isinstance(column.type, JSON):
                        odd = ODD_JSON
                    elif isinstance(column.type, Integer | Float | Boolean):
                        odd = ODD_NUMBERS
                    elif isinstance(column.type, LargeBinary):
                        odd = ODD_BYTES
                    for value in odd:
                        yield table.name, number, column.name, value
    database.close()


def odd_copies(whole: Path, folder: Path, many: int) -> Iterator[str]:
    """Copies of a project at ``folder``, each with something odd in one cell: where it is, and what."""
    for table, number, column, value in random.Random(os.urandom(8)).sample(list(odd_cells(whole)), many):
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(whole, folder)
        with sqlite3.connect(folder / FILE) as database:
            try:
                database.execute(f'UPDATE "{table}" SET "{column}" = ? WHERE rowid = ?', (value, number))
            except sqlite3.Error:  # the tables themselves refuse it
                continue
        database.close()
        yield f"{table}.{column} of row {number} is {str(value)[:40]!r}"


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return whole_project(tmp_path_factory.mktemp("whole") / "Whole.zest")


def test_a_project_of_our_own_is_whole(whole: Path) -> None:
    assert damage_in(whole) == []
    with sqlite3.connect(whole / FILE) as database:
        empty = [table.name for table in metadata.sorted_tables
                 if not database.execute(f'SELECT count(*) FROM "{table.name}"').fetchone()[0]]  # fmt: skip
    database.close()
    assert empty == [], "each table is tried"


def test_whatever_stands_in_a_cell_every_verb_ends_in_lines_or_a_sentence(
    whole: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    folder = tmp_path / "Odd.zest"
    for where in odd_copies(whole, folder, MANY):
        for verb, *more in VERBS:
            try:
                assert run([verb, str(folder), *more]) in (0, 1, 2), where
            except Exception as error:
                raise AssertionError(f"{verb}, where {where}") from error
        capsys.readouterr()
        assert [one for one in damage_in(folder) if "clip" not in one.what] == [], where


def test_words_that_python_takes_for_numbers_are_words(whole: Path, tmp_path: Path) -> None:
    folder = tmp_path / "Words.zest"
    shutil.copytree(whole, folder)
    with sqlite3.connect(folder / FILE) as database:
        database.execute("UPDATE takes SET sent = ? WHERE rowid = 1", ('["Infinity pools, and NaN bread."]',))
    database.close()
    assert damage_in(folder) == []
    project = Project.open(folder)
    assert project.was_odd is None
    project.close()


@pytest.mark.parametrize(("table", "column", "value"), [
    ("takes", "timing", '{"last_byte_s": "soon"}'), ("takes", "created", "2026-13-45"),
    ("measures", "values", '{"a": NaN}'), ("tests", "conduct", "[1]"),
    ("candidates", "settings", "[1]"), ("measures", "values", "[]"), ("passage_versions", "marks", '[["a"]]'),
    ("requests", "characters", -5), ("runs", "repeats", 2**40), ("own_voices", "made", "borrowed"),
])  # fmt: skip
def test_what_makes_no_sense_is_named_set_aside_and_kept(
    whole: Path, tmp_path: Path, table: str, column: str, value: object
) -> None:
    folder = tmp_path / "Odd.zest"
    shutil.copytree(whole, folder)
    with sqlite3.connect(folder / FILE) as database:
        database.execute(f'UPDATE "{table}" SET "{column}" = ? WHERE rowid = 1', (value,))
    database.close()
    found = [str(one) for one in damage_in(folder)]
    assert found == [f"{table}, row 1: the {column} cannot be read"]
    project = Project.open(folder)
    assert project.was_odd is not None
    assert found[0] in project.was_odd.says(folder.name)
    project.close()
    with sqlite3.connect(project.was_odd.aside) as kept:
        assert kept.execute(f'SELECT "{column}" FROM "{table}" WHERE rowid = 1').fetchone() == (value,)
    kept.close()
    assert damage_in(folder) == []
