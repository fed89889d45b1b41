"""A file of any kind that can be read, as a script."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, Final

from zestpanel.core.contained.asking import ask
from zestpanel.core.domain.passage import clean_text
from zestpanel.core.errors import TextError
from zestpanel.core.own_files import read_regular
from zestpanel.core.text.readers.plain import decoded, read_markdown, read_plain
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled

LARGEST_BYTES: Final = 100_000_000
_KEPT: Final = tr("Nothing was imported.")


def _table(tabs: bool) -> Callable[[bytes, str], Script]:
    def read(data: bytes, name: str) -> Script:
        from zestpanel.core.text.readers.tables import rows_of_text, script_of_rows

        rows = rows_of_text(decoded(data, name)[0], name, tabs=tabs)
        if not rows:
            raise TextError(tr("{name} holds no row.", name=name), kept=_KEPT)
        return script_of_rows(rows, name)

    return read


def _xlsx(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.tables import rows_of_xlsx, script_of_rows

    return script_of_rows(rows_of_xlsx(data, name), name)


def _docx(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.office import read_docx

    return read_docx(data, name)


def _odt(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.office import read_odt

    return read_odt(data, name)


def _pdf(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.pdf import read_pdf

    return read_pdf(data, name)


def _html(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.web import read_html

    return read_html(data, name)


def _epub(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.web import read_epub

    return read_epub(data, name)


def _captions(data: bytes, name: str) -> Script:
    from zestpanel.core.text.readers.captions import read_captions

    return read_captions(decoded(data, name)[0], name)


_PACKED: Final = frozenset({".docx", ".odt", ".epub", ".xlsx", ".pdf"})
_UNPACKS_TO: Final = 10  # times its size: what text in a packed document usually does
_MOST_PARTS: Final = 200_000
_LANGUAGE: Final = re.compile(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{1,8}){0,4}")


# what each ending is read by; the libraries behind are loaded only where they are needed
_READERS: Final[dict[str, Callable[[bytes, str], Script]]] = {
    ".txt": read_plain,
    ".text": read_plain,
    ".fountain": read_plain,
    ".md": read_markdown,
    ".markdown": read_markdown,
    ".docx": _docx,
    ".odt": _odt,
    ".pdf": _pdf,
    ".html": _html,
    ".htm": _html,
    ".xhtml": _html,
    ".epub": _epub,
    ".srt": _captions,
    ".vtt": _captions,
    ".tsv": _table(tabs=True),
    ".csv": _table(tabs=False),
    ".xlsx": _xlsx,
}
READABLE: Final = tuple(_READERS)


def read_script(path: Path, cancelled: Cancelled = never_cancelled) -> Script:
    """The script in a file, read in a process that may die with it.

    Raises TextError: unreadable, empty, locked, damaged, too large, too slow to read, of no kind read here; Cancelled.
    """
    suffix = path.suffix.lower()
    if suffix not in _READERS:
        raise TextError(
            tr("{name} is of no kind that is read here.", name=path.name),
            kept=_KEPT,
            remedy=tr("Bring it as one of {readable}.", readable=", ".join(READABLE)),
        )
    try:
        data = read_regular(path, LARGEST_BYTES)
    except OSError as error:
        raise TextError(
            tr("{name} cannot be read ({strerror}).", name=path.name, strerror=error.strerror or error), kept=_KEPT
        ) from error
    if data is None:
        raise TextError(
            tr("{name} is larger than {largest_bytes} MB.", name=path.name, largest_bytes=LARGEST_BYTES // 1_000_000),
            kept=_KEPT,
        )
    return script_of(data, path.name, suffix, cancelled)


def script_of(data: bytes, name: str, suffix: str, cancelled: Cancelled = never_cancelled) -> Script:
    """The script in the bytes of a file of a kind, read in a process that may die with it. Raises as above."""
    if not data:
        raise TextError(tr("{name} is empty.", name=name), kept=_KEPT)
    weight = len(data) * (_UNPACKS_TO if suffix in _PACKED else 1)
    found, _ = ask("script", data, name, error=TextError, kept=_KEPT, cancelled=cancelled, weight=weight, suffix=suffix)
    parts = tuple(Part(text=t, kind=k, speaker=s, start_s=a, end_s=b) for t, k, s, a, b in found["parts"])
    return Script(parts=parts, how=found["how"], language=found["language"], table=tuple(map(tuple, found["table"])))


def script_job(data: bytes, asked: dict[str, Any]) -> tuple[dict[str, Any], bytes]:
    """What ``script_of`` asks the other process for. Raises TextError."""
    script = read_bytes(data, asked["name"], asked["suffix"])
    return {
        "parts": [(p.text, p.kind, p.speaker, p.start_s, p.end_s) for p in script.parts],
        "how": script.how,
        "language": script.language,
        "table": script.table,
    }, b""


def read_bytes(data: bytes, name: str, suffix: str) -> Script:
    """The script in the bytes of a file, read here. Raises TextError, and whatever a library raises."""
    script = _READERS[suffix](data, name)
    cleaned = (replace(part, text=clean_text(part.text), speaker=_line(part.speaker)) for part in script.parts)
    parts = tuple(part for part in cleaned if any(c.isalnum() for c in part.text))
    if not any(part.kind == "paragraph" for part in parts):
        raise TextError(tr("{name} holds no words.", name=name), kept=_KEPT)
    if len(parts) > _MOST_PARTS:
        raise TextError(
            tr("{name} has more than {most_parts} parts.", name=name, most_parts=f"{_MOST_PARTS:,}"),
            kept=_KEPT,
            remedy=tr("Bring it in pieces."),
        )
    language = script.language.strip()
    table = tuple(tuple(_line(cell) for cell in row) for row in script.table)
    return replace(script, parts=parts, table=table, language=language if _LANGUAGE.fullmatch(language) else "")


def _line(text: str) -> str:
    return " ".join(clean_text(text).split())
