"""Hard parts of the passages: found by rule, corrected by a person; corrections belong to a text, not to a title."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zestpanel.core.passages.difficulty import KINDS, kinds_of
from zestpanel.core.passages.passage import Passage
from zestpanel.core.project.documents import Documents

_DOCUMENT: Final = "hard parts"


class HardParts:
    def __init__(self, documents: Documents) -> None:
        self._documents = documents

    def _corrections(self, passage: Passage) -> dict[str, bool]:
        found: dict[str, bool] = (self._documents.get(_DOCUMENT) or {}).get(passage.sha256, {})
        return found

    def kinds(self, passage: Passage) -> list[str]:
        """Kinds of hard parts, in the order of KINDS."""
        corrections = self._corrections(passage)
        return kinds_of(
            passage.text,
            passage.language,
            added=[kind for kind, present in corrections.items() if present],
            removed=[kind for kind, present in corrections.items() if not present],
        )

    def correct(self, passage: Passage, kind: str, present: bool) -> None:
        """Say that a kind is there, or is not, whatever the rules find; saying what they find takes it back."""
        corrections = dict(self._corrections(passage))
        if (kind in kinds_of(passage.text, passage.language)) == present:
            corrections.pop(kind, None)
        else:
            corrections[kind] = present
        every = {**(self._documents.get(_DOCUMENT) or {}), passage.sha256: corrections}
        self._documents.put(_DOCUMENT, {sha: kept for sha, kept in every.items() if kept})

    def coverage(self, passages: Sequence[Passage]) -> tuple[list[str], list[str]]:
        """(kinds that occur in the set, kinds that do not)."""
        found = {kind for passage in passages for kind in self.kinds(passage)}
        return [kind for kind in KINDS if kind in found], [kind for kind in KINDS if kind not in found]
