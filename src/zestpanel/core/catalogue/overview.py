"""A tariff's lines in words."""

from __future__ import annotations

from zestpanel.core.domain.money import shown
from zestpanel.core.money.tariff import (
    Allowance,
    Component,
    Credits,
    Discount,
    Once,
    OwnMachine,
    PerUnit,
    Subscription,
)


def describe_component(part: Component, currency: str) -> str:
    """A line of a tariff in words: '22.00 EUR a month', '100,000 characters a month included'."""
    match part:
        case PerUnit():
            per = part.unit if part.per == 1 else f"{part.per:,} {part.unit}s"
            above = f" above {part.above:,}" if part.above else ""
            return f"{shown(part.price)} {currency} per {per}{above}"
        case Allowance():
            months = f", in the first {part.first_months} months" if part.first_months else ""
            return f"{part.amount:,} {part.unit}s a {part.every} included{months}"
        case Subscription():
            return f"{shown(part.price)} {currency} a {part.every}"
        case Discount():
            return f"{part.percent.normalize():f} % off in the first {part.months} months"
        case Once():
            return f"{shown(part.price)} {currency} once"
        case Credits():
            factors = ", ".join(f"{model} {factor.normalize():f}" for model, factor in part.per_character.items())
            return f"credits a character: {factors}"
        case OwnMachine():
            return (
                f"machine of {shown(part.price)} {currency} over {part.life_hours.normalize():f} hours, "
                f"{part.watts.normalize():f} W at {shown(part.per_kwh)} {currency} a kWh"
            )
