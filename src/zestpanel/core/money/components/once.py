"""What is bought once."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from pydantic import Field

from zestpanel.core.domain.money import shown
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.money.components.part import MOST_MONEY, Charge, Entry, MonthAt, Part
from zestpanel.core.texts import tr


class Once(Part):
    """A one-off purchase, paid in the first month. life_months: over how many months it is used, where that is stated:
    without it (here or in the brief) the purchase has no price a month. It is not bought anew in the years that are
    looked at."""

    title: ClassVar = tr("Bought once")
    place: ClassVar = 50
    form: ClassVar = (
        Entry("price", "money"),
        Entry("life_months", "whole", tr("used for"), tr("months"), may_lack=True),
    )

    kind: Literal["once"] = "once"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    life_months: int | None = Field(default=None, ge=1, le=1200)

    def words(self, currency: str) -> str:
        return tr("{price} {currency} once", price=shown(self.price), currency=currency) + (
            tr(", over {life_months} months", life_months=self.life_months) if self.life_months else ""
        )

    def line(self, units: Decimal, at: MonthAt) -> str:
        del units
        if at.month is not None:
            return tr("one-off purchase")
        life = self.life_months or at.one_off_months
        return tr("one-off purchase of {price}, over {life} months", price=shown(self.price), life=life)

    def charge(self, at: MonthAt) -> Charge | None:
        if at.month is not None:
            return Charge(self.price) if at.month == 1 else None
        life = self.life_months or at.one_off_months
        if life is None:
            raise NotEnoughData(tr("paid once: over how many months it is used is not stated"))
        return Charge(self.price / life)
