"""The pronunciation list to and from PLS (W3C Recommendation "Pronunciation Lexicon Specification 1.0", 2008)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final, NoReturn
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

from zestpanel.core.errors import InputError
from zestpanel.core.text.lexicon.lexicon import Entry, checked
from zestpanel.core.text.standards.schema import departure
from zestpanel.core.texts import tr

NAMESPACE: Final = "http://www.w3.org/2005/01/pronunciation-lexicon"


def to_pls(entries: Sequence[Entry], language: str) -> str:
    """A document with the entries of a language. A lexeme that has both keeps sounds first, its respelling as alias."""
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<lexicon version="1.0" xmlns="{NAMESPACE}" alphabet="ipa" xml:lang={quoteattr(language)}>',
    ]
    for entry in entries:
        if entry.language.lower() != language.lower() or entry.engine:
            continue
        lines.append("  <lexeme>")
        lines.append(f"    <grapheme>{escape(entry.word)}</grapheme>")
        if entry.ipa:
            lines.append(f"    <phoneme>{escape(entry.ipa)}</phoneme>")
        if entry.respelling:
            lines.append(f"    <alias>{escape(entry.respelling)}</alias>")
        lines.append("  </lexeme>")
    return "\n".join([*lines, "</lexicon>"]) + "\n"


@dataclass
class _Lexeme:
    graphemes: list[str] = field(default_factory=list)
    phonemes: list[tuple[str, bool]] = field(default_factory=list)
    aliases: list[tuple[str, bool]] = field(default_factory=list)


class _Reader:
    def __init__(self, what: str) -> None:
        self.what, self.language, self.alphabet = what, "", "ipa"
        self.stack: list[tuple[str, dict[str, str]]] = []
        self.text: list[str] = []
        self.lexeme = _Lexeme()
        self.entries: list[Entry] = []
        self.parser = expat.ParserCreate("utf-8")
        self.parser.StartElementHandler = self.start
        self.parser.EndElementHandler = self.end
        self.parser.CharacterDataHandler = self.data

    def fail(self, why: str, line: int | None = None) -> NoReturn:
        raise InputError(
            tr("{what}, line {currentlinenumber}: {why}.", what=self.what,
               currentlinenumber=self.parser.CurrentLineNumber if line is None else line, why=why),
            kept=tr("The list is as it was."),
        )  # fmt: skip

    def read(self, source: str) -> list[Entry]:
        if (found := departure(source, "pls-1.0", NAMESPACE)) is not None:
            self.fail(found[1], found[0])
        self.parser.Parse(source.encode("utf-8", "replace"), True)
        return self.entries

    def start(self, name: str, attributes: dict[str, str]) -> None:
        name = name.rpartition(":")[2]  # of PLS, whatever prefix stands for it here
        if self.stack and self.stack[-1][0] == "metadata":
            name, attributes = "metadata", {}
        elif not self.stack:
            if name != "lexicon":
                self.fail(tr("the root is <{name}>, a pronunciation list begins with <lexicon>", name=name))
            if attributes.get("version") != "1.0":
                self.fail(tr("version 1.0 is needed"))
            self.language, self.alphabet = attributes["xml:lang"], attributes["alphabet"]
            if not self.language:
                self.fail(tr("<{name}> needs the attribute '{required}'", name="lexicon", required="xml:lang"))
        elif name == "lexeme":
            self.lexeme = _Lexeme()
        self.stack.append((name, attributes))
        self.text = []

    def data(self, data: str) -> None:
        self.text.append(data)

    def end(self, name: str) -> None:
        opened, attributes = self.stack.pop()
        text, self.text = " ".join("".join(self.text).split()), []
        preferred = attributes.get("prefer", "").strip() in ("true", "1")
        if opened == "grapheme":
            self.lexeme.graphemes.append(text)
        elif opened == "phoneme":
            alphabet = attributes.get("alphabet", self.alphabet)
            if alphabet != "ipa":
                self.fail(tr("sounds in the alphabet '{alphabet}' cannot be read, only in ipa", alphabet=alphabet))
            self.lexeme.phonemes.append((text, preferred))
        elif opened == "alias":
            self.lexeme.aliases.append((text, preferred))
        elif opened == "lexeme":
            self._close_lexeme()

    def _close_lexeme(self) -> None:
        one = self.lexeme
        if not one.graphemes:
            self.fail(tr("a lexeme has no grapheme"))
        if not one.phonemes and not one.aliases:
            self.fail(tr("'{graphemes}' has neither phoneme nor alias", graphemes=one.graphemes[0]))
        for word in one.graphemes:
            try:
                self.entries.append(
                    checked(
                        Entry(
                            word=word,
                            language=self.language,
                            ipa=_preferred(one.phonemes),
                            respelling=_preferred(one.aliases),
                        )
                    )
                )
            except InputError as error:
                self.fail(error.what.rstrip("."))


def _preferred(found: list[tuple[str, bool]]) -> str:
    """The one that is preferred, else the first (PLS 1.0, 4.6)."""
    return next((text for text, preferred in found if preferred), found[0][0] if found else "")


def from_pls(source: str, what: str = tr("The list")) -> list[Entry]:
    """Entries of a document. Raises InputError with line and reason."""
    return _Reader(what).read(source)
