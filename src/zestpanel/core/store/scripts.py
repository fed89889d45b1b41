"""The channel's own scripts, kept whole as they were imported: what the picker chooses from and coverage is held to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from zestpanel.core.store.database import now
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptScript:
    """number: its own for ever. characters: of its text. source: file or address. rights: as of passages."""

    number: int
    name: str
    language: str
    characters: int
    rights: str = ""
    source: str = ""
    added: str = ""


_SCRIPTS: Final[Stored[tuple[KeptScript, ...]]] = Stored("scripts", tuple[KeptScript, ...], ())
_TEXT: Final[Stored[str]] = Stored("script ", str, "")


class Scripts:
    def __init__(self, documents: Documents) -> None:
        self._documents = documents

    def all(self) -> list[KeptScript]:
        return list(_SCRIPTS.read(self._documents))

    def keep(self, name: str, text: str, *, language: str, rights: str = "", source: str = "") -> KeptScript:
        """Keep a script; the same name with another text takes the earlier one's place. Safe from many threads."""
        with self._documents.alone():
            return self._keep(name, text, language=language, rights=rights, source=source)

    def _keep(self, name: str, text: str, *, language: str, rights: str, source: str) -> KeptScript:
        known = self.all()
        number = max((one.number for one in known), default=0) + 1
        for one in known:
            if one.name == name:
                _TEXT.of(one.number).forget(self._documents)
        kept = KeptScript(number=number, name=name, language=language, characters=len(text), rights=rights,
                          source=source, added=now())  # fmt: skip
        _TEXT.of(number).write(self._documents, text)
        _SCRIPTS.write(self._documents, (*(one for one in known if one.name != name), kept))
        return kept

    def text(self, number: int) -> str:
        return _TEXT.of(number).read(self._documents)

    def by_language(self) -> dict[str, str]:
        """All text by primary language."""
        out: dict[str, str] = {}
        for script in self.all():
            primary = script.language.split("-")[0].lower()
            out[primary] = f"{out.get(primary, '')}\n\n{self.text(script.number)}".strip()
        return out
