"""The channel's own scripts, kept whole as they were imported: what the picker chooses from and coverage is held to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

from zestpanel.core.store.database import now
from zestpanel.core.store.documents import Documents

_LIST: Final = "scripts"


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


class Scripts:
    def __init__(self, documents: Documents) -> None:
        self._documents = documents

    def _rows(self) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = self._documents.get(_LIST) or []
        return rows

    def all(self) -> list[KeptScript]:
        return [KeptScript(**row) for row in self._rows()]

    def keep(self, name: str, text: str, *, language: str, rights: str = "", source: str = "") -> KeptScript:
        """Keep a script; the same name with another text takes the earlier one's place. Safe from many threads."""
        with self._documents.alone():
            return self._keep(name, text, language=language, rights=rights, source=source)

    def _keep(self, name: str, text: str, *, language: str, rights: str, source: str) -> KeptScript:
        rows = [row for row in self._rows() if row["name"] != name]
        number = max((row["number"] for row in self._rows()), default=0) + 1
        for row in self._rows():
            if row["name"] == name:
                self._documents.put(f"script {row['number']}", None)
        kept = KeptScript(number=number, name=name, language=language, characters=len(text), rights=rights,
                          source=source, added=now())  # fmt: skip
        self._documents.put(f"script {number}", text)
        self._documents.put(_LIST, [*rows, {n: getattr(kept, n) for n in KeptScript.__dataclass_fields__}])
        return kept

    def text(self, number: int) -> str:
        return str(self._documents.get(f"script {number}") or "")

    def by_language(self) -> dict[str, str]:
        """All text by primary language."""
        out: dict[str, str] = {}
        for script in self.all():
            primary = script.language.split("-")[0].lower()
            out[primary] = f"{out.get(primary, '')}\n\n{self.text(script.number)}".strip()
        return out
