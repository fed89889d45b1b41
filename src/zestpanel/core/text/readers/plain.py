"""Plain text and Markdown; the encoding is found and said."""

from __future__ import annotations

import re
from typing import Final

from zestpanel.core.domain.passage import clean_text
from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.dialogue import dialogue_of
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.texts import tr

_FRONT: Final = re.compile(r"\A---\n.*?\n---\n", re.DOTALL)
_NOTE: Final = re.compile(r"^\[\^[^\[\]\n]+\]:[ \t]*(.+)$", re.MULTILINE)
_HEADING: Final = re.compile(r"^#{1,6}[ \t]+(\S.*)$", re.MULTILINE)


def decoded(data: bytes, name: str) -> tuple[str, str]:
    """(text, the encoding's name). Raises TextError for bytes that are no text."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return data.decode("utf-16"), "UTF-16"
        except UnicodeDecodeError as error:
            raise TextError(tr("{name} is not text.", name=name), kept=tr("Nothing was imported.")) from error
    if b"\0" in data[:4096]:
        raise TextError(tr("{name} is not text.", name=name), kept=tr("Nothing was imported."))
    try:
        return data.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        pass
    from charset_normalizer import from_bytes  # loaded where it is needed

    found = from_bytes(data[:200_000]).best()
    encoding = found.encoding if found is not None else "cp1252"
    if encoding in ("cp1250", "cp1252", "latin_1", "iso8859_15", "mac_roman", "cp1254", "cp1257", "hp_roman8"):
        encoding = "cp1252" if b"\x81" not in data else encoding  # alike for our languages; the usual one of them
    return data.decode(encoding, errors="replace"), encoding.replace("_", "-").upper()


def read_plain(data: bytes, name: str) -> Script:
    """Paragraphs, or the lines of a dialogue with their speakers."""
    text, encoding = decoded(data, name)
    paragraphs = [p for p in re.split(r"\n\s*\n", clean_text(text)) if p.strip()]
    spoken = dialogue_of(paragraphs)
    parts = spoken or tuple(Part(text=p) for p in paragraphs)
    return Script(parts=parts, how=tr("{encoding}, a dialogue", encoding=encoding) if spoken else encoding)


def read_markdown(data: bytes, name: str) -> Script:
    """What is meant to be read; front matter, headings and notes are parts of their own kinds."""
    text, encoding = decoded(data, name)
    text = clean_text(text)
    parts: list[Part] = []
    front = _FRONT.match(text + "\n")
    if front:
        parts.append(Part(text=front.group(0).strip("-\n "), kind="front matter"))
        text = text[front.end() :]
    notes = [Part(text=m.group(1).strip(), kind="footnote") for m in _NOTE.finditer(text)]
    text = re.sub(r"\[\^[^\[\]\n]+\](?!:)", "", _NOTE.sub("", text))
    for block in re.split(r"\n\s*\n", _HEADING.sub(lambda m: f"\n\n\0{m.group(1)}\n\n", _without_code(text))):
        if block.strip().startswith("\0"):
            parts.append(Part(text=block.strip().lstrip("\0").rstrip("# \t"), kind="heading"))
        else:
            plain = clean_text(plain_from_markdown(block))
            parts += [Part(text=p) for p in re.split(r"\n\s*\n", plain) if p.strip()]
    return Script(parts=tuple(parts + notes), how=tr("Markdown, {encoding}", encoding=encoding))


def _without_code(text: str) -> str:
    return re.sub(r"^(```|~~~).*?^\1[^\n]*$", "", text, flags=re.DOTALL | re.MULTILINE)


def _without_remarks(text: str) -> str:
    """Text without its <!-- remarks -->; one without an end is left as it stands."""
    out, at = [], 0
    while (begin := text.find("<!--", at)) >= 0 and (end := text.find("-->", begin)) >= 0:
        out.append(text[at:begin])
        at = end + 3
    return "".join([*out, text[at:]])


def plain_from_markdown(text: str) -> str:
    """What is meant to be read of a Markdown script: no front matter, code, marks, link addresses or headings' #."""
    text = re.sub(r"\A---\n.*?\n---\n", "", text, flags=re.DOTALL)
    text = re.sub(r"^(```|~~~).*?^\1[^\n]*$", "", text, flags=re.DOTALL | re.MULTILINE)
    text = _without_remarks(text)
    # a bracket within brackets ends the look for their end, so that no text is gone through again from each of them
    text = re.sub(r"!\[[^\[\]]*\]\([^()]*\)", "", text)
    text = re.sub(r"\[([^\[\]]+)\]\([^()]*\)", r"\1", text)
    text = re.sub(r"^#{1,6}[ \t]+.*$", "", text, flags=re.MULTILINE)
    text = re.sub(r"^[ ]{0,3}(?:[-*+]|>)[ \t]+", "", text, flags=re.MULTILINE)
    text = re.sub(r"(\*\*|__|\*|`)(?=\S)(.{1,300}?)(?<=\S)\1", r"\2", text)
    return re.sub(r"^[ \t]*([-*_])(?:[ \t]*\1){2,}[ \t]*$", "", text, flags=re.MULTILINE)
