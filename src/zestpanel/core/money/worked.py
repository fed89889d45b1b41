"""A tariff worked out as one would on paper: month by month, line by line; and over the years."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Final

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money, shown
from zestpanel.core.money.components import Once, Subscription
from zestpanel.core.money.tariff import MonthCost, Tariff, month_cost
from zestpanel.core.money.volume import Rates, requests_at, usage_at
from zestpanel.core.texts import tr

YEAR: Final = 12


@dataclass(frozen=True, slots=True)
class Worked:
    """A month of so many finished minutes, and what it comes to."""

    title: str
    minutes: Decimal
    cost: MonthCost

    def sum(self) -> str:
        """'subscription, 22.00 a month: 22.00 + 40,000 characters at …: 12.00 = 34.00 EUR'."""
        if self.cost.total is None:
            return self.cost.why
        lines = " + ".join(f"{text}: {shown(money.amount)}" for text, money in self.cost.lines)
        stops = (
            ""
            if self.cost.covers
            else tr("; stops {short_by} units short of it", short_by=shown(self.cost.short_by, places=0))
        )
        return f"{lines} = {self.cost.total}{stops}" if len(self.cost.lines) > 1 else f"{lines}{stops}"


def worked_months(
    tariff: Tariff, rates: Rates, brief: Brief, *, model: str, requests_per_episode: int = 1
) -> list[Worked]:
    """The first month, a usual one, and one of twice the volume."""

    def at(title: str, minutes: Decimal, month: int | None) -> Worked:
        usage = usage_at(rates, minutes, model=model, days=brief.days_of_work, seats=brief.seats,
                         requests=requests_at(brief, minutes, requests_per_episode))  # fmt: skip
        return Worked(title, minutes, month_cost(tariff, usage, month=month, one_off_months=brief.one_off_months))

    usual = brief.minutes_per_month
    return [
        at(tr("First month"), usual, 1),
        at(tr("A usual month"), usual, None),
        at(tr("Twice as much"), 2 * usual, None),
    ]


def years(
    tariff: Tariff, rates: Rates, brief: Brief, *, model: str, requests_per_episode: int = 1
) -> tuple[Money | None, Money | None]:
    """What is paid in the first year and in the third, month by month as it falls due, retakes included; None where a
    month cannot be computed or is not covered."""
    minutes = with_retakes(brief)
    usage = usage_at(rates, minutes, model=model, days=brief.days_of_work, seats=brief.seats,
                     requests=requests_at(brief, minutes, requests_per_episode))  # fmt: skip

    def year(first: int) -> Money | None:
        total = Money(Decimal(0), tariff.currency)
        for month in range(first, first + YEAR):
            cost = month_cost(tariff, usage, month=month, one_off_months=brief.one_off_months)
            if cost.total is None or not cost.covers:
                return None
            total += cost.total
        return total

    return year(1), year(1 + 2 * YEAR)


def with_retakes(brief: Brief) -> Decimal:
    """Minutes that are rendered for the month's finished ones: retakes and auditions are paid, too."""
    return brief.minutes_per_month * (1 + brief.retakes_percent / 100)


def pays_back_in(once: Tariff, monthly: Tariff, rates: Rates, brief: Brief, *, model: str) -> int | None:
    """The first month in which a plan that is bought once has cost less in all than one that is paid by the month; None
    where it never has within ten years, or where the two do not compare."""
    if not any(isinstance(part, Once) for part in once.components) or once.currency != monthly.currency:
        return None
    if not any(isinstance(part, Subscription) for part in monthly.components):
        return None
    usage = usage_at(rates, with_retakes(brief), model=model, days=brief.days_of_work, seats=brief.seats,
                     requests=requests_at(brief, with_retakes(brief), 1))  # fmt: skip
    paid = {"once": Decimal(0), "monthly": Decimal(0)}
    for month in range(1, 10 * YEAR + 1):
        for name, tariff in (("once", once), ("monthly", monthly)):
            cost = month_cost(tariff, usage, month=month)
            if cost.total is None or not cost.covers:
                return None
            paid[name] += cost.total.amount
        if paid["once"] < paid["monthly"]:
            return month
    return None


def dearer(tariff: Tariff, percent: Decimal) -> Tariff:
    """The tariff with all its prices so much higher: what if prices rise."""
    factor = 1 + percent / 100
    parts = tuple(
        part.model_copy(update={"price": part.price * factor}) if hasattr(part, "price") else part
        for part in tariff.components
    )
    return tariff.model_copy(update={"components": parts})


def busier(brief: Brief, episodes: int) -> Brief:
    """The brief with so many episodes a month: what if there are more."""
    return brief.model_copy(update={"episodes_per_month": episodes})


def kept_minute(month: Money | None, brief: Brief) -> Money | None:
    """What a minute that is kept costs: the month with its retakes and the people's hours at their rate, over the
    minutes of finished narration. month: with retakes, in the brief's currency."""
    if month is None or brief.minutes_per_month <= 0:
        return None
    people = brief.hours_per_month * (brief.hourly_rate or Decimal(0))
    return replace(month, amount=(month.amount + people) / brief.minutes_per_month)
