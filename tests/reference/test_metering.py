"""A plan's money against a brute force that walks through the days and the units one by one."""

from __future__ import annotations

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

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


def of_month(parts: list[dict[str, Any]], used: dict[date, int], today: date, seats: int) -> Decimal:
    """reference: the bill of today's month. Each unit in turn takes the day's grant, else the week's, else one kept
    from an earlier month (the oldest first), else the month's, else the year's, else is bought: by the tier that so
    many bought units of its month have reached, in begun blocks, or out of a pack. Then the least charge, then tax."""
    of = {kind: [p for p in parts if p["kind"] == kind] for kind in ("allowance", "per unit", "pack", "least", "tax")}
    grants = {p["every"]: p["amount"] * (seats if p.get("per_seat") else 1) for p in of["allowance"]}
    keeps = next((p["kept_months"] for p in of["allowance"] if p["every"] == "month" and p.get("kept_months")), 0)
    left: dict[tuple[str, object], int] = {}
    bought: dict[int, int] = {}
    packs: list[list[int]] = []  # [month, units left]
    money: dict[int, Decimal] = {}
    first = min(used, default=today)
    number = {day: 12 * day.year + day.month for day in [*used, today]}
    for day in sorted(used):
        this = number[day]
        for _ in range(used[day]):
            places = [("day", day), ("week", day.isocalendar()[:2])]
            places += [("month", m) for m in range(max(this - keeps, 12 * first.year + first.month), this + 1)]
            for place in [*places, ("year", day.year)]:
                left.setdefault(place, grants.get(place[0], 0))
                if left[place]:
                    left[place] -= 1
                    break
            else:
                money.setdefault(this, Decimal(0))
                if of["pack"]:
                    pack = of["pack"][0]
                    open_ = [
                        p for p in packs if p[1] and (not pack["kept_months"] or this - p[0] < pack["kept_months"])
                    ]
                    if not open_:
                        packs.append([this, pack["amount"]])
                        open_ = packs[-1:]
                        money[this] += Decimal(pack["price"])
                    open_[0][1] -= 1
                bought[this] = bought.get(this, 0) + 1
    this = number[today]
    bill, done = money.get(this, Decimal(0)), bought.get(this, 0)
    tiers = of["per unit"]
    for k, tier in enumerate(tiers):
        top = min(done, tiers[k + 1]["above"]) if k + 1 < len(tiers) else done
        units = max(0, top - tier["above"])
        blocks = -(-units // tier["per"]) if tier["begun"] else Decimal(units) / tier["per"]
        bill += blocks * Decimal(tier["price"])
    for part in of["least"]:
        bill = max(bill, Decimal(part["price"]))
    return bill * (1 + sum((Decimal(part["percent"]) for part in of["tax"]), Decimal(0)) / 100)


@given(
    st.dictionaries(st.sampled_from(["day", "week", "month", "year"]), st.integers(0, 60)),
    st.none() | st.integers(1, 3),
    st.lists(st.integers(1, 80), max_size=2, unique=True),
    st.sampled_from(["units", "blocks", "packs", "packs that lapse"]),
    st.dictionaries(st.integers(0, 364), st.integers(1, 90), max_size=8),
    st.tuples(st.integers(0, 364), st.integers(1, 120), st.integers(1, 3)),
    st.none() | st.integers(1, 40),
    st.integers(0, 1),
)
def test_a_meter_is_the_walk_through_the_days(
    free: dict[str, int], kept: int | None, edges: list[int], sold: str, used: dict[int, int],
    now: tuple[int, int, int], least: int | None, taxed: int,
) -> None:  # fmt: skip
    new_year = date(2027, 1, 1)
    today, more, seats = new_year + timedelta(now[0]), now[1], now[2]
    days = {new_year + timedelta(n): count for n, count in used.items() if n <= now[0]}
    parts: list[dict[str, Any]] = [
        {"kind": "allowance", "amount": amount, "every": every, "per_seat": every == "week",
         "kept_months": kept if every == "month" else None}
        for every, amount in free.items()
    ]  # fmt: skip
    if sold in ("units", "blocks"):
        tiers = [(0, "0.30"), *((edge, f"0.{29 - 3 * k}") for k, edge in enumerate(sorted(edges)))]
        parts += [{"kind": "per unit", "price": price, "above": above, "per": 7 if sold == "blocks" else 1,
                   "begun": sold == "blocks"} for above, price in tiers]  # fmt: skip
    else:
        lapse = 2 if sold == "packs that lapse" else None
        parts.append({"kind": "pack", "price": "4", "amount": 50, "unit": "character", "kept_months": lapse})
    parts += [{"kind": "least", "price": least}] if least else []
    parts += [{"kind": "tax", "percent": 19}] if taxed else []
    plan = tariff(*parts)
    # beside it, what no use changes
    whole = tariff({"kind": "discount", "percent": 50, "months": 3}, {"kind": "once", "price": 90}, *parts)
    after = {**days, today: days.get(today, 0) + more}
    due = of_month(parts, after, today, seats) - of_month(parts, days, today, seats)
    for one in (plan, whole):
        meter = Meter(one, {day: characters(n) for day, n in days.items()}, today=today, seats=seats)
        assert meter.with_more(characters(more)).cost == Money(due, "EUR")
        by_day = meter.by_day()
        assert by_day is not None
        this_month = [
            money.amount for day, money in by_day.items() if (day.year, day.month) == (today.year, today.month)
        ]
        idle = of_month(parts, {d: n for d, n in days.items() if d.month < today.month}, today, seats)
        assert sum(this_month) == of_month(parts, days, today, seats) - idle


def test_tax_is_in_a_run_and_what_stays_within_a_least_charge_adds_nothing() -> None:
    """10 a thousand and 19 % tax: 1,000 characters are 11.90. With 5 at least, due anyway: 300 characters add nothing,
    1,000 what is beyond 5, taxed."""
    by_use, tax = {"kind": "per unit", "price": 10, "per": 1000}, {"kind": "tax", "percent": 19}
    meter = Meter(tariff(by_use, tax), {}, today=date(2027, 5, 3))
    assert meter.with_more(characters(1000)).cost == Money(Decimal("11.90"), "EUR")
    least = Meter(tariff(by_use, {"kind": "least", "price": 5}, tax), {}, today=date(2027, 5, 3))
    assert least.with_more(characters(300)).cost == Money(Decimal(0), "EUR")
    assert least.with_more(characters(1000)).cost == Money(Decimal("5.95"), "EUR")


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
