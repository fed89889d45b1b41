"""PDF: its text layer, page by page, joined to paragraphs again; page numbers and running heads told apart."""

from __future__ import annotations

import io
import logging
import re
from collections import Counter
from typing import TYPE_CHECKING, Final

from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.script import Kind, Part, Script
from zestpanel.core.texts import tr

MOST_PAGES: Final = 5_000
MOST_CHARACTERS: Final = 20_000_000
if TYPE_CHECKING:
    from pypdf import PdfReader

_KEPT: Final = tr("Nothing was imported.")
_NUMBER: Final = re.compile(r"^[-–—\s]*(\d{1,4}|[ivxlc]{1,6})[-–—\s]*$", re.IGNORECASE)


def read_pdf(data: bytes, name: str) -> Script:
    """Raises TextError for a damaged, locked or merely scanned file (no text layer)."""
    from pypdf import PdfReader
    from pypdf.errors import PyPdfError

    logging.getLogger("pypdf").setLevel(logging.CRITICAL)  # its remarks on odd files are not for people
    try:
        reader = PdfReader(io.BytesIO(data))
        if reader.is_encrypted and not reader.decrypt(""):
            raise TextError(
                tr("{name} is locked with a password.", name=name), kept=_KEPT, remedy=tr("Save it without one first.")
            )
        if len(reader.pages) > MOST_PAGES:
            raise TextError(
                tr("{name} has more than {most_pages} pages.", name=name, most_pages=f"{MOST_PAGES:,}"), kept=_KEPT
            )
        pages = _texts(reader, name)
    except (PyPdfError, ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError, OSError) as error:
        raise TextError(tr("{name} is no PDF, or a damaged one.", name=name), kept=_KEPT) from error
    if not any(c.isalnum() for page in pages for c in page):
        raise TextError(
            tr("{name} has no text layer: its pages are pictures.", name=name),
            kept=_KEPT,
            remedy=tr("Run it through a text recogniser first, or bring the text in another form."),
        )
    return Script(parts=tuple(_paragraphs(pages)), how=tr("text layer of {pages} pages", pages=len(pages)))


def _texts(reader: PdfReader, name: str) -> list[str]:
    """The text of each page; a page that is there many times is taken apart once."""
    texts: dict[int, str] = {}
    out: list[str] = []
    size = 0
    for page in reader.pages:
        number = page.indirect_reference.idnum if page.indirect_reference is not None else -1 - len(out)
        if number not in texts:
            texts[number] = page.extract_text() or ""
        size += len(texts[number])
        if size > MOST_CHARACTERS or len(out) >= MOST_PAGES:
            raise TextError(
                tr(
                    "{name} holds more text than {most_characters} million characters.",
                    name=name,
                    most_characters=MOST_CHARACTERS // 1_000_000,
                ),
                kept=_KEPT,
                remedy=tr("Bring it in pieces."),
            )
        out.append(texts[number])
    return out


def _paragraphs(pages: list[str]) -> list[Part]:
    lines_of = [[line.strip() for line in page.splitlines()] for page in pages]
    heads = _running(lines_of)
    parts: list[Part] = []
    held = ""

    def close(kind: Kind = "paragraph") -> None:
        nonlocal held
        if held.strip():
            parts.append(Part(text=held.strip(), kind=kind))
        held = ""

    for lines in lines_of:
        for i, line in enumerate(lines):
            edge = i < 2 or i >= len(lines) - 2
            if not line:
                close()
            elif edge and _NUMBER.match(line):
                parts.append(Part(text=line, kind="page number"))
            elif edge and line in heads:
                parts.append(Part(text=line, kind="front matter"))
            elif held.endswith("-") and held[-2:-1].isalpha() and line[:1].islower():
                held = held[:-1] + line  # a word parted at the line's end
            else:
                held = f"{held} {line}".strip()
                if line.endswith((".", "!", "?", "…", "”", '"')) and len(line) < 0.7 * _usual(lines):
                    close()  # a short last line ends a paragraph
        # a page's end ends a paragraph only when the text does, too
        if held.endswith((".", "!", "?", "…")):
            close()
    close()
    return parts


def _usual(lines: list[str]) -> int:
    lengths = sorted(len(line) for line in lines if line)
    return lengths[3 * len(lengths) // 4] if lengths else 0


def _running(pages: list[list[str]]) -> set[str]:
    """Lines that stand at the edge of a third of all pages or more: running heads and feet."""
    edges: Counter[str] = Counter()
    for page in pages:
        lines = [line for line in page if line and not _NUMBER.match(line)]
        if len(lines) >= 3:
            edges.update({lines[0], lines[-1]})
    return {line for line, n in edges.items() if n >= 3 and n >= len(pages) / 3}
