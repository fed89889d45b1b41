"""What a month costs at least."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from pydantic import Field

from zestpanel.core.domain.money import shown
from zestpanel.core.money.components.part import MOST_MONEY, Entry, MonthAt, Part
from zestpanel.core.texts import tr


class LeastCharge(Part):
    """A month costs at least so much, used or not; so what is used within it adds nothing to the bill."""

    title: ClassVar = tr("At least")
    place: ClassVar = 80
    form: ClassVar = (Entry("price", "money", after=tr("a month")),)

    kind: Literal["least"] = "least"
    price: Decimal = Field(ge=0, le=MOST_MONEY)

    def words(self, currency: str) -> str:
        return tr("at least {price} {currency} a month", price=shown(self.price), currency=currency)

    def line(self, units: Decimal, at: MonthAt) -> str:
        del units, at
        return tr("up to the least charge of {price}", price=shown(self.price))

    @property
    def bends(self) -> tuple[Decimal, ...]:
        return (self.price,)

    def on_top(self, so_far: Decimal) -> Decimal | None:
        return self.price - so_far if so_far < self.price else None
