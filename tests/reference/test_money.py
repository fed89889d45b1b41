"""Tariffs against facts of the trade. All are common practice, no source, unless one is named."""

from __future__ import annotations

from decimal import Decimal

import pytest

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.domain.passage import ASSUMED_CHARACTERS_PER_MINUTE
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff, Usage, month_cost, months_until_cheaper
from zestpanel.core.money.volume import Rates, cost_at_volume, usage_at


def tariff(*components: dict[str, object], currency: str = "USD") -> Tariff:
    return Tariff.model_validate({"currency": currency, "components": components})


def usage(characters: int = 0, **more: Decimal) -> Usage:
    return Usage(**{"characters": Decimal(characters), "sound_s": Decimal(characters) * 60 / 1000, **more})


def total(found: Tariff, use: Usage, month: int = 13) -> Decimal:
    cost = month_cost(found, use, month=month).total
    assert cost is not None
    return cost.amount


def test_ten_thousand_characters_are_ten_minutes() -> None:
    assert 10_000 / ASSUMED_CHARACTERS_PER_MINUTE == 10
    # 20,000 characters are quoted as 21 minutes: the assumption is within 5 %
    assert abs(20_000 / ASSUMED_CHARACTERS_PER_MINUTE - 21) / 21 < Decimal("0.05")


def test_a_daily_grant_over_a_month() -> None:
    plan = tariff({"kind": "allowance", "amount": 4000, "unit": "credit", "every": "day"})
    assert month_cost(plan, usage(120_000)).covers
    over = month_cost(plan, usage(120_001))
    assert (over.covers, over.short_by) == (False, 1)


def test_first_million_free_for_twelve_months() -> None:
    plan = tariff(
        {"kind": "per unit", "price": 4, "per": 1_000_000},
        {"kind": "allowance", "amount": 1_000_000, "first_months": 12},
    )
    assert total(plan, usage(1_000_000), month=1) == 0
    assert total(plan, usage(1_500_000), month=12) == 2
    assert total(plan, usage(1_000_000), month=13) == 4


def test_first_month_at_80_percent_off_is_not_the_price() -> None:
    plan = tariff(
        {"kind": "subscription", "price": 5},
        {"kind": "allowance", "amount": 30_000},
        {"kind": "discount", "percent": 80, "months": 1},
    )
    assert total(plan, usage(30_000), month=1) == 1
    assert total(plan, usage(30_000), month=2) == 5


def test_once_or_monthly() -> None:
    assert months_until_cheaper(Money(Decimal(69), "USD"), Money(Decimal(19), "USD")) == 4
    once, monthly = tariff({"kind": "once", "price": 69}), tariff({"kind": "subscription", "price": 19})
    paid = [sum(total(t, usage(1), month=m) for m in range(1, n + 1)) for n in (3, 4) for t in (once, monthly)]
    assert paid == [69, 57, 69, 76]


def test_unit_prices_of_plans_fully_used() -> None:
    plan = tariff({"kind": "subscription", "price": 22}, {"kind": "allowance", "amount": 100_000})
    brief = Brief(episodes_per_month=10, episode_minutes=Decimal(10), currency="USD")
    assert cost_at_volume(plan, Rates(), brief, model="*").per_thousand == Money(Decimal("0.22"), "USD")
    credits = tariff({"kind": "subscription", "price": 6}, {"kind": "allowance", "amount": 200_000, "unit": "credit"})
    brief = brief.model_copy(update={"episode_minutes": Decimal(20)})
    assert cost_at_volume(credits, Rates(), brief, model="*").per_thousand == Money(Decimal("0.03"), "USD")


def test_hours_a_year() -> None:
    day = tariff({"kind": "allowance", "amount": 24, "unit": "hour", "every": "year"})
    assert month_cost(day, usage(sound_s=Decimal(7200))).covers, "24 hours a year are two hours a month"
    assert not month_cost(day, usage(sound_s=Decimal(7201))).covers
    year = tariff(
        {"kind": "subscription", "price": 300, "every": "year"},
        {"kind": "allowance", "amount": 96, "unit": "hour", "every": "year"},
    )
    use = usage(sound_s=Decimal(96 * 3600) / 12)
    assert [total(year, use, month=month) for month in (1, 2, 13)] == [300, 0, 300], "a year is due at once"
    usual = month_cost(year, use).total
    assert usual is not None
    assert round(usual.amount / (96 * 60 / Decimal(12)), 3) == Decimal("0.052")


