"""Tables in text form, read the same way everywhere: rows by column name, or one clear sentence."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from typing import Final

from zestpanel.core.errors import TableError
from zestpanel.core.texts import tr


def table_rows(text: str, *, name: str, kept: str) -> list[dict[str, str]]:
    """Rows of a comma-separated table (RFC 4180) by the names of its first line; cells that lack are ''.

    Raises TableError for a table that cannot be taken apart.
    """
    text = text.removeprefix("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    try:
        rows = list(csv.DictReader(io.StringIO(text), restval=""))
    except csv.Error as error:
        raise TableError(
            tr("{name} is no table that can be read ({error}).", name=name, error=error), kept=kept
        ) from error
    return [{str(column): _as_meant(cell) for column, cell in row.items() if isinstance(cell, str)} for row in rows]


def numbered_rows(
    text: str, *, name: str, kept: str, needs: Sequence[str], nothing: str = "rows"
) -> list[tuple[int, dict[str, str]]]:
    """Rows with the numbers of their lines, parted by commas, semicolons or tabs, whichever the first line has; columns
    by name in small letters, empty lines left out.

    needs: columns that must be there. Raises TableError naming file, row and what is wrong.
    """
    head = text.partition("\n")[0]
    delimiter = next((d for d in ("\t", ";") if d in head), ",")
    try:
        table = list(csv.reader(text.splitlines(), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise TableError(tr("{name} is no readable table ({error}).", name=name, error=error), kept=kept) from error
    columns = [column.strip().lower() for column in table[0]] if table else []
    for column in needs:
        if column not in columns:
            raise TableError(
                tr("{name}, row 1: the column '{column}' is missing.", name=name, column=column), kept=kept,
                remedy=tr("The first row names the columns: {needs}.", needs=', '.join(needs)),
            )  # fmt: skip
    out = []
    for line, cells in enumerate(table[1:], 2):
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) < len(columns):
            raise TableError(
                tr(
                    "{name}, row {line}: {columns} cells are wanted, there are {cells}.",
                    name=name,
                    line=line,
                    columns=len(columns),
                    cells=len(cells),
                ),
                kept=kept,
            )
        out.append((line, dict(zip(columns, map(_as_meant, cells), strict=False))))
    if not out:
        raise TableError(tr("{name} holds no {nothing}.", name=name, nothing=nothing), kept=kept)
    return out


_FIGURE: Final = re.compile(r"[+\-−]?[\d.,\s]+%?")
_BEGINS: Final = ("=", "+", "-", "@", "\t", "\r")  # those of the OWASP page on CSV injection


def as_text(cell: str) -> str:
    """A cell that a spreadsheet takes for what it is: one that begins as a formula does gets a sign before it."""
    return f"'{cell}" if cell[:1] in _BEGINS and not _FIGURE.fullmatch(cell) else cell


def _as_meant(cell: str) -> str:
    """``as_text`` taken back."""
    return cell[1:] if cell[:1] == "'" and as_text(cell[1:]) == cell else cell


def as_tsv(rows: Iterable[Sequence[str]]) -> str:
    """Rows for the clipboard; tabs and line breaks inside cells become spaces."""
    return "\n".join("\t".join(as_text(" ".join(cell.split())) for cell in row) for row in rows)


def csv_text(rows: Iterable[Sequence[str]]) -> str:
    """Rows as a comma-separated table (RFC 4180)."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([[as_text(cell) for cell in row] for row in rows])
    return out.getvalue()
