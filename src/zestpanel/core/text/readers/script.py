"""What a reader gives: the parts of a script in order, each with its kind; what is not spoken can be left out."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import Final, Literal

Kind = Literal["paragraph", "heading", "caption", "footnote", "page number", "front matter", "direction"]
SPOKEN: Final[frozenset[Kind]] = frozenset({"paragraph"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A piece of a script. speaker: '' where nobody is named. start_s and end_s: where subtitles stand, else None."""

    text: str
    kind: Kind = "paragraph"
    speaker: str = ""
    start_s: float | None = None
    end_s: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Script:
    """A file as read. how: what was understood, for people ('UTF-8', 'text layer of 12 pages'). language: '' unknown.

    table: the rows a table had, so that another column can be chosen.
    """

    parts: tuple[Part, ...] = field(repr=False)
    how: str = ""
    language: str = ""
    table: tuple[tuple[str, ...], ...] = field(default=(), repr=False)

    def counts(self) -> dict[str, int]:
        """Parts by kind, as they are offered for removal."""
        return dict(Counter(part.kind for part in self.parts))

    def speakers(self) -> list[str]:
        return list(dict.fromkeys(part.speaker for part in self.parts if part.speaker))

    def text(self, kinds: frozenset[Kind] = SPOKEN) -> str:
        """The text of the wanted kinds, a paragraph each, parted by empty lines."""
        return "\n\n".join(part.text for part in self.parts if part.kind in kinds and part.text.strip())
