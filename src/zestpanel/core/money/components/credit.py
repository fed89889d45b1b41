"""What a character costs in a unit of the plan's own."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from zestpanel.core.money.components.part import Entry, Part
from zestpanel.core.texts import tr


class Credits(Part):
    """How many credits one character costs, by model id ('*' for the others)."""

    title: ClassVar = tr("Credits a character")
    place: ClassVar = 40
    form: ClassVar = (Entry("per_character", "factors", after=tr("by model, such as fine 1, fast 0.5, * 1")),)

    kind: Literal["credits"] = "credits"
    per_character: dict[str, Decimal]

    def words(self, currency: str) -> str:
        del currency
        factors = ", ".join(f"{model} {factor.normalize():f}" for model, factor in self.per_character.items())
        return tr("credits a character: {factors}", factors=factors)

    def stamp(self) -> str:
        return ", ".join(
            tr("{factor} credits a character on {model}", factor=factor, model=model)
            for model, factor in self.per_character.items()
        )
