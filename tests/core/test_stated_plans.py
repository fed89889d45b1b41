"""Plans that a person reads off a price list: what is typed is billed, and the plan is a choice on a candidate."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.conftest import add_command_engine, add_demo_engine, pretend_take
from zestpanel.core.catalogue.by_hand import ByHand, entry_of, heard_of_text, limits_of
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.stated_plan import TypedPlan, as_typed, stated_plan
from zestpanel.core.choice.costs import costs_of
from zestpanel.core.choice.evidence import Evaluation, evaluate
from zestpanel.core.choice.other_plans import cheapest_in_words, other_plans
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.money.components import KINDS
from zestpanel.core.money.components.part import Entry, Typed
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff, Usage, month_cost, paid_by_month
from zestpanel.core.money.typed_parts import fresh
from zestpanel.core.money.volume import Rates
from zestpanel.core.money.worked import kept_minute, pays_back_in, years
from zestpanel.core.report.record import render_record
from zestpanel.core.store.project import Project

LIST = TypedPlan(
    name="Studio", currency="eur", source="price list", dated=date(2026, 11, 1),
    lines=(
        Typed("subscription", {"price": "22", "every": "month"}),
        Typed("allowance", {"amount": "100,000", "unit": "character", "every": "month"}),
        Typed("per unit", {"price": "0.30", "per": "1,000", "unit": "character"}),
    ),
    rights={"commercial use": "yes", "download": "not known"},
)  # fmt: skip


def test_a_price_list_costs_what_one_works_out_on_paper() -> None:
    """22 a month buys 100,000 characters, more is 0.30 a thousand: 140,000 cost 22 + 40 x 0.30 = 34.00."""
    plan = stated_plan(LIST)
    used = Usage(characters=Decimal(140_000), sound_s=Decimal(8_400))
    total = month_cost(plan.tariff, used).total
    assert total is not None
    assert (total.amount, total.currency) == (Decimal("34.00"), "EUR")
    assert plan.rights == {"commercial use": "yes"}


def changed(kind: str, **texts: str) -> TypedPlan:
    lines = [replace(one, texts={**one.texts, **texts}) if one.kind == kind else one for one in LIST.lines]
    return replace(LIST, lines=tuple(lines))


@pytest.mark.parametrize(
    ("typed", "words"),
    [(changed("subscription", price="22,5"),
      "Subscription: '22,5' is no number. Nothing was changed. Write 22.5, with a point."),
     (replace(LIST, currency="EURO"), "'EURO' is no currency"),
     (changed("per unit", per="0"), "Price for every unit, for every: input should be greater than or equal to 1"),
     (changed("allowance", amount=""), "Included: a number is wanted"),
     (replace(LIST, name="  "), "The plan needs a name"),
     (changed("subscription", price="-1"), "Subscription: -1 is below"),
     (replace(LIST, lines=()), "A plan has at least one line"),
     (replace(LIST, lines=(Typed("credits", {"per_character": "fine"}),)), "'fine' is no model with a number")],
)  # fmt: skip
def test_what_is_no_price_is_said(typed: TypedPlan, words: str) -> None:
    with pytest.raises(InputError) as refused:
        stated_plan(typed)
    assert words in str(refused.value)


def texts_for(entry: Entry) -> st.SearchStrategy[str]:
    """What may be typed into a field."""
    money = st.decimals(min_value=0, max_value=10**6, places=4).map(lambda d: f"{d:f}")
    whole = st.integers(1, 10**9 if entry.name in ("amount", "per", "above") else 48).map("{:,}".format)
    of: dict[str, st.SearchStrategy[str]] = {
        "money": money, "number": st.integers(1, 9_999).map(str), "percent": st.integers(0, 100).map(str),
        "whole": whole, "switch": st.sampled_from(["", "yes"]), "factors": st.just("fine 1, fast 0.5, * 1"),
        "choice": st.sampled_from(list(entry.choices)) if entry.choices else st.just(""),
    }  # fmt: skip
    return st.just("") | of[entry.what] if entry.may_lack else of[entry.what]


lines = st.sampled_from(sorted(KINDS)).flatmap(
    lambda kind: st.fixed_dictionaries({e.name: texts_for(e) for e in KINDS[kind].form}).map(
        lambda t: Typed(kind, _can_be(t))
    )
)


def _can_be(texts: dict[str, str]) -> dict[str, str]:
    """Only what is included by the month or the year is kept for months."""
    return {**texts, "kept_months": ""} if texts.get("every") in ("day", "week") else texts


@given(st.lists(lines, min_size=1, max_size=6), st.sampled_from(["EUR", "USD", "JPY"]))
def test_a_plan_is_read_back_into_the_fields_as_the_same_plan(of: list[Typed], currency: str) -> None:
    sold = [line.texts["unit"] for line in of if line.kind in ("per unit", "pack")]
    packs = {line.texts["unit"] for line in of if line.kind == "pack"}
    assume(all(sold.count(unit) == 1 for unit in packs))
    plan = stated_plan(TypedPlan(name="Plan", currency=currency, lines=tuple(of)))
    assert stated_plan(as_typed(plan)) == plan
    assert all(part.words(currency) and part.stamp() for part in plan.tariff.components)


def test_every_component_has_a_form_for_all_that_it_holds() -> None:
    for kind, part in KINDS.items():
        assert {entry.name for entry in part.form} == set(part.model_fields) - {"kind"}, kind
        assert part.title
        assert fresh(kind).kind == kind


def test_the_years_the_pay_back_and_the_kept_minute_are_sums_on_paper() -> None:
    """19 a month, the first at 80 % off: 3.80 + 11 x 19 = 212.80 in the first year, 12 x 19 = 228 in the third. 69 once
    is cheaper from the fourth month (common practice, no source). 32 minutes at 19.00 with 10 hours at 30: 319 / 32."""
    rented = tariff_of(Typed("subscription", {"price": "19"}), Typed("discount", {"percent": "80", "months": "1"}))
    once = tariff_of(Typed("once", {"price": "69"}))
    brief = Brief(hours_per_month=Decimal(10), hourly_rate=Decimal(30), currency="EUR")
    first, third = years(rented, Rates(), brief, model="m")
    assert first is not None
    assert third is not None
    assert (first.amount, third.amount) == (Decimal("212.80"), Decimal(228))
    by_use = tariff_of(Typed("per unit", {"price": "0.30", "per": "1000", "unit": "character"}))
    again = Brief(retakes_percent=Decimal(25), currency="EUR")  # 32 minutes of 1,000 characters, and a quarter again
    assert years(by_use, Rates(), again, model="m")[0] == Money(Decimal(144), "EUR"), "what is rendered again is paid"
    plain = tariff_of(Typed("subscription", {"price": "19"}))
    assert pays_back_in(once, plain, Rates(), brief, model="m") == 4
    assert pays_back_in(plain, once, Rates(), brief, model="m") is None
    kept = kept_minute(Money(Decimal(19), "EUR"), brief)
    assert kept is not None
    assert kept.amount == Decimal(319) / 32


def test_units_kept_from_month_to_month_help_in_a_busy_one() -> None:
    """1,000 a month, unused ones kept for 2 months, 0.01 beyond: 0, 0, 3,500 are 500 over, where a month alone has
    2,500 over; after two more idle months the first of them has lapsed no unit yet."""
    grant = {"amount": "1000", "unit": "character", "every": "month"}
    by_use = Typed("per unit", {"price": "0.01", "per": "1", "unit": "character"})
    year = [Usage(characters=Decimal(n), sound_s=Decimal(0)) for n in (0, 0, 3_500, 0, 0, 0, 3_500, 0, 0, 0, 0, 0)]
    for kept, due in (("2", [0, 0, 5, 0, 0, 0, 5]), ("", [0, 0, 25, 0, 0, 0, 25])):
        plan = tariff_of(Typed("allowance", {**grant, "kept_months": kept}), by_use)
        assert [money and money.amount for money in paid_by_month(plan, year, 7)] == due
    with pytest.raises(InputError, match="only what is included by the month or the year can be kept"):
        tariff_of(Typed("allowance", {**grant, "every": "day", "kept_months": "2"}))
    with pytest.raises(InputError, match="sold in packs of one size or by the unit, not both"):
        tariff_of(Typed("pack", {"price": "5", "amount": "1000", "unit": "character"}), by_use)


def test_seats_words_tokens_weeks_tiers_for_all_and_tax_are_billed() -> None:
    use = Usage(characters=Decimal(6_000), sound_s=Decimal(360), seats=3)  # 1,000 words at 6 characters, 1,500 tokens
    for lines, amount in (
        ([Typed("subscription", {"price": "10", "per_seat": "yes"}), Typed("tax", {"percent": "19"})], "35.70"),
        ([Typed("per unit", {"price": "2", "per": "1,000", "unit": "word"})], "2"),
        ([Typed("per unit", {"price": "1", "per": "1,000", "unit": "token"})], "1.5"),
        (
            [
                Typed("per unit", {"price": "1", "per": "1,000"}),
                Typed("per unit", {"price": "0.5", "per": "1,000", "above": "5,000", "all_units": "yes"}),
            ],
            "3",
        ),
        (
            [
                Typed("per unit", {"price": "1", "per": "1,000"}),
                Typed("per unit", {"price": "0.5", "per": "1,000", "above": "5,000"}),
            ],
            "5.5",
        ),
        (
            [Typed("allowance", {"amount": "700", "every": "week"}), Typed("per unit", {"price": "1", "per": "1,000"})],
            "3",
        ),
        ([Typed("per unit", {"price": "1", "per": "1,000"}), Typed("least", {"price": "9"})], "9"),
    ):
        total = month_cost(tariff_of(*lines), use).total
        assert total is not None
        assert total.amount == Decimal(amount), lines


def tariff_of(*of: Typed) -> Tariff:
    return stated_plan(TypedPlan(name="Plan", currency="EUR", lines=of)).tariff


def test_an_engine_without_a_price_gets_one_and_its_candidates_with_it(project: Project) -> None:
    add_command_engine(project)
    add_demo_engine(project, "citrange")
    project.documents.put("brief", Brief(channel="C").model_dump(mode="json"))
    engines = project.shortlist.engines()
    (mine, *_) = project.shortlist.add(engines["Kitchen Table"], voice="hesk")
    project.shortlist.add(engines["Citrange"], voice="linnoway")
    (passage,) = project.texts.add(["Some words to say."], language="en-GB")
    pretend_take(project, mine.id, passage.version_id)
    takes = project.takes.all()
    assert not evaluate(project).rows[mine.id].cost.own
    project.shortlist.state_plans("Kitchen Table", [stated_plan(LIST)])
    project.shortlist.set_plan([mine.id], "Studio")
    found = evaluate(project)
    cost = found.rows[mine.id].cost
    assert cost.own is not None
    assert cost.own.amount >= 22
    assert project.takes.all() == takes, "takes stay, since the sound is the same"
    others = other_plans(found, project.shortlist.engines())
    assert {(one.row.candidate.engine, one.plan.name) for one in others} == {("Citrange", "Credits")}
    assert cheapest_in_words(found, others).startswith("Cheapest at this volume: Citrange · Linnoway, By the character")
    project.documents.put("plans of Kitchen Table", [{"name": ""}, 7])
    project.look_again()
    assert project.shortlist.engines()["Kitchen Table"].plans == (), "what cannot be read is left out"


def test_a_plan_that_a_must_have_bars_is_named_with_what_bars_it_and_is_no_advice(project: Project) -> None:
    """10 a thousand, 25 % retakes and 20 % tax: 32,000 characters are 480. Free lacks the right to publish."""
    add_command_engine(project)
    kitchen = project.shortlist.engines()["Kitchen Table"]
    rights = {"commercial use": "yes", "download": "yes"}
    lines = (Typed("per unit", {"price": "10", "per": "1,000"}), Typed("tax", {"percent": "20"}))
    paid = stated_plan(TypedPlan(name="Paid", currency="EUR", lines=lines, rights=rights))
    free = stated_plan(TypedPlan(name="Free", currency="EUR", rights={**rights, "commercial use": "no"},
                                 lines=(Typed("allowance", {"amount": "100000", "every": "month"}),)))  # fmt: skip
    project.shortlist.state_plans("Kitchen Table", [paid, free])
    kitchen = project.shortlist.engines()["Kitchen Table"]
    on_paid = project.shortlist.add(kitchen, voice="hesk", plan="Paid")[0]
    brief = Brief(retakes_percent=Decimal(25), budget_per_month=Decimal(470))
    project.set_brief(brief)

    def told() -> tuple[Evaluation, str]:
        found = evaluate(project)
        costs = costs_of(found, project.shortlist.engines())
        return found, " ".join([costs.verdict, *costs.remarks])

    found, said = told()
    row = found.rows[on_paid.id]
    assert str(row.cost.own) == "480.00 EUR"
    assert str(row.cost.retakes) == "96.00 EUR"
    assert [gate.verdict for gate in row.gates if gate.of_volume] == ["no"], "all that is due"
    curve = month_curve(paid.tariff, Rates(), brief, model="m")
    first, third = years(paid.tariff, Rates(), brief, model="m")
    assert first == third == Money(Decimal(480 * 12), "EUR")
    assert curve is not None
    assert curve.at([Decimal(32)]) == [Decimal(480)]
    assert "less under Free" not in said
    on_free = project.shortlist.add(kitchen, voice="hesk", plan="Free")[0]
    project.set_brief(brief.model_copy(update={"budget_per_month": None}))
    found, said = told()
    assert said.startswith("Cheapest at this volume: Kitchen Table · Hesk, Paid: 480.00 EUR a month. ")
    assert "Hesk, Free, would be 0.00 EUR, and cannot be chosen: commercial use (plan 'Free')" in said
    assert "under Free" not in said
    project.set_brief(brief.model_copy(update={"must_haves": ("download",)}))
    found, said = told()
    assert said.startswith("Cheapest at this volume: Kitchen Table · Hesk, Free: 0.00 EUR a month.")
    assert found.rows[on_free.id].rights == ("commercial use: no",), "the right stays in sight"
    assert "commercial use: no" in render_record(project, found)


def test_what_is_entered_by_hand_lies_over_the_file_and_is_undone_with_it(project: Project) -> None:
    add_demo_engine(project, "citrange")
    shortlist = project.shortlist
    before = shortlist.engines()["Citrange"]
    stated = ByHand(
        vendor="Limonaia Works", models=(entry_of("models", {"id": "citrange-fine", "name": "fine", "version": "1.3"}),
                                         entry_of("models", {"id": "citrange-new", "version": "0.9"})),
        voices=(entry_of("voices", {"id": "harl", "languages": ("en-GB",)}),),
        limits=limits_of({"characters_per_request": 500}),
        claims=(entry_of("claims", {"says": "Fastest of all", "about": "first sound s", "at_most": 0.1}),),
    )  # fmt: skip
    shortlist.put_by_hand("Citrange", stated)
    after = shortlist.engines()["Citrange"]
    assert [(m.id, m.version) for m in after.models] == [
        ("citrange-quick", "1.9"), ("citrange-fine", "1.3"), ("citrange-new", "0.9"),
    ]  # fmt: skip
    assert after.vendor == "Limonaia Works"
    assert after.limits.characters_per_request == 500
    assert after.limits.requests_at_once == before.limits.requests_at_once
    assert len(after.voices) == len(before.voices) + 1
    assert after.claims[-1].says == "Fastest of all"
    shortlist.put_by_hand("Citrange", ByHand())
    assert shortlist.engines()["Citrange"] == before
    project.documents.put("by hand: Citrange", {"models": 7})
    project.look_again()
    assert shortlist.engines()["Citrange"] == before, "what cannot be read is left out"
    with pytest.raises(InputError, match="Rank: input should be greater than or equal to 1"):
        entry_of("outside", {"board": "b", "rank": 0})


def test_an_engine_that_was_heard_of_is_asked_for_nothing(project: Project) -> None:
    source = heard_of_text("Somewhere", link="a talk")
    engine = parse_connector(source, name="it")
    project.shortlist.add_engine(engine, source, "it.yaml")
    assert project.shortlist.engines()["Somewhere"].route_label == "only heard of"
    with pytest.raises(SynthesisFailure, match="was only heard of"):
        open_connector(engine)
    with pytest.raises(InputError, match="needs a name"):
        heard_of_text(" ", link="")
