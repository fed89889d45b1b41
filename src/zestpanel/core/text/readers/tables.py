"""Tables (.csv, .tsv, .xlsx): one column is the text, one may be the speaker."""

from __future__ import annotations

import csv
import io
import zipfile
from typing import Final

from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.packed import open_packed
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.texts import tr

_KEPT: Final = tr("Nothing was imported.")
_TEXT_NAMES: Final = ("text", "line", "script", "narration", "sentence", "dialogue", "texte", "texto")
_SPEAKER_NAMES: Final = ("speaker", "character", "who", "role", "name", "voice")
MOST_ROWS: Final = 200_000
MOST_COLUMNS: Final = 200


def rows_of_text(text: str, name: str, *, tabs: bool) -> list[list[str]]:
    """Rows of a table in text: tabs, or the delimiter that its first lines show. Raises TextError."""
    delimiter = "\t"
    if not tabs:
        try:
            delimiter = csv.Sniffer().sniff(text[:4_000], delimiters=",;\t|").delimiter
        except csv.Error:
            delimiter = ","
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    try:
        rows = [row[:MOST_COLUMNS] for row in csv.reader(io.StringIO(text), delimiter=delimiter)]
    except csv.Error as error:
        raise TextError(
            tr("{name} is no table that can be read ({error}).", name=name, error=error), kept=_KEPT
        ) from error
    return [row for row in rows if any(cell.strip() for cell in row)]


def rows_of_xlsx(data: bytes, name: str) -> list[list[str]]:
    """Rows of the first sheet that has any. Raises TextError."""
    open_packed(data, name)
    import openpyxl
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        for sheet in book.worksheets:
            rows = []
            for row in sheet.iter_rows(values_only=True, max_row=MOST_ROWS, max_col=MOST_COLUMNS):
                cells = ["" if cell is None else str(cell) for cell in row]
                if any(cell.strip() for cell in cells):
                    rows.append(cells)
            if rows:
                return rows
    except (InvalidFileException, KeyError, ValueError, zipfile.BadZipFile, OSError, SyntaxError) as error:
        raise TextError(tr("{name} is no spreadsheet, or a damaged one.", name=name), kept=_KEPT) from error
    raise TextError(tr("{name} holds no cell with text.", name=name), kept=_KEPT)


def has_head(rows: list[list[str]]) -> bool:
    """Whether the first row names columns: short, no digits alone, and one of its words is a known name."""
    known = {*_TEXT_NAMES, *_SPEAKER_NAMES, "id", "no", "nr", "number", "scene", "language", "note", "notes"}
    return any(cell.strip().lower() in known for cell in rows[0])


def script_of_rows(rows: list[list[str]], name: str, *, column: int | None = None) -> Script:
    """A script from one column: the one named, else one with a text's name, else the wordiest. Raises TextError."""
    head = [cell.strip().lower() for cell in rows[0]] if has_head(rows) else []
    body = rows[1:] if head else rows
    width = max(len(row) for row in rows)
    if column is None:
        named = [i for i, title in enumerate(head) if title in _TEXT_NAMES]
        lengths = [0] * width
        for row in body:
            for i, cell in enumerate(row):
                lengths[i] += len(cell)
        column = named[0] if named else max(range(width), key=lengths.__getitem__)
    if not 0 <= column < width:
        raise TextError(tr("{name} has no column {column}.", name=name, column=column + 1), kept=_KEPT)
    speaker = next((i for i, title in enumerate(head) if title in _SPEAKER_NAMES and i != column), None)
    parts = tuple(
        Part(
            text=row[column].strip(), speaker=row[speaker].strip() if speaker is not None and speaker < len(row) else ""
        )
        for row in body
        if column < len(row) and row[column].strip()
    )
    title = rows[0][column].strip() if head else f"{column + 1}"
    return Script(
        parts=parts,
        how=tr("table of {body} rows, column '{title}'", body=len(body), title=title),
        table=tuple(map(tuple, rows)),
    )
