"""Hard parts of the passages: found by rule, corrected by a person; corrections belong to a text, not to a title."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zestpanel.core.domain.passage import Passage
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.text.difficulty import KINDS, kinds_of

# by the hash of a text: what a person says of its kinds, whatever the rules find
_CORRECTIONS: Final[Stored[dict[str, dict[str, bool]]]] = Stored("hard parts", dict[str, dict[str, bool]], {})


class HardParts:
    def __init__(self, documents: Documents) -> None:
        self._documents = documents
        self._by_rule: dict[tuple[str, str], frozenset[str]] = {}  # by the text and its language

    def _corrections(self) -> dict[str, dict[str, bool]]:
        return _CORRECTIONS.read(self._documents)

    def kinds(self, passage: Passage) -> list[str]:
        """Kinds of hard parts, in the order of KINDS."""
        return self.of([passage])[passage.version_id]

    def of(self, passages: Sequence[Passage]) -> dict[int, list[str]]:
        """Kinds of hard parts of each, by the number of its version; what was corrected is read once."""
        corrections = self._corrections()
        out = {}
        for passage in passages:
            corrected = corrections.get(passage.sha256, {}) if corrections else {}
            found = set(self._found(passage)) | {kind for kind, present in corrected.items() if present}
            found -= {kind for kind, present in corrected.items() if not present}
            out[passage.version_id] = [kind for kind in KINDS if kind in found]
        return out

    def is_known(self, passage: Passage) -> bool:
        """Whether its kinds are told at once: they were looked for before."""
        return (passage.text, passage.language) in self._by_rule

    def _found(self, passage: Passage) -> frozenset[str]:
        key = (passage.text, passage.language)
        if key not in self._by_rule:
            self._by_rule[key] = frozenset(kinds_of(passage.text, passage.language))
        return self._by_rule[key]

    def correct(self, passage: Passage, kind: str, present: bool) -> None:
        """Say that a kind is there, or is not, whatever the rules find; saying what they find takes it back."""
        before = self._corrections()
        corrections = dict(before.get(passage.sha256, {}))
        if (kind in self._found(passage)) == present:
            corrections.pop(kind, None)
        else:
            corrections[kind] = present
        every = {**before, passage.sha256: corrections}
        _CORRECTIONS.write(self._documents, {sha: kept for sha, kept in every.items() if kept})
