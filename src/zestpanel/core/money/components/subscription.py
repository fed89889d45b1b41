"""What is paid by the month or the year, used or not."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from pydantic import Field

from zestpanel.core.domain.money import shown
from zestpanel.core.money.components.part import MONTHS, MOST_MONEY, NONE, Charge, Entry, MonthAt, Part
from zestpanel.core.texts import tr, word


class Subscription(Part):
    """A yearly one falls due in its first month, and is a twelfth in a usual one."""

    title: ClassVar = tr("Subscription")
    place: ClassVar = 10
    form: ClassVar = (
        Entry("price", "money"), Entry("every", "choice", tr("every"), choices=("month", "year")),
        Entry("per_seat", "switch", after=tr("for every seat")),
    )  # fmt: skip

    kind: Literal["subscription"] = "subscription"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    every: Literal["month", "year"] = "month"
    per_seat: bool = False

    def words(self, currency: str) -> str:
        each = tr("{price} {currency} a {every}", price=shown(self.price), currency=currency, every=word(self.every))
        return each + (tr(" and seat") if self.per_seat else "")

    def line(self, units: Decimal, at: MonthAt) -> str:
        del units
        seats = tr(", {seats} seats", seats=at.seats) if self.per_seat and at.seats > 1 else ""
        return tr(
            "subscription, {price} a {every}{seats}", price=shown(self.price), every=word(self.every), seats=seats
        )

    def charge(self, at: MonthAt) -> Charge | None:
        """Discounts of some months of a year are so many twelfths of them."""
        price = self.price * (at.seats if self.per_seat else 1)
        if self.every == "month":
            return Charge(price * at.off(at.month))
        if at.month is None:
            return Charge(price / MONTHS)
        if (at.month - 1) % MONTHS:
            return None
        twelfths = sum((at.off(at.month + k) for k in range(MONTHS)), NONE)
        return Charge(price * twelfths / MONTHS)
