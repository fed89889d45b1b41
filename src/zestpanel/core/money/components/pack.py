"""Units bought in advance, a pack at a time, whenever they are wanted."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from decimal import ROUND_CEILING, Decimal
from typing import ClassVar, Literal, get_args

from pydantic import Field

from zestpanel.core.domain.money import shown
from zestpanel.core.money.components.part import MOST_MONEY, MOST_UNITS, Charge, Entry, MonthAt, Part, Unit, units
from zestpanel.core.texts import tr


class Pack(Part):
    """Bought when what is used goes beyond every allowance and every pack that is left. What is not used of it lapses
    after ``kept_months`` months, the one it is bought in counted; without them it never does."""

    title: ClassVar = tr("Pack bought in advance")
    place: ClassVar = 35
    form: ClassVar = (
        Entry("price", "money"), Entry("amount", "whole", tr("for")),
        Entry("unit", "choice", choices=get_args(Unit), usual="credit"),
        Entry("kept_months", "whole", tr("which lapse after"), tr("months"), may_lack=True),
    )  # fmt: skip

    kind: Literal["pack"] = "pack"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    amount: int = Field(ge=1, le=MOST_UNITS)
    unit: Unit = "credit"
    kept_months: int | None = Field(default=None, ge=1, le=120, description=tr("what is left of it then lapses"))

    @property
    def sells(self) -> Unit:
        return self.unit

    @property
    def stairs(self) -> bool:
        return self.kept_months is not None

    def words(self, currency: str) -> str:
        size = units(self.amount, self.unit)
        said = tr("{price} {currency} for a pack of {units}", price=shown(self.price), currency=currency, units=size)
        lapse = tr(", lapsing after {kept_months} months", kept_months=self.kept_months)
        return said + (lapse if self.kept_months else "")

    def line(self, units_billed: Decimal, at: MonthAt) -> str:
        del at
        whole = units_billed == units_billed.to_integral_value()
        packs = f"{units_billed:,.{0 if whole else 2}f}"
        size = units(self.amount, self.unit)
        return tr("{packs} packs of {units} at {price}", packs=packs, units=size, price=shown(self.price))

    def charge(self, at: MonthAt) -> Charge:
        """In a usual month of packs that never lapse, what is used of them; else what is bought in that very month."""
        used = at.beyond[self.unit]
        packs = used[-1] / self.amount if at.month is None and self.kept_months is None else self._bought(used)
        return Charge(packs * self.price, packs)

    def _bought(self, used: Sequence[Decimal]) -> Decimal:
        """Packs bought in the last of the months, each of which takes the oldest units first."""
        left: deque[list[Decimal]] = deque()  # [month it was bought in, units]
        bought = Decimal(0)
        for month, wanted in enumerate(used):
            lack = wanted
            while left and self.kept_months is not None and month - left[0][0] >= self.kept_months:
                left.popleft()
            while left and lack:
                taken = min(lack, left[0][1])
                left[0][1] -= taken
                lack -= taken
                if not left[0][1]:
                    left.popleft()
            bought = (lack / self.amount).to_integral_value(rounding=ROUND_CEILING)
            if over := bought * self.amount - lack:
                left.append([Decimal(month), over])
        return bought
