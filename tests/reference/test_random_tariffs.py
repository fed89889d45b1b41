"""Random tariffs against a brute force that walks a month unit by unit and day by day, by code of its own."""

from __future__ import annotations

import os
from decimal import Decimal
from fractions import Fraction
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from zestpanel.core.domain.brief import Brief
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff, Usage, month_cost
from zestpanel.core.money.volume import Rates, usage_at

money = st.integers(0, 5_000).map(lambda cents: Decimal(cents) / 100)
EVERY = ("day", "month", "year")
amounts = st.integers(0, 400)


@st.composite
def tariffs(draw: st.DrawFn) -> list[dict[str, Any]]:
    parts: list[dict[str, Any]] = []
    if draw(st.booleans()):
        parts.append({"kind": "subscription", "price": draw(money), "every": draw(st.sampled_from(["month", "year"])),
                      "per_seat": draw(st.booleans())})  # fmt: skip
    for every in draw(st.sets(st.sampled_from(["day", "month", "year"]), max_size=2)):
        parts.append({"kind": "allowance", "amount": draw(amounts) * (12 if every == "year" else 1), "every": every})
    thresholds = sorted(draw(st.sets(st.integers(1, 300), max_size=3)))
    if draw(st.booleans()):
        every_one = draw(st.booleans())
        for above in (0, *thresholds):
            parts.append({"kind": "per unit", "price": draw(money), "per": draw(st.sampled_from([1, 10, 100])),
                          "above": above, "all_units": every_one})  # fmt: skip
    if draw(st.booleans()):
        parts.append({"kind": "discount", "percent": draw(st.integers(0, 100)), "months": draw(st.integers(1, 14))})
    if draw(st.booleans()):
        parts.append({"kind": "once", "price": draw(money), "life_months": draw(st.none() | st.integers(1, 48))})
    if draw(st.booleans()):
        parts.append({"kind": "least", "price": draw(money)})
    if draw(st.booleans()):
        parts.append({"kind": "tax", "percent": draw(st.integers(0, 30))})
    return parts or [{"kind": "subscription", "price": Decimal(1), "every": "month", "per_seat": False}]


def walked(grants: dict[str, int], a_day: int, days: int, months: int) -> int:
    """Units of the last of so many months that are beyond all grants, each unit looked at."""
    left_of_year = beyond = 0
    for number in range(months):
        left_of_year = grants["year"] if number % 12 == 0 else left_of_year
        left_of_month, beyond = grants["month"], 0
        for _ in range(days):
            left_of_day = grants["day"]
            for _ in range(a_day):
                if left_of_day:
                    left_of_day -= 1
                elif left_of_month:
                    left_of_month -= 1
                elif left_of_year:
                    left_of_year -= 1
                else:
                    beyond += 1
    return beyond


def priced(parts: list[dict[str, Any]], beyond: int) -> Fraction:
    """What so many units cost, unit by unit."""

    def each(unit: int) -> Fraction:
        tier = max((p for p in parts if unit >= p["above"]), key=lambda p: int(p["above"]))
        return Fraction(tier["price"]) / int(tier["per"])

    if not parts:
        return Fraction(0)
    if parts[0]["all_units"]:
        return beyond * each(beyond)
    return sum((each(unit) for unit in range(beyond)), Fraction(0))


def paid_by_hand(parts: list[dict[str, Any]], a_day: int, days: int, month: int, seats: int) -> tuple[Fraction, int]:
    """What is paid in the given month of a year of such months, and how many units are refused."""
    of = {kind: [part for part in parts if part["kind"] == kind] for kind in
          ("allowance", "per unit", "discount", "subscription", "once", "least", "tax")}  # fmt: skip
    grants = {every: sum(p["amount"] for p in of["allowance"] if p["every"] == every) for every in EVERY}
    beyond = walked(grants, a_day, days, month)
    bill = priced(of["per unit"], beyond)
    off = Fraction(1)
    for part in of["discount"]:
        off *= 1 - Fraction(part["percent"], 100) if month <= part["months"] else 1
    for part in of["subscription"]:
        times = Fraction(seats if part["per_seat"] else 1, 12 if part["every"] == "year" else 1)
        bill += off * times * Fraction(part["price"])
    if month == 1:
        bill += sum((Fraction(p["price"]) for p in of["once"]), Fraction(0))
    for part in of["least"]:
        bill = max(bill, Fraction(part["price"]))
    for part in of["tax"]:
        bill += bill * part["percent"] / 100
    return bill, 0 if of["per unit"] else beyond


MANY = 10_000 if os.environ.get("ZEST_DEEP") else 400  # ten thousand in the scheduled mode


@settings(max_examples=MANY)
@given(tariffs(), st.integers(0, 30), st.sampled_from([1, 5, 21]), st.integers(1, 15), st.integers(1, 4))
def test_any_month_of_any_tariff_is_the_walk_through_its_units(
    parts: list[dict[str, Any]], a_day: int, days: int, month: int, seats: int
) -> None:
    plan = Tariff.model_validate({"currency": "EUR", "components": parts})
    use = Usage(characters=Decimal(a_day * days), sound_s=Decimal(0), days=days, seats=seats)
    found = month_cost(plan, use, month=month)
    bill, refused = paid_by_hand(parts, a_day, days, month, seats)
    if found.total is not None:
        assert abs(Fraction(found.total.amount) - bill) < Fraction(1, 10**18)
    if any(part["kind"] == "allowance" for part in parts):
        assert found.short_by == refused


@settings(max_examples=150)
@given(tariffs(), st.lists(st.integers(0, 400), min_size=1, max_size=6))
def test_the_curve_of_any_tariff_is_its_month(parts: list[dict[str, Any]], volumes: list[int]) -> None:
    plan = Tariff.model_validate({"currency": "EUR", "components": parts})
    brief, rates = Brief(days_of_work=5), Rates(characters_per_minute=Decimal(2))
    curve = month_curve(plan, rates, brief, model="m")
    for minutes in volumes:
        month = month_cost(plan, usage_at(rates, Decimal(minutes), model="m", days=5))
        if curve is None or month.total is None:
            continue
        (drawn,) = curve.at([Decimal(minutes)])
        if drawn is None:
            assert not month.covers
        else:
            assert abs(drawn - month.total.amount) < Decimal("1e-15")
