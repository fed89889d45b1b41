"""Plans that a person reads off a price list: what is typed is billed, and the plan is a choice on a candidate."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import add_command_engine, add_demo_engine, pretend_take
from zestpanel.core.catalogue.stated_plan import UNITS, Typed, as_typed, stated_plan
from zestpanel.core.choice.evidence import standing
from zestpanel.core.choice.other_plans import cheapest_in_words, other_plans
from zestpanel.core.domain.brief import Brief
from zestpanel.core.errors import InputError
from zestpanel.core.money.tariff import Usage, month_cost
from zestpanel.core.store.project import Project

LIST = Typed(
    name="Studio", currency="eur", fee="22", included="100,000", price="0.30", per="1,000", source="price list",
    dated=date(2026, 11, 1), rights={"commercial use": "yes", "download": "not known"},
)  # fmt: skip


def test_a_price_list_costs_what_one_works_out_on_paper() -> None:
    """22 a month buys 100,000 characters, more is 0.30 a thousand: 140,000 cost 22 + 40 x 0.30 = 34.00."""
    plan = stated_plan(LIST)
    used = Usage(characters=Decimal(140_000), sound_s=Decimal(8_400))
    total = month_cost(plan.tariff, used).total
    assert total is not None
    assert (total.amount, total.currency) == (Decimal("34.00"), "EUR")
    assert plan.rights == {"commercial use": "yes"}


@pytest.mark.parametrize(
    ("change", "words"),
    [({"fee": "22,5"}, "Subscription: '22,5' is no number. Nothing was changed. Write 22.5, with a point."),
     ({"currency": "EURO"}, "'EURO' is no currency"), ({"per": "0"}, "Price for every: 0 is below 1"),
     ({"name": "  "}, "The plan needs a name"), ({"fee": "-1"}, "Subscription: -1 is below 0"),
     ({"fee": "", "included": "", "price": ""}, "A plan has a price, a subscription")],
)  # fmt: skip
def test_what_is_no_price_is_said(change: dict[str, str], words: str) -> None:
    from dataclasses import replace

    with pytest.raises(InputError) as refused:
        stated_plan(replace(LIST, **change))
    assert words in str(refused.value)


amounts = st.decimals(min_value=0, max_value=10**6, places=4).map(lambda d: f"{d:f}")


@given(
    st.builds(
        Typed, name=st.just("Plan"), currency=st.sampled_from(["EUR", "USD", "JPY"]), fee=st.just("") | amounts,
        fee_every=st.sampled_from(["month", "year"]), included=st.just("") | st.integers(0, 10**9).map("{:,}".format),
        included_every=st.sampled_from(["day", "month", "year"]), unit=st.sampled_from(UNITS), price=amounts,
        per=st.integers(1, 10**6).map("{:,}".format), once=st.just("") | amounts,
    )
)  # fmt: skip
def test_a_plan_is_read_back_into_the_fields_as_the_same_plan(typed: Typed) -> None:
    plan = stated_plan(typed)
    again = as_typed(plan)
    assert again is not None
    assert stated_plan(again) == plan


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
    assert not standing(project).rows[mine.id].cost.own
    project.shortlist.state_plans("Kitchen Table", [stated_plan(LIST)])
    project.shortlist.set_plan([mine.id], "Studio")
    found = standing(project)
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
