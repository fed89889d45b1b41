"""Web pages and e-books (.html, .epub): what is meant to be read, without menus and scripts."""

from __future__ import annotations

import posixpath
import re
from typing import Any, Final
from urllib.parse import unquote

from bs4 import BeautifulSoup

from zestpanel.core.errors import TextError
from zestpanel.core.passages.readers.packed import member, open_packed, xml_of
from zestpanel.core.passages.readers.script import Kind, Part, Script

_NOT_READ: Final = ("script", "style", "template", "noscript", "nav", "svg", "form", "button", "select", "head")
_WHOLE: Final = ("p", "li", "blockquote", "dd", "dt", "td", "th", "pre", "h1", "h2", "h3", "h4", "h5", "h6",
                 "figcaption", "caption", "aside", "footer", "header", "address")  # fmt: skip


def read_html(data: bytes, name: str) -> Script:
    """Paragraphs, headings, captions and notes of a page; its encoding is found as browsers find it."""
    soup = BeautifulSoup(data, "html.parser")
    language = ""
    if soup.html is not None:
        stated = soup.html.get("lang")
        language = stated if isinstance(stated, str) else ""
    return Script(parts=tuple(_parts(soup)), how=f"web page, {soup.original_encoding or 'UTF-8'}", language=language)


def _parts(soup: Any) -> list[Part]:
    for tag in soup(_NOT_READ):
        tag.decompose()
    for line_break in soup("br"):
        line_break.replace_with(" ")
    out = []
    for tag in soup.find_all(_WHOLE):
        if tag.find(_WHOLE) is not None:
            continue  # its inner parts are met by themselves
        text = re.sub(r"\s+", " ", tag.get_text()).strip()
        if text:
            out.append(Part(text=text, kind=_kind(tag)))
    if not out:  # a page without paragraphs: its bare text
        text = re.sub(r"[ \t]+", " ", soup.get_text("\n")).strip()
        out = [Part(text=line.strip()) for line in re.split(r"\n\s*\n", text) if line.strip()]
    return out


def _kind(tag: Any) -> Kind:
    words = " ".join(
        [tag.get("id") or "", *(tag.get("class") or []), tag.get("epub:type") or "", tag.get("role") or ""]
    )
    if re.search(r"foot-?note|endnote|doc-endnote", words.lower()) or tag.find_parent("aside") or tag.name == "aside":
        return "footnote"
    if tag.name in ("figcaption", "caption"):
        return "caption"
    if re.fullmatch(r"h[1-6]", tag.name):
        return "heading"
    return "front matter" if tag.name in ("header", "footer") or tag.find_parent(["header", "footer"]) else "paragraph"


_CONTAINER = "{urn:oasis:names:tc:opendocument:xmlns:container}"
_OPF = "{http://www.idpf.org/2007/opf}"
_DC = "{http://purl.org/dc/elements/1.1/}"


def read_epub(data: bytes, name: str) -> Script:
    """An e-book's documents in reading order (EPUB 3, W3C: container, package, spine)."""
    archive = open_packed(data, name)
    if "META-INF/encryption.xml" in archive.namelist():
        raise TextError(f"{name} is locked by its seller.", kept="Nothing was imported.")
    container = xml_of(member(archive, "META-INF/container.xml", name), name)
    root = next((e.get("full-path", "") for e in container.iter(f"{_CONTAINER}rootfile")), "")
    package = xml_of(member(archive, root, name), name)
    items = {e.get("id"): e for e in package.iter(f"{_OPF}item")}
    language = next((e.text or "" for e in package.iter(f"{_DC}language")), "")
    parts: list[Part] = []
    documents = 0
    for reference in package.iter(f"{_OPF}itemref"):
        item = items.get(reference.get("idref"))
        if item is None or "nav" in (item.get("properties") or "") or "html" not in (item.get("media-type") or ""):
            continue
        path = posixpath.normpath(posixpath.join(posixpath.dirname(root), unquote(item.get("href") or "")))
        parts += _parts(BeautifulSoup(member(archive, path, name), "html.parser"))
        documents += 1
    return Script(parts=tuple(parts), how=f"e-book, {documents} documents", language=language)
