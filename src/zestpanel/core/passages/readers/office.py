"""Word-processor files (.docx, .odt)."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from typing import Any, Final

from zestpanel.core.errors import TextError
from zestpanel.core.passages.readers.packed import member, open_packed, xml_of
from zestpanel.core.passages.readers.script import Kind, Part, Script

_KEPT: Final = "Nothing was imported."


def read_docx(data: bytes, name: str) -> Script:
    """Paragraphs in order, tables' cells too; headings and captions by their styles, footnotes at the end."""
    archive = open_packed(data, name)
    import docx  # loaded where it is needed
    from docx.opc.exceptions import OpcError

    try:
        document = docx.Document(io.BytesIO(data))
    except (OpcError, KeyError, ValueError, SyntaxError) as error:
        raise TextError(f"{name} is no Word document, or a damaged one.", kept=_KEPT) from error
    parts = [
        Part(text=paragraph.text.strip(), kind=_kind_of_style(paragraph.style.name if paragraph.style else ""))
        for paragraph in _paragraphs(document)
        if paragraph.text.strip()
    ]
    if "word/footnotes.xml" in archive.namelist():
        space = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"
        for note in xml_of(member(archive, "word/footnotes.xml", name), name).iter(f"{space}footnote"):
            text = "".join(t.text or "" for t in note.iter(f"{space}t")).strip()
            if text:
                parts.append(Part(text=text, kind="footnote"))
    return Script(parts=tuple(parts), how="Word document")


def _paragraphs(document: Any) -> Iterator[Any]:
    """Body paragraphs and those of tables, in the order of the document."""
    for item in document.iter_inner_content():
        if hasattr(item, "rows"):
            seen: set[int] = set()
            for row in item.rows:
                for cell in row.cells:
                    if id(cell._tc) not in seen:  # a merged cell is met once for each column it spans
                        seen.add(id(cell._tc))
                        yield from cell.paragraphs
        else:
            yield item


def _kind_of_style(style: str | None) -> Kind:
    words = (style or "").lower()
    if words.startswith(("heading", "title", "subtitle", "toc")):
        return "heading"
    return "caption" if "caption" in words else "paragraph"


_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"


def read_odt(data: bytes, name: str) -> Script:
    """OpenDocument text (ISO/IEC 26300): paragraphs, headings, notes; deleted passages under tracking are left out."""
    archive = open_packed(data, name)
    root = xml_of(member(archive, "content.xml", name), name)
    body = root.find(f"{_OFFICE}body/{_OFFICE}text")
    if body is None:
        raise TextError(f"{name} is no OpenDocument text.", kept=_KEPT)
    parts: list[Part] = []
    notes: list[Part] = []
    skipped = {id(e) for tracked in body.iter(f"{_TEXT}tracked-changes") for e in tracked.iter()}
    inside = {id(e) for note in body.iter(f"{_TEXT}note") for e in note.iter()}
    for element in body.iter():
        if id(element) in skipped or element.tag not in (f"{_TEXT}p", f"{_TEXT}h"):
            continue
        text = re.sub(r"[ \t\n]+", " ", _odt_text(element)).strip()
        if not text:
            continue
        if id(element) in inside:
            notes.append(Part(text=text, kind="footnote"))
        else:
            parts.append(Part(text=text, kind="heading" if element.tag.endswith("}h") else "paragraph"))
    return Script(parts=tuple(parts + notes), how="OpenDocument text")


def _odt_text(element: Any) -> str:
    """An element's own text: spaces and line breaks are elements, notes within it are parts of their own."""
    out = element.text or ""
    for child in element:
        if child.tag == f"{_TEXT}s":
            out += " " * int(child.get(f"{_TEXT}c", "1"))
        elif child.tag in (f"{_TEXT}tab", f"{_TEXT}line-break"):
            out += " "
        elif child.tag != f"{_TEXT}note":
            out += _odt_text(child)
        out += child.tail or ""
    return out
