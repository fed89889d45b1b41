"""Entries of the pronunciation list and where they hit in a text."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from zestpanel.core.errors import InputError
from zestpanel.core.text.lexicon.ipa import unknown_symbols
from zestpanel.core.texts import tr, trn


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """How a word is said. ipa: its sounds; respelling: other letters for engines that take no sounds.

    engine: '' for all; an entry for one engine goes before the general one.
    """

    word: str
    language: str
    ipa: str = ""
    respelling: str = ""
    engine: str = ""
    note: str = ""
    id: int = 0


@dataclass(frozen=True, slots=True)
class Hit:
    start: int
    end: int
    entry: Entry


def checked(entry: Entry) -> Entry:
    """The entry, tidied. Raises InputError: no word, neither sounds nor respelling, or a sign that is not IPA."""
    word, ipa = " ".join(entry.word.split()), entry.ipa.strip().strip("/[]").strip()
    respelling = " ".join(entry.respelling.split())
    if not any(c.isalnum() for c in word):
        raise InputError(tr("An entry needs a word."), kept=tr("The list is as it was."))
    if not ipa and not respelling:
        raise InputError(
            tr("'{word}' has neither sounds nor a respelling.", word=word),
            kept=tr("The list is as it was."),
            remedy=tr("Give it one of the two."),
        )
    if odd := unknown_symbols(ipa):
        raise InputError(
            trn(
                "'{word}': {odd} is no sign of the IPA.",
                "'{word}': {odd} are no signs of the IPA.",
                len(odd),
                word=word,
                odd=", ".join(odd),
            ),
            kept=tr("The list is as it was."),
            remedy=tr("Take the sounds from the chart, or give a respelling."),
        )
    return Entry(word=word, language=entry.language, ipa=ipa, respelling=respelling, engine=entry.engine,
                 note=entry.note.strip(), id=entry.id)  # fmt: skip


def entries_for(entries: Sequence[Entry], language: str, engine: str) -> list[Entry]:
    """The entries that hold for a language ('en' holds for 'en-GB' too) and an engine; the closer one wins."""
    best: dict[str, tuple[int, Entry]] = {}
    for entry in entries:
        if entry.engine not in ("", engine) or not _speaks(entry.language, language):
            continue
        closeness = 2 * (entry.engine == engine and bool(engine)) + (entry.language.lower() == language.lower())
        if entry.word not in best or closeness > best[entry.word][0]:
            best[entry.word] = (closeness, entry)
    return [entry for _, entry in best.values()]


def _speaks(stated: str, language: str) -> bool:
    stated, language = stated.lower(), language.lower()
    return stated == language or stated == language.split("-")[0]


def hits(text: str, entries: Sequence[Entry]) -> list[Hit]:
    """Where entries stand in a text: whole words, the longest first, none over another.

    An entry in small letters is found in any case; one with capitals only as written ('Nice' is not 'nice').
    """
    found: list[Hit] = []
    taken: list[tuple[int, int]] = []
    lowered = text.lower()
    for entry in sorted(entries, key=lambda e: (-len(e.word), e.word == e.word.lower())):
        if entry.word.lower() not in lowered:
            continue
        flags = re.IGNORECASE if entry.word == entry.word.lower() else 0
        for match in re.finditer(rf"(?<![\w]){re.escape(entry.word)}(?![\w])", text, flags):
            if not any(a < match.end() and match.start() < b for a, b in taken):
                taken.append(match.span())
                found.append(Hit(*match.span(), entry))
    return sorted(found, key=lambda hit: hit.start)
