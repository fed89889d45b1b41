"""A simulated year of a channel under each of the demo's plans: the program's months against the invoices of the
stand-in, which keeps a ledger of requests by the calendar and shares no code with it."""

from __future__ import annotations

from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise

import httpx
import pytest

from tests.conftest import KEY, demo_engine_source
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.domain.brief import Brief
from zestpanel.core.money.tariff import Usage, month_cost
from zestpanel.core.money.volume import Rates
from zestpanel.core.money.worked import years
from zestpanel.standins.billing import PRICE_LISTS, Account
from zestpanel.standins.service import StandInService

PLANS = {
    plan.name: (engine, plan)
    for engine in (parse_connector(demo_engine_source(name), name=name) for name in ("tangor", "citrange", "mandelo"))
    for plan in engine.plans
}
START = date(2026, 11, 1)  # twelve calendar months from here, one of them with 28 days


def first_days(months: int) -> list[date]:
    return [date(START.year + (START.month - 1 + k) // 12, (START.month - 1 + k) % 12 + 1, 1) for k in range(months)]


def test_every_plan_of_the_demos_hosted_engines_has_an_invoice() -> None:
    assert set(PRICE_LISTS) == set(PLANS)


@pytest.mark.parametrize("plan_name", PLANS)
@pytest.mark.parametrize(("a_day", "days", "seats"), [(2_000, 4, 1), (4_000, 20, 3), (9_137, 13, 2)])
def test_a_year_comes_to_what_the_invoices_say_to_the_last_cent(
    plan_name: str, a_day: int, days: int, seats: int
) -> None:
    engine, plan = PLANS[plan_name]
    model = engine.models[-1].id
    account = Account(plan_name, START, seats=seats)
    for number, (first, after) in enumerate(pairwise(first_days(14)), 1):
        refused = account.refused
        for k in range(days):  # days of work are spread over the month, three requests each
            on = first + timedelta(days=k * ((after - first).days - 1) // max(1, days - 1))
            for part in (a_day // 3, a_day // 3, a_day - 2 * (a_day // 3)):
                account.take(on, part, model)
        use = Usage(characters=Decimal(a_day * days), sound_s=Decimal(0), days=days, seats=seats,
                    by_model={model: Decimal(a_day * days)})  # fmt: skip
        ours = month_cost(plan.tariff, use, month=number)
        assert ours.total is not None
        assert Fraction(ours.total.amount) == account.invoice(first).total, (number, ours.lines)
        assert ours.short_by == account.refused - refused, "what the plan does not cover is what is refused"
    brief = Brief(days_of_work=days, seats=seats, retakes_percent=Decimal(0), episodes_per_month=days,
                  episode_minutes=Decimal(a_day) / 1000)  # fmt: skip
    rates = Rates(characters_per_minute=Decimal(1000))
    year, _ = years(plan.tariff, rates, brief, model=model)
    invoiced = sum((account.invoice(first).total for first in first_days(12)), Fraction(0))
    if account.refused:
        assert year is None, "a year in which it stops has no price"
    else:
        assert year is not None
        assert Fraction(year.amount) == invoiced


def test_a_request_that_is_refused_is_not_billed() -> None:
    account = Account("Orchard", START)
    assert account.take(START, 90_000)
    assert not account.take(START, 1)
    assert account.invoice(START).total == 11
    assert account.take(date(2026, 12, 1), 1), "the next calendar month begins anew"


def test_what_replies_say_was_counted_is_what_the_service_bills() -> None:
    _, plan = PLANS["Conservatory"]
    texts = ("A first text of some length.", "Crème brûlée, ‘œuvre’ & co.")
    with StandInService() as service, httpx.Client(base_url=service.address, headers={"X-Key": KEY}) as client:
        service.behaviour.asked.append(("tangor", date.fromisoformat(service.behaviour.today), 99_990, ""))
        asked = [{"text": text, "voice": "ilseth"} for text in texts]
        counted = sum(client.post("/tangor/as/json", json=one).json()["characters"] for one in asked)
        bill = client.get("/invoice/tangor", params={"plan": plan.name}).json()
    ours = month_cost(plan.tariff, Usage(characters=Decimal(99_990 + counted), sound_s=Decimal(0)), month=1)
    assert ours.total is not None
    assert Decimal(bill["total"]) == ours.total.amount == 22 + Decimal("0.0003") * (counted - 10)
