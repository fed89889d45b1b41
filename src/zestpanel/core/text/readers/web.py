"""Web pages and e-books (.html, .epub): what is meant to be read, without menus and scripts."""

from __future__ import annotations

import posixpath
import re
from typing import Any, Final
from urllib.parse import unquote

from bs4.dammit import UnicodeDammit
from lxml import etree

from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.packed import LARGEST_UNPACKED, member, open_packed, xml_of
from zestpanel.core.text.readers.script import Kind, Part, Script
from zestpanel.core.texts import tr

_NOT_READ: Final = frozenset({"script", "style", "template", "noscript", "nav", "svg", "form", "button", "select",
                              "head"})  # fmt: skip
_WHOLE: Final = frozenset({"p", "li", "blockquote", "dd", "dt", "td", "th", "pre", "h1", "h2", "h3", "h4", "h5", "h6",
                           "figcaption", "caption", "aside", "footer", "header", "address"})  # fmt: skip
_APART: Final = frozenset({"div", "section", "article", "main", "ul", "ol", "dl", "table", "tr", "figure", "body"})


def read_html(data: bytes, name: str) -> Script:  # noqa: ARG001 as every reader is called
    """Paragraphs, headings, captions and notes of a page; its encoding is found as browsers find it."""
    dammit = UnicodeDammit(data, is_html=True)
    page = _Page(dammit.unicode_markup or "")
    return Script(
        parts=tuple(page.parts),
        how=tr("web page, {original_encoding}", original_encoding=dammit.original_encoding or "UTF-8"),
        language=page.language,
    )


class _Page:
    """One walk over a page: what stands in a paragraph, heading, cell or the like is a part of its own. What stands in
    none of them is read only where there is nothing else."""

    def __init__(self, markup: str) -> None:
        self.language = ""
        self._whole: list[Part] = []
        self._bare: list[Part] = []
        self._stack: list[tuple[str, Kind]] = []
        self._held: list[str] = []
        self._unread = 0
        # libxml2 ends at 256 levels of its own accord
        root = etree.fromstring(markup.encode("utf-8", "replace"), etree.HTMLParser(encoding="utf-8"))
        if root is not None:
            for event, element in etree.iterwalk(root, events=("start", "end", "comment", "pi")):
                if event == "start":
                    self._start(element)
                elif event == "end":
                    self._end(element)
                if event != "start" and not self._unread:
                    self._held.append(element.tail or "")
            self._flush()
        self.parts = self._whole or self._bare

    def _start(self, element: Any) -> None:
        name = element.tag
        if name == "html":
            self.language = element.get("lang") or ""
        if self._unread or name in _NOT_READ:
            self._unread += 1
            return
        if name in _WHOLE or name in _APART:
            self._flush()
        if name in _WHOLE:
            self._stack.append((name, self._kind(element)))
        self._held.append(" " if name == "br" else element.text or "")

    def _end(self, element: Any) -> None:
        if self._unread:
            self._unread -= 1
            return
        if element.tag in _WHOLE or element.tag in _APART:
            self._flush()
        if element.tag in _WHOLE:
            self._stack.pop()

    def _flush(self) -> None:
        raw, self._held = "".join(self._held), []
        if self._stack:
            text = re.sub(r"\s+", " ", raw).strip()
            if text:
                self._whole.append(Part(text=text, kind=self._stack[-1][1]))
        else:
            paragraphs = (re.sub(r"[ \t]+", " ", piece).strip() for piece in re.split(r"\n\s*\n", raw))
            self._bare += [Part(text=text) for text in paragraphs if text]

    def _kind(self, element: Any) -> Kind:
        said = " ".join(element.get(name) or "" for name in ("id", "class", "epub:type", "role")).lower()
        around = {name for name, _ in self._stack} | {element.tag}
        if re.search(r"foot-?note|endnote|doc-endnote", said) or "aside" in around:
            return "footnote"
        if element.tag in ("figcaption", "caption"):
            return "caption"
        if re.fullmatch(r"h[1-6]", element.tag):
            return "heading"
        return "front matter" if around & {"header", "footer"} else "paragraph"


_KEPT: Final = tr("Nothing was imported.")
_CONTAINER = "{urn:oasis:names:tc:opendocument:xmlns:container}"
_OPF = "{http://www.idpf.org/2007/opf}"
_DC = "{http://purl.org/dc/elements/1.1/}"


def read_epub(data: bytes, name: str) -> Script:
    """An e-book's documents in reading order (EPUB 3, W3C: container, package, spine)."""
    archive = open_packed(data, name)
    if "META-INF/encryption.xml" in archive.namelist():
        raise TextError(tr("{name} is locked by its seller.", name=name), kept=tr("Nothing was imported."))
    container = xml_of(member(archive, "META-INF/container.xml", name), name)
    root = next((e.get("full-path", "") for e in container.iter(f"{_CONTAINER}rootfile")), "")
    package = xml_of(member(archive, root, name), name)
    items = {e.get("id"): e for e in package.iter(f"{_OPF}item")}
    language = next((e.text or "" for e in package.iter(f"{_DC}language")), "")
    parts: list[Part] = []
    read: set[str] = set()
    size = 0
    for reference in package.iter(f"{_OPF}itemref"):
        item = items.get(reference.get("idref"))
        if item is None or "nav" in (item.get("properties") or "") or "html" not in (item.get("media-type") or ""):
            continue
        path = posixpath.normpath(posixpath.join(posixpath.dirname(root), unquote(item.get("href") or "")))
        if path in read:
            continue
        read.add(path)
        data = member(archive, path, name)
        size += len(data)
        if size > LARGEST_UNPACKED:
            raise TextError(
                tr(
                    "{name} would unpack to more than {largest_unpacked} MB.",
                    name=name,
                    largest_unpacked=LARGEST_UNPACKED // 1_000_000,
                ),
                kept=_KEPT,
            )
        parts += _Page(UnicodeDammit(data, is_html=True).unicode_markup or "").parts
    return Script(parts=tuple(parts), how=tr("e-book, {read} documents", read=len(read)), language=language)
