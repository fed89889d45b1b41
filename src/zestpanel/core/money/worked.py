"""A tariff worked out as one would on paper: month by month, line by line; and over the years."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Final

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money, shown, summed
from zestpanel.core.money.components.once import Once
from zestpanel.core.money.components.subscription import Subscription
from zestpanel.core.money.tariff import MonthCost, Tariff, month_cost, paid_by_month
from zestpanel.core.money.volume import Rates, uses_at
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
        lines = " + ".join(f"{text}: {summed(money.amount)}" for text, money in self.cost.lines)
        stops = (
            ""
            if self.cost.covers
            else tr("; stops {short_by} units short of it", short_by=shown(self.cost.short_by, places=0))
        )
        return f"{lines} = {self.cost.total}{stops}" if len(self.cost.lines) > 1 else f"{lines}{stops}"


def worked_months(
    tariff: Tariff, rates: Rates, brief: Brief, *, model: str, requests_per_episode: int = 1
) -> list[Worked]:
    """The first month, a usual one, and one of twice the volume; retakes included."""

    def at(title: str, minutes: Decimal, month: int | None) -> Worked:
        uses = uses_at(rates, brief, minutes, model=model, requests_per_episode=requests_per_episode)
        return Worked(title, minutes, month_cost(tariff, uses, month=month, one_off_months=brief.one_off_months))

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
    uses = uses_at(rates, brief, brief.minutes_per_month, model=model, requests_per_episode=requests_per_episode)
    paid = paid_by_month(tariff, uses, 3 * YEAR, one_off_months=brief.one_off_months)

    def year(first: int) -> Money | None:
        total = Money(Decimal(0), tariff.currency)
        for one in paid[first : first + YEAR]:
            if one is None:
                return None
            total += one
        return total

    return year(0), year(2 * YEAR)


def pays_back_in(once: Tariff, monthly: Tariff, rates: Rates, brief: Brief, *, model: str) -> int | None:
    """The first month in which a plan that is bought once has cost less in all than one that is paid by the month; None
    where it never has within ten years, or where the two do not compare."""
    if not any(isinstance(part, Once) for part in once.components) or once.currency != monthly.currency:
        return None
    if not any(isinstance(part, Subscription) for part in monthly.components):
        return None
    uses = uses_at(rates, brief, brief.minutes_per_month, model=model)
    bought, rented = Decimal(0), Decimal(0)
    both = zip(paid_by_month(once, uses, 10 * YEAR), paid_by_month(monthly, uses, 10 * YEAR), strict=True)
    for month, (of_once, of_monthly) in enumerate(both, 1):
        if of_once is None or of_monthly is None:
            return None
        bought, rented = bought + of_once.amount, rented + of_monthly.amount
        if bought < rented:
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
    minutes of finished narration. month: in the brief's currency."""
    if month is None or brief.minutes_per_month <= 0:
        return None
    people = brief.hours_per_month * (brief.hourly_rate or Decimal(0))
    return replace(month, amount=(month.amount + people) / brief.minutes_per_month)
