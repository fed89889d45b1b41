"""What a candidate costs."""

from __future__ import annotations

from collections.abc import Callable

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.evidence.declared import Figure, Reading, Start
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr, word


def _month(of: Known, _: LanguageScores | None) -> Reading:
    own, between = of.cost.own, of.cost.between
    if own is None:
        return Reading(None)
    factor = own.amount / of.cost.month.total.amount if of.cost.month.total and of.cost.month.total.amount else 1
    exact = float(own.amount)
    low, high = (float(one.amount * factor) for one in between) if between else (exact, exact)
    return Reading(exact, low, high, (high - low) / 2 / 1.96, n=max(1, of.cost.rates.takes))


def _told(of: Known, _: LanguageScores | None, brief: Brief) -> str:
    del brief
    month, own = of.cost.month, of.cost.own
    if month.total is None:
        return word("missing")
    if not month.covers:
        return tr("plan stops")
    return f"{own}\n{month.total}" if own is not None and own.currency != month.total.currency else f"{month.total}"


def _unit(pick: Callable[[Known], Money | None]) -> Callable[[Known, LanguageScores | None], Reading]:
    """A price in the plan's own currency."""

    def read(of: Known, _: LanguageScores | None) -> Reading:
        money = pick(of)
        exact = None if money is None else float(money.amount)  # at the pace that is known
        return Reading(exact, exact, exact, n=max(1, of.cost.rates.takes))

    return read


FIGURES = (
    Figure(
        name="cost", words="money", label=tr("money a month"), decimals=2, better="lower", place=10, first=True,
        unit=lambda brief: tr(" {currency} a month", currency=brief.currency), read=_month, told=_told,
        start=lambda brief: Start(float(brief.budget_per_month or 100), 0.0, 30),
    ),
    Figure(name="cost of 1,000 characters", words=tr("money for 1,000 characters"), label=tr("1,000 characters"),
           decimals=4, better="lower", place=11, read=_unit(lambda of: of.cost.per_thousand),
           claimed="price of 1,000 characters"),
    Figure(name="cost of a minute", words=tr("money for a finished minute"), label=tr("finished minute"), decimals=4,
           better="lower", place=12, read=_unit(lambda of: of.cost.per_minute), claimed="price of a minute"),
)  # fmt: skip
