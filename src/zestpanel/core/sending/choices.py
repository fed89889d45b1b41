"""What a person decided for an engine: what becomes of marks it does not understand, and what is spelled out."""

from __future__ import annotations

from typing import Final, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from zestpanel.core.text.marks.spelling_out import SPELLABLE
from zestpanel.core.texts import tr

Fate = Literal["leave out", "spell out"]
# marks that can be put in words or stops; the others can only be left out
CAN_BE_SPELLED: Final = ("pause", "say-as", "read as", "phoneme")


class SendingChoices(BaseModel):
    """unsupported: by kind of mark. spell_out: kinds of hard parts that are put in words before sending."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    unsupported: dict[str, Fate] = Field(default_factory=dict)
    spell_out: tuple[str, ...] = ()

    @field_validator("spell_out")
    @classmethod
    def _known(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if odd := set(value) - set(SPELLABLE):
            raise ValueError(tr("'{odd}' cannot be spelled out", odd=sorted(odd)[0]))
        return value

    def fate(self, kind: str) -> Fate:
        """What becomes of a mark that the engine does not understand. Unasked, only words are put in its place."""
        if kind not in CAN_BE_SPELLED:
            return "leave out"
        return self.unsupported.get(kind, "leave out" if kind == "pause" else "spell out")