def test_read_by_a_person() -> None:
    assert Money(Decimal(300), "EUR") / 3 == Money(Decimal(100), "EUR")


def test_credits_cost_by_model() -> None:
    plan = tariff(
        {"kind": "credits", "per_character": {"fast": "0.5", "*": "1"}},
        {"kind": "per unit", "price": "0.10", "per": 1000, "unit": "credit"},
    )
    use = usage(3000, by_model={"fast": Decimal(2000), "large": Decimal(1000)})
    assert total(plan, use) == Decimal("0.20")


def test_graduated_tiers_bill_each_part_at_its_price() -> None:
    plan = tariff(
        {"kind": "per unit", "price": "0.30", "per": 1000},
        {"kind": "per unit", "price": "0.20", "per": 1000, "above": 100_000},
    )
    assert total(plan, usage(100_000)) == 30
    assert total(plan, usage(150_000)) == 40


def test_own_machine_by_hand() -> None:
    # 1400 over 8000 hours and 120 W at 0.31: 0.175 + 0.0372 an hour, one half hour of computing
    plan = tariff({"kind": "own machine", "price": 1400, "life_hours": 8000, "watts": 120, "per_kwh": "0.31"})
    assert total(plan, usage(1, processing_s=Decimal(1800))) == pytest.approx(Decimal("0.1061"))
    assert month_cost(plan, usage(1)).why == "speed on this machine not measured yet"


def test_overage_and_share_of_the_allowance() -> None:
    plan = tariff(
        {"kind": "subscription", "price": 22},
        {"kind": "allowance", "amount": 100_000},
        {"kind": "per unit", "price": "0.30", "per": 1000},
    )
    found = month_cost(plan, usage(150_000))
    assert found.total == Money(Decimal(37), "USD")
    assert found.allowance_used == Decimal("1.5")
    assert sum(m.amount for _, m in found.lines) == 37


PLANS = {
    "by the character": [{"kind": "per unit", "price": "18", "per": 1_000_000}],
    "allowance and overage": [
        {"kind": "subscription", "price": 22}, {"kind": "allowance", "amount": 100_000},
        {"kind": "per unit", "price": "0.30", "per": 1000},
    ],
    "stops": [{"kind": "subscription", "price": 5}, {"kind": "allowance", "amount": 30_000}],
    "tiers in credits": [
        {"kind": "credits", "per_character": {"m": "0.5"}}, {"kind": "allowance", "amount": 4000, "unit": "credit"},
        {"kind": "per unit", "price": "0.2", "per": 1000, "unit": "credit"},
        {"kind": "per unit", "price": "0.1", "per": 1000, "unit": "credit", "above": 50_000},
    ],
    "hours and a machine": [
        {"kind": "per unit", "price": 2, "unit": "hour"},
        {"kind": "own machine", "price": 1400, "life_hours": 8000, "watts": 120, "per_kwh": "0.31"},
    ],
}  # fmt: skip


@pytest.mark.parametrize("name", PLANS)
def test_the_curve_is_the_month_at_every_volume(name: str) -> None:
    # reference: month_cost itself, volume by volume
    plan = tariff(*PLANS[name])
    rates = Rates(characters_per_minute=Decimal("812.5"), takes=3, processing_per_sound_s=Decimal("0.4"))
    curve = month_curve(plan, rates, Brief(), model="m")
    assert curve is not None
    volumes = [Decimal(v) / 2 for v in range(0, 700, 7)]
    for volume, money in zip(volumes, curve.at(volumes), strict=True):
        cost = month_cost(plan, usage_at(rates, volume, model="m", requests=4))
        assert (money is None) == (not cost.covers)
        if money is not None:
            assert cost.total is not None
            assert money == pytest.approx(cost.total.amount, rel=Decimal("1e-20"), abs=Decimal("1e-20"))
