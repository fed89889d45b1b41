"""Tables of answers as people have them, brought to one form: comma-separated text, the first line naming the columns.

Spreadsheets (.xlsx), text in any encoding that can be told, JSON and JSON lines with nested parts, whose names become
columns: {"who": {"name": "Ann"}} is the column who.name.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from zestpanel.core.errors import InputError, TableError
from zestpanel.core.own_files import read_regular
from zestpanel.core.table_rows import csv_text
from zestpanel.core.text.readers.plain import decoded
from zestpanel.core.text.readers.tables import rows_of_xlsx
from zestpanel.core.texts import tr

MOST_MB: Final = 50
_MOST_COLUMNS: Final = 2_000
_MOST_DEEP: Final = 20
_USUAL: Final = ("utf-8", "ascii")
_EMPTY: Final = frozenset({"", "na", "n/a", "nan", "none", "null", "-", "–", "—", "."})


@dataclass(frozen=True, slots=True)
class Sheet:
    """note: what was assumed in reading it, '' for nothing."""

    text: str
    note: str = ""


def is_empty(cell: str) -> bool:
    """Whether a cell says that there is no answer."""
    return cell.strip().casefold() in _EMPTY


def table_of(path: Path, *, kept: str) -> Sheet:
    """Raises TableError: not there, too large, or no table."""
    try:
        data = read_regular(path, MOST_MB * 1_000_000)
    except OSError as odd:
        raise TableError(
            tr("{name} cannot be read ({strerror}).", name=path.name, strerror=odd.strerror or odd), kept=kept
        ) from odd
    if data is None:
        raise TableError(tr("{name} is larger than {most_mb} MB.", name=path.name, most_mb=MOST_MB), kept=kept)
    try:
        if path.suffix.lower() in (".xlsx", ".xlsm"):
            return Sheet(csv_text(_trimmed(rows_of_xlsx(data, path.name))))
        text, encoding = decoded(data, path.name)
    except TableError:
        raise
    except InputError as error:
        raise TableError(error.what, kept=kept, remedy=error.remedy) from error
    note = "" if encoding.lower() in _USUAL else tr("{name} was read as {encoding}.", name=path.name, encoding=encoding)
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    if path.suffix.lower() in (".json", ".jsonl", ".ndjson"):
        return Sheet(csv_text(_of_json(text, path.name, kept)), note)
    return Sheet(text, note)


def _trimmed(rows: list[list[str]]) -> list[list[str]]:
    """Without empty lines above, and all as wide as the first."""
    from_first = [row for row in rows if any(cell.strip() for cell in row)]
    if not from_first:
        return []
    wide = max((k for k, cell in enumerate(from_first[0], 1) if cell.strip()), default=0)
    return [[*row[:wide], *[""] * (wide - len(row))] for row in from_first]


def _of_json(text: str, name: str, kept: str) -> list[list[str]]:
    records = list(_records(text, name, kept))
    columns = list(dict.fromkeys(column for one in records for column in one))
    if not columns or len(columns) > _MOST_COLUMNS:
        raise TableError(tr("{name} holds no list of records.", name=name), kept=kept,
                         remedy=tr("A record an answer, or a listener: a line each, or in one list."))  # fmt: skip
    return [columns, *([one.get(column, "") for column in columns] for one in records)]


def _records(text: str, name: str, kept: str) -> Iterator[dict[str, str]]:
    """One list of records, the first list of them within an object, or a record a line."""
    try:
        whole = _loaded(text)
    except ValueError:
        whole = None
    if isinstance(whole, dict):
        inner = next(
            (one for one in whole.values() if isinstance(one, list) and one and isinstance(one[0], dict)), None
        )
        whole = inner if inner is not None else [whole]
    if isinstance(whole, list):
        yield from (_flat(one) for one in whole if isinstance(one, dict))
        return
    for number, line in enumerate(text.split("\n"), 1):
        if line.strip():
            try:
                value = _loaded(line)
            except ValueError as error:
                raise TableError(tr("{name}, line {number}: this is no JSON.", name=name, number=number),
                                 kept=kept) from error  # fmt: skip
            if isinstance(value, dict):
                yield _flat(value)


def _loaded(text: str) -> Any:
    try:
        return json.loads(text)
    except RecursionError as error:
        raise ValueError from error


def _flat(value: Mapping[str, Any], under: str = "", deep: int = 0) -> dict[str, str]:
    out: dict[str, str] = {}
    for key, one in value.items():
        if isinstance(one, dict) and deep < _MOST_DEEP:
            out |= _flat(one, f"{under}{key}.", deep + 1)
        elif isinstance(one, list):
            out[f"{under}{key}"] = ", ".join(str(x) for x in one if not isinstance(x, dict | list))
        elif one is not None:
            out[f"{under}{key}"] = ("yes" if one else "no") if isinstance(one, bool) else str(one)
    return out
