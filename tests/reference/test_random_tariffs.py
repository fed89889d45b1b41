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
from zestpanel.core.money.tariff import Tariff, Usage, month_cost, paid_by_month
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
    for every in draw(st.sets(st.sampled_from(EVERY), max_size=2)):
        kept = draw(st.none() | st.integers(1, 3)) if every == "month" else None
        parts.append({"kind": "allowance", "amount": draw(amounts) * (12 if every == "year" else 1), "every": every,
                      "per_seat": draw(st.booleans()), "kept_months": kept,
                      "first_months": draw(st.none() | st.integers(1, 14))})  # fmt: skip
    thresholds = sorted(draw(st.sets(st.integers(1, 300), max_size=3)))
    sold = draw(st.sampled_from(["", "units", "units", "packs"]))
    if sold == "units":
        every_one = draw(st.booleans())
        for above in (0, *thresholds):
            parts.append({"kind": "per unit", "price": draw(money), "per": draw(st.sampled_from([1, 10, 100])),
                          "above": above, "all_units": every_one, "begun": draw(st.booleans())})  # fmt: skip
    if sold == "packs":
        parts.append({"kind": "pack", "price": draw(money), "amount": draw(st.integers(1, 300)), "unit": "character",
                      "kept_months": draw(st.none() | st.integers(1, 3))})  # fmt: skip
    if draw(st.booleans()):
        parts.append({"kind": "discount", "percent": draw(st.integers(0, 100)), "months": draw(st.integers(1, 14))})
    if draw(st.booleans()):
        parts.append({"kind": "once", "price": draw(money), "life_months": draw(st.none() | st.integers(1, 48))})
    if draw(st.booleans()):
        parts.append({"kind": "least", "price": draw(money)})
    if draw(st.booleans()):
        parts.append({"kind": "tax", "percent": draw(st.integers(0, 30))})
    return parts or [{"kind": "subscription", "price": Decimal(1), "every": "month", "per_seat": False}]


Parts = list[dict[str, Any]]


class Ledger:
    """Walks through the units one by one. offers: whether months are counted from the first, with its offers."""

    def __init__(self, parts: Parts, seats: int, *, offers: bool) -> None:
        self.of = {kind: [part for part in parts if part["kind"] == kind] for kind in
                   ("allowance", "per unit", "pack", "discount", "subscription", "once", "least", "tax")}  # fmt: skip
        self.seats, self.offers, self.number = seats, offers, 0
        self.kept: list[list[int]] = []  # [last month, units]
        self.packs: list[list[int]] = []
        self.year = 0

    def grant(self, every: str) -> int:
        return sum(
            p["amount"] * (self.seats if p["per_seat"] else 1) for p in self.of["allowance"]
            if p["every"] == every and (p["first_months"] is None or (self.offers and self.number <= p["first_months"]))
        )  # fmt: skip

    def a_month(self, a_day: int, days: int) -> tuple[Fraction, int]:
        """The next month: what is paid in it, and how many units are refused."""
        self.number += 1
        if self.number % 12 == 1:
            self.year = self.grant("year")
        self.year *= self.grant("year") > 0  # an offer that is over leaves nothing
        month, beyond, bought = self.grant("month"), 0, 0
        self.kept = [one for one in self.kept if one[0] >= self.number]
        self.packs = [one for one in self.packs if one[0] >= self.number]
        for _ in range(days):
            day = self.grant("day")
            for _ in range(a_day):
                oldest = next((one for one in self.kept if one[1]), None)
                pack = next((one for one in self.packs if one[1]), None)
                if day:
                    day -= 1
                elif oldest:
                    oldest[1] -= 1
                elif month:
                    month -= 1
                elif self.year:
                    self.year -= 1
                elif self.of["pack"]:
                    if pack is None:
                        lasts = self.of["pack"][0]["kept_months"]
                        pack = [self.number + lasts - 1 if lasts else 10**9, self.of["pack"][0]["amount"]]
                        self.packs.append(pack)
                        bought += 1
                    pack[1] -= 1
                else:
                    beyond += 1
        kept = [p["kept_months"] for p in self.of["allowance"] if p["every"] == "month" and p["kept_months"]]
        if kept and month:
            self.kept.append([self.number + kept[0], month])
        return self.paid(beyond, bought), 0 if self.of["per unit"] else beyond

    def paid(self, beyond: int, bought: int) -> Fraction:
        bill = priced(self.of["per unit"], beyond) + sum(Fraction(p["price"]) * bought for p in self.of["pack"])
        for part in self.of["subscription"]:
            price = Fraction(part["price"]) * (self.seats if part["per_seat"] else 1)
            if part["every"] == "month":
                bill += price * self.off(self.number)
            elif not self.offers:
                bill += price / 12
            elif self.number % 12 == 1:
                bill += sum(price / 12 * self.off(self.number + k) for k in range(12))
        for part in self.of["once"]:
            price = Fraction(part["price"])
            bill += price * (self.number == 1) if self.offers else price / part["life_months"]
        for part in self.of["least"]:
            bill = max(bill, Fraction(part["price"]))
        for part in self.of["tax"]:
            bill += bill * part["percent"] / 100
        return bill

    def off(self, month: int) -> Fraction:
        off = Fraction(1)
        for part in self.of["discount"]:
            off *= 1 - Fraction(part["percent"], 100) if self.offers and month <= part["months"] else 1
        return off


