"""A plan's money against a brute force that walks through the days and the units one by one."""

from __future__ import annotations

from datetime import date, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.domain.brief import Brief, ExchangeRate
from zestpanel.core.domain.money import Money
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.metering import Meter
from zestpanel.core.money.tariff import Tariff, Usage, month_cost
from zestpanel.core.money.volume import Rates, cost_at_volume, requests_at, usage_at


def tariff(*components: dict[str, object]) -> Tariff:
    return Tariff.model_validate({"currency": "EUR", "components": components})


def characters(n: int, *, days: int = 30) -> Usage:
    return Usage(characters=Decimal(n), sound_s=Decimal(n) * 60 / 1000, requests=n // 50, days=days)


def walk(free: dict[str, int], tiers: list[tuple[int, str]], used: dict[date, int]) -> Decimal:
    """reference: each unit in turn takes the day's grant, else the month's, else the year's, else is paid at the tier
    that so many paid units of its month have reached."""
    left: dict[tuple[str, object], int] = {}
    paid: dict[int, int] = {}
    total = Decimal(0)
    for day in sorted(used):
        keys = {"day": day, "month": (day.year, day.month), "year": day.year}
        for _ in range(used[day]):
            for every in ("day", "month", "year"):
                place = (every, keys[every])
                left.setdefault(place, free.get(every, 0))
                if left[place]:
                    left[place] -= 1
                    break
            else:
                so_far = paid.get(day.month, 0)
                total += Decimal(next(price for above, price in reversed(tiers) if so_far >= above))
                paid[day.month] = so_far + 1
    return total


@given(
    st.dictionaries(st.sampled_from(["day", "month", "year"]), st.integers(0, 60)),
    st.lists(st.integers(1, 80), max_size=2, unique=True),
    st.dictionaries(st.integers(0, 364), st.integers(1, 90), max_size=8),
    st.integers(0, 364),
    st.integers(1, 120),
)
def test_a_meter_is_the_walk_through_the_days(
    free: dict[str, int], edges: list[int], used: dict[int, int], now: int, more: int
) -> None:
    new_year = date(2027, 1, 1)
    today = new_year + timedelta(now)
    days = {new_year + timedelta(n): count for n, count in used.items() if n <= now}
    tiers = [(0, "0.30"), *((edge, f"0.{29 - 3 * k}") for k, edge in enumerate(sorted(edges)))]
    plan = tariff(
        *({"kind": "allowance", "amount": amount, "every": every} for every, amount in free.items()),
        *({"kind": "per unit", "price": price, "above": above} for above, price in tiers),
    )
    found = Meter(plan, {day: characters(n) for day, n in days.items()}, today=today).with_more(characters(more))
    after = {**days, today: days.get(today, 0) + more}
    assert found.cost is not None
    assert found.cost.amount == walk(free, tiers, after) - walk(free, tiers, days)


def test_a_years_allowance_may_be_used_up_in_january() -> None:
    # common practice, no source: 24 hours of sound a year are a year's, not two hours a month
    plan = tariff(
        {"kind": "allowance", "amount": 24, "unit": "hour", "every": "year"},
        {"kind": "per unit", "price": 10, "unit": "hour"},
    )
    twenty = Usage(characters=Decimal(0), sound_s=Decimal(20 * 3600))
    january = Meter(plan, {}, today=date(2027, 1, 20)).with_more(twenty)
    assert (january.cost, january.allowance_used) == (Money(Decimal(0), "EUR"), Decimal(20) / 24)
    march = Meter(plan, {date(2027, 1, 20): twenty}, today=date(2027, 3, 1)).with_more(twenty)
    assert march.cost == Money(Decimal(160), "EUR"), "20 + 20 hours are 16 over"
    assert month_cost(plan, twenty, month=1).total == Money(Decimal(0), "EUR")
    assert month_cost(plan, twenty, month=2).total == Money(Decimal(160), "EUR")
    usual = month_cost(plan, twenty).total
    assert usual is not None
    assert usual.amount * 12 == Decimal(12 * 20 - 24) * 10


def test_a_daily_grant_is_worth_a_day() -> None:
    plan = tariff({"kind": "allowance", "amount": 4000, "every": "day"}, {"kind": "per unit", "price": "0.001"})
    job = Meter(plan, {}, today=date(2027, 5, 3)).with_more(characters(50_000))
    assert job.cost == Money(Decimal(46), "EUR"), "a job of one day has one day's grant"
    assert job.allowance_used == Decimal("12.5")
    brief = Brief(episodes_per_month=10, episode_minutes=Decimal(10), days_of_work=20)
    assert cost_at_volume(plan, Rates(), brief, model="m").month.total == Money(Decimal(20), "EUR")
    every_day = brief.model_copy(update={"days_of_work": 30})
    assert cost_at_volume(plan, Rates(), every_day, model="m").month.total == Money(Decimal(0), "EUR")


def test_a_purchase_has_a_month_only_with_a_life() -> None:
    plan, brief = tariff({"kind": "once", "price": 72}), Brief(budget_per_month=Decimal(5))
    unknown = cost_at_volume(plan, Rates(), brief, model="m")
    assert (unknown.month.total, unknown.own) == (None, None)
    assert unknown.why_not == "paid once: over how many months it is used is not stated"
    spread = brief.model_copy(update={"one_off_months": 24})
    assert cost_at_volume(plan, Rates(), spread, model="m").month.total == Money(Decimal(3), "EUR")
    stated = tariff({"kind": "once", "price": 72, "life_months": 36})
    assert cost_at_volume(stated, Rates(), spread, model="m").month.total == Money(Decimal(2), "EUR")


def test_requests_of_a_month_are_those_an_episode_is_cut_into() -> None:
    plan = tariff({"kind": "per unit", "price": "0.50", "unit": "request"})
    brief = Brief(episodes_per_month=4, episode_minutes=Decimal(8))
    cost = cost_at_volume(plan, Rates(), brief, model="m", requests_per_episode=9)
    assert cost.month.total == Money(Decimal(18), "EUR")
    assert cost.per_episode == Money(Decimal("4.50"), "EUR")


def test_what_a_plan_counts_is_what_is_paid() -> None:
    # common practice, no source: some scripts are counted double; 1,000 characters of the script stay 1,000
    plan = tariff({"kind": "per unit", "price": "0.01"})
    brief = Brief(episodes_per_month=1, episode_minutes=Decimal(1))
    found = cost_at_volume(plan, Rates(takes=3, billed_per_character=Decimal(2)), brief, model="m")
    assert found.month.total == Money(Decimal(20), "EUR")
    assert found.per_thousand == Money(Decimal(20), "EUR")


def test_other_currencies_need_a_rate_and_stay_exact() -> None:
    plan = Tariff.model_validate({"currency": "USD", "components": [{"kind": "subscription", "price": "19"}]})
    without = cost_at_volume(plan, Rates(), Brief(), model="m")
    assert (without.own, without.why_not) == (None, "priced in USD, and the brief gives no exchange rate")
    rate = ExchangeRate(currency="USD", rate=Decimal("0.9137"), dated=date(2026, 11, 2), source="the bank")
    brief = Brief(exchange_rates=(rate,))
    assert cost_at_volume(plan, Rates(), brief, model="m").own == Money(Decimal("17.3603"), "EUR")
    with pytest.raises(ValueError, match="two exchange rates"):
        Brief(exchange_rates=(rate, rate))


YEARLY = tariff(
    {"kind": "subscription", "price": 300, "every": "year"},
    {"kind": "allowance", "amount": 40, "unit": "minute", "every": "year"},
    {"kind": "allowance", "amount": 1, "unit": "minute", "every": "day"},
    {"kind": "per unit", "price": "0.9", "unit": "minute"},
    {"kind": "per unit", "price": "0.5", "unit": "minute", "above": 10},
    {"kind": "per unit", "price": "0.02", "unit": "request"},
)


def test_the_curve_of_a_plan_by_day_year_tier_and_request_is_its_month() -> None:
    brief, rates = Brief(days_of_work=9), Rates(characters_per_minute=Decimal(900), takes=2)
    curve = month_curve(YEARLY, rates, brief, model="m", requests_per_episode=7)
    assert curve is not None
    volumes = [Decimal(v) / 4 for v in range(400)]
    for volume, amount in zip(volumes, curve.at(volumes), strict=True):
        use = usage_at(rates, volume, model="m", requests=requests_at(brief, volume, 7), days=9)
        total = month_cost(YEARLY, use).total
        assert total is not None
        assert amount == pytest.approx(total.amount, rel=Decimal("1e-20"), abs=Decimal("1e-20"))
