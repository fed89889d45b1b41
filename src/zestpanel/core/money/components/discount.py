"""What a subscription costs less at the start."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from pydantic import Field

from zestpanel.core.money.components.part import Entry, Part
from zestpanel.core.texts import tr


class Discount(Part):
    """Percent off the subscription in the first months: never taken for the real price. 100 is a free period."""

    title: ClassVar = tr("Discount at the start")
    place: ClassVar = 60
    form: ClassVar = (Entry("percent", "percent", after=tr("% off the subscription")),
                      Entry("months", "whole", tr("in the first"), tr("months"), usual="1"))  # fmt: skip

    kind: Literal["discount"] = "discount"
    percent: Decimal = Field(ge=0, le=100)
    months: int = Field(default=1, ge=1, le=1200)

    def words(self, currency: str) -> str:
        del currency
        return tr(
            "{percent} % off in the first {months} months", percent=f"{self.percent.normalize():f}", months=self.months
        )

    def stamp(self) -> str:
        return tr("{percent} % off for {months} months", percent=f"{self.percent:g}", months=self.months)

    def off(self, month: int | None) -> Decimal:
        return 1 - self.percent / 100 if month is not None and month <= self.months else Decimal(1)
