"""Tables in text form, read the same way everywhere: rows by column name, or one clear sentence."""

from __future__ import annotations

import csv
import io

from zestpanel.core.errors import TableError


def table_rows(text: str, *, name: str, kept: str) -> list[dict[str, str]]:
    """Rows of a comma-separated table (RFC 4180) by the names of its first line; cells that lack are ''.

    Raises TableError for a table that cannot be taken apart.
    """
    text = text.removeprefix("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    try:
        rows = list(csv.DictReader(io.StringIO(text), restval=""))
    except csv.Error as error:
        raise TableError(f"{name} is no table that can be read ({error}).", kept=kept) from error
    return [{str(column): cell or "" for column, cell in row.items() if isinstance(cell, str)} for row in rows]
