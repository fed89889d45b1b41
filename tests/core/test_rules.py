"""Rules of the code itself that a reader may count on."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import zestpanel
from zestpanel.core import errors

SOURCE = Path(zestpanel.__file__).parent
ROOT = Path(__file__).parents[2]
MODULES = sorted(SOURCE.rglob("*.py"))


def test_colours_and_style_sheets_stand_in_one_place() -> None:
    allowed = {"core/report/palette.py"}
    for path in MODULES:
        name = path.relative_to(SOURCE).as_posix()
        text = path.read_text("utf-8")
        if name not in allowed:
            assert not re.search(r"[\"']#[0-9A-Fa-f]{6}[\"']", text), name
        if name != "desk/theme/style.py":
            assert "setStyleSheet(" not in text, name


def test_every_module_says_what_it_is() -> None:
    for path in MODULES:
        if "migrations" not in path.parts:
            assert ast.get_docstring(ast.parse(path.read_text("utf-8"))), path


def test_no_sql_and_no_statistics_in_widgets() -> None:
    for path in (SOURCE / "desk").rglob("*.py"):
        assert not re.search(r"^(from|import) (sqlalchemy|scipy|statsmodels)", path.read_text("utf-8"), re.M), path


def test_the_errors_of_the_tree_are_those_drawn_at_its_head() -> None:
    drawn = set(re.findall(r"[├└]── (\w+)|^(\w+) ", errors.__doc__ or "", re.M))
    names = {a or b for a, b in drawn} - {"Every"} | {"ZestError"}
    real = {n for n, v in vars(errors).items() if isinstance(v, type) and issubclass(v, Exception)}
    assert real == names


def test_files_that_the_docs_name_are_there() -> None:
    roots = [ROOT, ROOT / "src" / "zestpanel", ROOT / "src" / "zestpanel" / "core", ROOT / "docs",
             *(ROOT / "tests" / part for part in ("", "core", "desk", "reference"))]  # fmt: skip
    missing = [
        f"{page.name}: {name}"
        for page in [*(ROOT / "docs").glob("*.md"), ROOT / "README.md"]
        for name in re.findall(r"`((?:[a-z_]+/)*[a-z_]+\.py)`", page.read_text())
        if not any((root / name).exists() for root in roots) and not list((ROOT / "src").rglob(name))
    ]
    assert missing == []
