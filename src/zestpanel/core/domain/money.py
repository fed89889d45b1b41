"""Exact amounts of money."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import ROUND_HALF_EVEN, Decimal, InvalidOperation
from typing import Final

from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

HALF_A_CENT: Final = Decimal("0.005")


def exact(value: Decimal | int | str, *, what: str = tr("The amount")) -> Decimal:
    """A finite Decimal from text or whole numbers. Raises InputError for anything else, floats included."""
    if isinstance(value, float | bool):
        raise InputError(tr("{what} '{value}' is not written as an exact decimal.", what=what, value=value))
    try:
        out = Decimal(value)
    except (InvalidOperation, TypeError, ValueError) as error:
        raise InputError(
            tr("{what} '{value}' is not a number.", what=what, value=value), remedy=tr("Write it like 0.18.")
        ) from error
    if not out.is_finite():
        raise InputError(tr("{what} '{value}' is not a finite number.", what=what, value=value))
    return out


@dataclass(frozen=True, slots=True)
class Money:
    """An exact amount in one currency (ISO 4217 code). Adding two currencies is an error, never a guess."""

    amount: Decimal
    currency: str

    def __add__(self, other: Money) -> Money:
        if other.currency != self.currency:
            raise InputError(
                tr(
                    "{currency} and {currency2} cannot be added without an exchange rate.",
                    currency=self.currency,
                    currency2=other.currency,
                ),
                remedy=tr("The brief has a field for exchange rates."),
            )
        return Money(self.amount + other.amount, self.currency)

    def __mul__(self, factor: Decimal | int) -> Money:
        return Money(self.amount * factor, self.currency)

    def __truediv__(self, divisor: Decimal | int) -> Money:
        return Money(self.amount / divisor, self.currency)

    def __str__(self) -> str:
        """As a sum; a price of a unit is ``rate`` instead."""
        return f"{summed(self.amount)} {self.currency}"

    def rate(self) -> str:
        """As the price of a unit: a small one keeps its digits."""
        return f"{shown(self.amount)} {self.currency}"


def summed(amount: Decimal) -> str:
    """A sum for display, to two places: below half of the last one it is 'under 0.01', and never none."""
    return tr("under 0.01") if 0 < abs(amount) < HALF_A_CENT else shown(amount, places=2)


def shown(amount: Decimal, *, places: int | None = None) -> str:
    """A price for display, half-even: two places, or as many as a small price needs for two digits."""
    if places is None:
        places = 2 if amount == 0 or abs(amount) >= Decimal("0.1") else min(6, 1 - amount.adjusted())
    return f"{amount.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_EVEN):,}"
