"""A file of any kind that can be read, as a script."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Final

from zestpanel.core.errors import TextError
from zestpanel.core.passages.passage import clean_text
from zestpanel.core.passages.readers.plain import decoded, read_markdown, read_plain
from zestpanel.core.passages.readers.script import Script

LARGEST_BYTES: Final = 100_000_000
_KEPT: Final = "Nothing was imported."


def _table(tabs: bool) -> Callable[[bytes, str], Script]:
    def read(data: bytes, name: str) -> Script:
        from zestpanel.core.passages.readers.tables import rows_of_text, script_of_rows

        rows = rows_of_text(decoded(data, name)[0], name, tabs=tabs)
        if not rows:
            raise TextError(f"{name} holds no row.", kept=_KEPT)
        return script_of_rows(rows, name)

    return read


def _xlsx(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.tables import rows_of_xlsx, script_of_rows

    return script_of_rows(rows_of_xlsx(data, name), name)


def _docx(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.office import read_docx

    return read_docx(data, name)


def _odt(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.office import read_odt

    return read_odt(data, name)


def _pdf(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.pdf import read_pdf

    return read_pdf(data, name)


def _html(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.web import read_html

    return read_html(data, name)


def _epub(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.web import read_epub

    return read_epub(data, name)


def _captions(data: bytes, name: str) -> Script:
    from zestpanel.core.passages.readers.captions import read_captions

    return read_captions(decoded(data, name)[0], name)


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


def read_script(path: Path) -> Script:
    """The script in a file. Raises TextError: unreadable, empty, locked, damaged, too large, of no kind read here."""
    reader = _READERS.get(path.suffix.lower())
    if reader is None:
        raise TextError(
            f"{path.name} is of no kind that is read here.",
            kept=_KEPT,
            remedy=f"Bring it as one of {', '.join(READABLE)}.",
        )
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise TextError(f"{path.name} is larger than {LARGEST_BYTES // 1_000_000} MB.", kept=_KEPT)
        data = path.read_bytes()
    except OSError as error:
        raise TextError(f"{path.name} cannot be read ({error.strerror}).", kept=_KEPT) from error
    if not data:
        raise TextError(f"{path.name} is empty.", kept=_KEPT)
    script = reader(data, path.name)
    cleaned = [replace(part, text=clean_text(part.text)) for part in script.parts]
    parts = tuple(part for part in cleaned if any(c.isalnum() for c in part.text))
    if not any(part.kind == "paragraph" for part in parts):
        raise TextError(f"{path.name} holds no words.", kept=_KEPT)
    return replace(script, parts=parts)
