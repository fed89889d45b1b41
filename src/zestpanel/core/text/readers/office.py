"""Word-processor files (.docx, .odt)."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from typing import Any, Final

from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.packed import member, open_packed, xml_of
from zestpanel.core.text.readers.script import Kind, Part, Script
from zestpanel.core.texts import tr

_KEPT: Final = tr("Nothing was imported.")


def read_docx(data: bytes, name: str) -> Script:
    """Paragraphs in order, tables' cells too; headings and captions by their styles, footnotes at the end."""
    archive = open_packed(data, name)
    import docx  # loaded where it is needed
    from docx.opc.exceptions import OpcError
    from docx.text.paragraph import Paragraph

    try:
        document = docx.Document(io.BytesIO(data))
    except (OpcError, KeyError, ValueError, SyntaxError) as error:
        raise TextError(tr("{name} is no Word document, or a damaged one.", name=name), kept=_KEPT) from error
    kinds = {style.style_id: _kind_of_style(style.name) for style in document.styles}
    parts = []
    for element in _paragraphs(document.element.body):
        text = Paragraph(element, document).text.strip()
        if text:
            parts.append(Part(text=text, kind=kinds.get(element.style or "", "paragraph")))
    if "word/footnotes.xml" in archive.namelist():
        for note in xml_of(member(archive, "word/footnotes.xml", name), name).iter(f"{_WORD}footnote"):
            text = "".join(t.text or "" for t in note.iter(f"{_WORD}t")).strip()
            if text:
                parts.append(Part(text=text, kind="footnote"))
    return Script(parts=tuple(parts), how=tr("Word document"))


_WORD: Final = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"


def _paragraphs(body: Any) -> Iterator[Any]:
    """Body paragraphs and those of tables' cells, in the order of the document; a merged cell is met once."""
    for item in body:
        if item.tag == f"{_WORD}p":
            yield item
        elif item.tag == f"{_WORD}tbl":
            for paragraph in item.iter(f"{_WORD}p"):
                if paragraph.getparent().tag == f"{_WORD}tc":
                    yield paragraph


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
        raise TextError(tr("{name} is no OpenDocument text.", name=name), kept=_KEPT)
    parts: list[Part] = []
    notes: list[Part] = []
    for kind, words in _odt_blocks(body):
        text = re.sub(r"[ \t\n]+", " ", words).strip()
        if text:
            (notes if kind == "footnote" else parts).append(Part(text=text, kind=kind))
    return Script(parts=tuple(parts + notes), how=tr("OpenDocument text"))


_MOST_SPACES: Final = 1_000


def _odt_blocks(body: Any) -> Iterator[tuple[Kind, str]]:
    """Each paragraph and heading with its own text. Spaces and line breaks are elements; what stands in it as a block
    of its own (a note, a box) is one by itself. Goes through the tree once, however deep it is."""
    held: list[tuple[Kind, list[str]]] = []
    notes = 0
    steps: list[tuple[str, Any]] = [("in", body)]
    while steps:
        step, element = steps.pop()
        if step == "tail":
            if held:
                held[-1][1].append(element.tail or "")
        elif step == "note ends":
            notes -= 1
        elif step == "ends":
            kind, words = held.pop()
            yield kind, "".join(words)
        elif element.tag != f"{_TEXT}tracked-changes":
            if element.tag in (f"{_TEXT}p", f"{_TEXT}h"):
                kind = "footnote" if notes else "heading" if element.tag.endswith("}h") else "paragraph"
                held.append((kind, [element.text or ""]))
                steps.append(("ends", element))
            elif element.tag == f"{_TEXT}note":
                notes += 1
                steps.append(("note ends", element))
            elif held:
                held[-1][1].append(_odt_sign(element) + (element.text or ""))
            for child in reversed(element):
                steps += [("tail", child), ("in", child)]


def _odt_sign(element: Any) -> str:
    if element.tag == f"{_TEXT}s":
        count = element.get(f"{_TEXT}c", "1")
        return " " * min(int(count), _MOST_SPACES) if count.isdecimal() and len(count) < 9 else " "
    return " " if element.tag in (f"{_TEXT}tab", f"{_TEXT}line-break") else ""
