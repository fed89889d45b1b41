"""Tax on a bill."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from pydantic import Field

from zestpanel.core.money.components.part import Entry, MonthAt, Part
from zestpanel.core.texts import tr


class Tax(Part):
    """Percent on all lines together, where prices are stated without it."""

    title: ClassVar = tr("Tax on top")
    place: ClassVar = 90
    form: ClassVar = (Entry("percent", "percent", after=tr("% on all of it")),)

    kind: Literal["tax"] = "tax"
    percent: Decimal = Field(ge=0, le=100)

    def words(self, currency: str) -> str:
        del currency
        return tr("{percent} % tax on top", percent=f"{self.percent.normalize():f}")

    def line(self, units: Decimal, at: MonthAt) -> str:
        del units, at
        return tr("tax, {percent} %", percent=f"{self.percent.normalize():f}")

    def on_top(self, so_far: Decimal) -> Decimal:
        return so_far * self.percent / 100
