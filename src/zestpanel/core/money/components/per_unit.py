"""A price for what is used beyond allowances."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import ROUND_CEILING, Decimal
from typing import ClassVar, Literal, get_args

from pydantic import Field

from zestpanel.core.domain.money import shown
from zestpanel.core.money.components.part import MOST_MONEY, MOST_UNITS, NONE, Charge, Entry, MonthAt, Part, Unit, units
from zestpanel.core.texts import tr, word


class PerUnit(Part):
    """A price for every ``per`` units used beyond any allowance; graduated tiers may replace the one price."""

    title: ClassVar = tr("Price for every unit")
    place: ClassVar = 30
    form: ClassVar = (
        Entry("price", "money"), Entry("per", "whole", tr("for every"), usual="1,000"),
        Entry("unit", "choice", choices=get_args(Unit)),
        Entry("begun", "switch", after=tr("begun ones in full")),
        Entry("above", "whole", tr("from"), tr("of a month on"), may_lack=True),
        Entry("all_units", "switch", after=tr("then for all of them")),
    )  # fmt: skip

    kind: Literal["per unit"] = "per unit"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    per: int = Field(default=1, ge=1, le=MOST_UNITS)
    unit: Unit = "character"
    begun: bool = Field(default=False, description=tr("a block of a month that is begun is paid in full"))
    above: int = Field(
        default=0, ge=0, le=MOST_UNITS, description=tr("applies to the units of a month above this many")
    )
    all_units: bool = Field(default=False, description=tr("once above, it applies to all units of the month"))

    @property
    def sells(self) -> Unit:
        return self.unit

    @property
    def ends(self) -> tuple[Decimal, ...]:
        return (Decimal(self.above),)

    @property
    def stairs(self) -> bool:
        return self.begun

    def _each(self) -> str:
        return units(self.per, self.unit) + (tr(" begun") if self.begun else "")

    def words(self, currency: str) -> str:
        above = tr(" above {above}", above=f"{self.above:,}") if self.above else ""
        return tr(
            "{price} {currency} per {units}{above}",
            price=shown(self.price),
            currency=currency,
            units=self._each(),
            above=above,
        ) + (tr(", for all of them") if self.all_units else "")

    def stamp(self) -> str:
        return (
            tr("{price} per {units}", price=shown(self.price), units=self._each())
            + (tr(" above {above}", above=f"{self.above:,}") if self.above else "")
            + (tr(", for all") if self.all_units else "")
        )

    def line(self, units: Decimal, at: MonthAt) -> str:
        del at
        return tr(
            "{paid} {many} at {price} per {units}",
            paid=shown(units, places=0),
            many=word(f"{self.unit}s"),
            price=shown(self.price),
            units=self._each(),
        )

    def charge(self, at: MonthAt) -> Charge:
        paid = self._units_at(
            [one for one in at.tiers[self.unit] if isinstance(one, PerUnit)], at.beyond[self.unit][-1]
        )
        blocks = paid / self.per
        if self.begun:
            blocks = blocks.to_integral_value(rounding=ROUND_CEILING)
        return Charge(blocks * self.price, paid)

    def _units_at(self, tiers: Sequence[PerUnit], beyond: Decimal) -> Decimal:
        """Units billed at this price: of graduated tiers those above its threshold and below the next one's; of tiers
        for all units all of them, at the highest threshold that is reached."""
        if any(other.all_units for other in tiers):
            reached = max((other.above for other in tiers if beyond >= other.above), default=0)
            return beyond if self.above == reached else NONE
        higher = [other.above for other in tiers if other.above > self.above]
        top = min(beyond, Decimal(min(higher))) if higher else beyond
        return max(NONE, top - self.above)
