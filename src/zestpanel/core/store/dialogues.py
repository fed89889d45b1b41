"""Dialogues of the project: their turns are texts of their own, their cast says which candidate speaks for whom."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.passage import Passage
from zestpanel.core.errors import InputError
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.store.texts import NewText, Texts
from zestpanel.core.text.readers.script import Part
from zestpanel.core.texts import tr

GAP_S: Final = 0.5  # between turns; common practice, no source


class Staged(BaseModel):
    """How a dialogue is cast: candidate by speaker; and the silence between its turns."""

    model_config = ConfigDict(frozen=True)
    cast: dict[str, int] = Field(default_factory=dict)
    gap_s: float = GAP_S


_STAGED: Final[Stored[dict[str, Staged]]] = Stored("dialogues", dict[str, Staged], {})


class Dialogues:
    def __init__(self, documents: Documents, texts: Texts) -> None:
        self._documents, self._texts = documents, texts

    def add(
        self, name: str, parts: Sequence[Part], *, language: str, rights: str = "", source: str = ""
    ) -> list[Passage]:
        """Make a dialogue of parts with speakers; parts without one are the narrator's; gaps between
        subtitles are kept. Raises InputError."""
        name = " ".join(name.split())
        if not name:
            raise InputError(tr("A dialogue needs a name."), kept=tr("Nothing was added."))
        if name in self.names():
            raise InputError(tr("There is a dialogue '{name}' already.", name=name), kept=tr("Nothing was added."),
                             remedy=tr("Give it another name."))  # fmt: skip
        gaps = [_gap_s(before, part) for before, part in zip([None, *parts], parts, strict=False)]
        turns = [
            NewText(
                text=part.text,
                title=f"{part.speaker or NARRATOR} {i}",
                dialogue=name,
                rights=rights,
                source=source,
                speaker=part.speaker or NARRATOR,
                gap_s=gap_s,
                tags=("heading",) if part.kind == "heading" else (),
            )
            for i, (part, gap_s) in enumerate(zip(parts, gaps, strict=True), 1)
        ]
        return self._texts.add(turns, language=language)

    def names(self) -> list[str]:
        return self._texts.dialogues()

    def turns(self, name: str) -> list[Passage]:
        return self._texts.turns(name)

    def speakers(self, name: str) -> list[str]:
        return list(dict.fromkeys(turn.speaker for turn in self.turns(name)))

    def _stated(self, name: str) -> Staged:
        return _STAGED.read(self._documents).get(name, Staged())

    def cast(self, name: str) -> dict[str, int]:
        """Candidate id by speaker."""
        return dict(self._stated(name).cast)

    def gap_s(self, name: str) -> float:
        return self._stated(name).gap_s

    def gaps_s(self, name: str) -> list[float]:
        """Silence before each turn but the first."""
        whole = self.gap_s(name)
        return [whole if turn.gap_s is None else turn.gap_s for turn in self.turns(name)[1:]]

    def put_cast(self, name: str, speaker: str, candidate_id: int | None) -> None:
        """Cast a speaker once: all of the speaker's turns follow."""
        cast = self.cast(name)
        cast.pop(speaker, None)
        if candidate_id is not None:
            cast[speaker] = candidate_id
        self._put(name, cast=cast)

    def put_gap(self, name: str, gap_s: float) -> None:
        if not 0 <= gap_s <= 10:
            raise InputError(tr("A gap is from 0 to 10 s."), kept=tr("The gap is as it was."))
        self._put(name, gap_s=gap_s)

    def _put(self, name: str, **values: Any) -> None:
        staged = self._stated(name).model_copy(update=values)
        _STAGED.write(self._documents, {**_STAGED.read(self._documents), name: staged})


NARRATOR: Final = "Narrator"


def _gap_s(before: Part | None, part: Part) -> float | None:
    """The silence before a subtitle as it stands in its file; None where there are no times."""
    if before is None or before.end_s is None or part.start_s is None:
        return None
    return round(min(10.0, max(0.0, part.start_s - before.end_s)), 3)