def priced(parts: Parts, beyond: int) -> Fraction:
    """What so many units cost, unit by unit, or block by block where begun ones are paid in full."""
    bill = Fraction(0)
    left: dict[int, int] = {}
    for unit in range(beyond):
        at = beyond if parts and parts[0]["all_units"] else unit
        tier = max((p for p in parts if at >= p["above"]), key=lambda p: int(p["above"]), default=None)
        if tier is None:
            continue
        if not tier["begun"]:
            bill += Fraction(tier["price"]) / int(tier["per"])
        elif left.get(tier["above"], 0):
            left[tier["above"]] -= 1
        else:
            bill += Fraction(tier["price"])
            left[tier["above"]] = tier["per"] - 1
    return bill


MANY = 10_000 if os.environ.get("ZEST_DEEP") else 400  # ten thousand in the scheduled mode


@settings(max_examples=MANY)
@given(tariffs(), st.integers(0, 30), st.sampled_from([1, 5, 21]), st.integers(1, 15), st.integers(1, 4))
def test_any_month_of_any_tariff_is_the_walk_through_its_units(
    parts: Parts, a_day: int, days: int, month: int, seats: int
) -> None:
    plan = Tariff.model_validate({"currency": "EUR", "components": parts})
    use = Usage(characters=Decimal(a_day * days), sound_s=Decimal(0), days=days, seats=seats)
    found = month_cost(plan, use, month=month)
    ledger = Ledger(parts, seats, offers=True)
    bill, refused = [ledger.a_month(a_day, days) for _ in range(month)][-1]
    assert found.total is not None
    assert abs(Fraction(found.total.amount) - bill) < Fraction(1, 10**18)
    assert abs(sum(Fraction(money.amount) for _, money in found.lines) - bill) < Fraction(1, 10**18)
    if any(part["kind"] == "allowance" for part in parts):
        assert found.short_by == refused
    paid = paid_by_month(plan, use, month)[-1]
    assert paid == (None if found.short_by else found.total)


@settings(max_examples=MANY // 2)
@given(tariffs(), st.lists(st.integers(0, 30), min_size=12, max_size=12), st.booleans(), st.integers(1, 3))
def test_a_usual_month_is_the_mean_of_the_year_that_it_stands_for(
    parts: Parts, a_day: list[int], alike: bool, seats: int
) -> None:
    """Uneven months, too: what is kept from a quiet one helps in a busy one."""
    plan = Tariff.model_validate({"currency": "EUR", "components": parts})
    a_day = [a_day[0]] * 12 if alike else a_day
    uses = [Usage(characters=Decimal(5 * n), sound_s=Decimal(0), days=5, seats=seats) for n in a_day]
    if any(part["kind"] == "once" and part["life_months"] is None for part in parts):
        assert month_cost(plan, uses).total is None
        return
    lapse = [part["kept_months"] for part in parts if part["kind"] == "pack" and part["kept_months"]]
    months, ledger = 12 * max(lapse, default=1), Ledger(parts, seats, offers=False)
    bills = [ledger.a_month(a_day[k % 12], 5) for k in range(months)]
    found = month_cost(plan, uses[0] if alike else uses)
    assert found.total is not None
    for_good = any(part["kind"] == "pack" and part["kept_months"] is None for part in parts)
    if not for_good:  # a pack that never lapses is a matter of what is used of it, not of the month it is bought in
        assert abs(Fraction(found.total.amount) - sum(bill for bill, _ in bills) / months) < Fraction(1, 10**18)
    if any(part["kind"] == "allowance" for part in parts):
        refused = Fraction(sum(units for _, units in bills), months)
        assert abs(Fraction(found.short_by) - refused) < Fraction(1, 10**18)


@settings(max_examples=150)
@given(tariffs(), st.lists(st.integers(0, 400), min_size=1, max_size=6), st.integers(0, 50))
def test_the_curve_of_any_tariff_is_its_month(parts: Parts, volumes: list[int], retakes: int) -> None:
    plan = Tariff.model_validate({"currency": "EUR", "components": parts})
    brief = Brief(days_of_work=5, retakes_percent=Decimal(retakes), seats=2)
    rates = Rates(characters_per_minute=Decimal(2))
    curve = month_curve(plan, rates, brief, model="m")
    for minutes in volumes:
        again = Decimal(minutes) * (100 + retakes) / 100
        month = month_cost(plan, usage_at(rates, again, model="m", days=5, seats=2))
        if curve is None or month.total is None:
            continue
        (drawn,) = curve.at([Decimal(minutes)])
        if drawn is None:
            assert not month.covers
        else:
            assert abs(drawn - month.total.amount) < Decimal("1e-15")
