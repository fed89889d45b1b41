"""Running on one's own machine."""

from __future__ import annotations

from decimal import Decimal
from typing import ClassVar, Literal

from pydantic import Field

from zestpanel.core.domain.money import shown
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.money.components.part import MOST_MONEY, Charge, Entry, MonthAt, Part
from zestpanel.core.texts import tr


class OwnMachine(Part):
    """Running on one's own machine: its price over its life, its power, per hour of computing."""

    title: ClassVar = tr("Own machine")
    place: ClassVar = 70
    billed: ClassVar = False
    form: ClassVar = (
        Entry("price", "money", tr("bought for")),
        Entry("life_hours", "number", tr("used for"), tr("hours"), usual="10,000"),
        Entry("watts", "number", tr("drawing"), "W"),
        Entry("per_kwh", "money", tr("at"), tr("a kWh")),
    )

    kind: Literal["own machine"] = "own machine"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    life_hours: Decimal = Field(ge=Decimal("0.01"), le=MOST_MONEY)
    watts: Decimal = Field(ge=0, le=MOST_MONEY)
    per_kwh: Decimal = Field(ge=0, le=MOST_MONEY)

    def per_second(self) -> Decimal:
        """Money for a second of computing."""
        return (self.price / self.life_hours + self.watts / 1000 * self.per_kwh) / 3600

    def words(self, currency: str) -> str:
        return tr(
            "machine of {price} {currency} over {life_hours} hours, {watts} W at {per_kwh} {currency2} a kWh",
            price=shown(self.price),
            currency=currency,
            life_hours=f"{self.life_hours.normalize():f}",
            watts=f"{self.watts.normalize():f}",
            per_kwh=shown(self.per_kwh),
            currency2=currency,
        )

    def stamp(self) -> str:
        return tr("own machine at {per_second} an hour", per_second=shown(self.per_second() * 3600))

    def line(self, units: Decimal, at: MonthAt) -> str:
        del at
        return tr("{processing_s} h of this machine", processing_s=shown(units / 3600))

    def charge(self, at: MonthAt) -> Charge:
        if at.processing_s is None:
            raise NotEnoughData(tr("speed on this machine not measured yet"))
        return Charge(self.per_second() * at.processing_s, at.processing_s)
