"""A component of a price that is one new file: the editor, files, bills, runs, caps, curves and the record follow."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from textwrap import dedent

COMPONENT = '''
from decimal import ROUND_CEILING, Decimal
from typing import ClassVar, Literal
from zestpanel.core.money.components.part import Charge, Entry, MonthAt, Part

class Crate(Part):
    """Crates of 1,000 characters, begun ones in full."""
    title: ClassVar = "Crates"
    place: ClassVar = 37
    form: ClassVar = (Entry("price", "money"),)
    kind: Literal["crate"] = "crate"
    price: Decimal
    @property
    def sells(self): return "character"
    @property
    def stairs(self): return True
    def words(self, currency): return f"{self.price} {currency} a crate"
    def line(self, units, at): return f"{units} crates"
    def charge(self, at: MonthAt):
        crates = (at.beyond["character"][-1] / 1000).to_integral_value(rounding=ROUND_CEILING)
        return Charge(crates * self.price, crates)
'''

PROGRAM = dedent(
    """
    import importlib.util, sys
    from datetime import date
    from decimal import Decimal
    from pathlib import Path
    name = "zestpanel.core.money.components"
    spec = importlib.util.find_spec(name)
    spec.submodule_search_locations.append(sys.argv[1])
    package = sys.modules[name] = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(package)

    from zestpanel.core.catalogue.stated_plan import TypedPlan, as_typed, stated_plan
    from zestpanel.core.choice.evidence import evaluate
    from zestpanel.core.domain.brief import Brief
    from zestpanel.core.money.components.part import Typed
    from zestpanel.core.money.curve import month_curve
    from zestpanel.core.money.metering import Meter
    from zestpanel.core.money.tariff import Usage
    from zestpanel.core.money.volume import Rates
    from zestpanel.core.report.record import render_record
    from zestpanel.core.report.tables import evidence_table
    from zestpanel.core.runs.plan.planning import plan_run
    from zestpanel.core.runs.spending.caps import SpendGuard, SpendingCaps
    from zestpanel.core.store.project import Project
    from tests.conftest import add_command_engine

    lines = (Typed("crate", {"price": "3"}), Typed("tax", {"percent": "20"}))
    typed = TypedPlan(name="Crates", currency="EUR", lines=lines)
    plan = stated_plan(typed)
    assert as_typed(plan) == typed, "the editor"
    project = Project.create(Path(sys.argv[2]) / "Crates.zest")
    project.set_brief(Brief(episodes_per_month=1, episode_minutes=Decimal("2.5")))
    add_command_engine(project)
    project.shortlist.state_plans("Kitchen Table", [plan])
    engine = project.shortlist.engines()["Kitchen Table"]
    assert engine.plan("Crates").tariff == plan.tariff, "what is kept"
    (candidate,) = project.shortlist.add(engine, voice="hesk", plan="Crates")
    project.texts.add(["One word after another. " * 60], language="en-GB")
    planned = plan_run(project)
    assert [str(cost) for cost in planned.costs] == ["7.20 EUR"], "a run"
    key = ("Kitchen Table", "Crates")
    caps = SpendingCaps(a_run={"EUR": Decimal(5)})
    guard = SpendGuard({"Kitchen Table": engine}, {}, [], caps, today=date(2026, 5, 1))
    use = Usage(characters=Decimal(1500), sound_s=Decimal(0))
    assert guard.reserve(key, use), "a cap"
    assert str(Meter(plan.tariff, {date(2026, 5, 1): use}, today=date(2026, 5, 2)).with_more(use).cost) == "3.60 EUR"
    found = evaluate(project)
    row = found.rows[candidate.id]
    assert str(row.cost.month.total) == "10.80 EUR" and row.cost.month.lines[0][0] == "3 crates", "the month"
    curve = month_curve(plan.tariff, Rates(), project.brief, model="m")
    assert curve.at([Decimal(1), Decimal("1.001")]) == [Decimal("3.6"), Decimal("7.2")], "the curve"
    assert "10.80 EUR" in render_record(project, found), "the record"
    assert any("10.80" in cells for cells in evidence_table(found)), "the exports"
    print("seen everywhere")
    """
)


def test_a_begun_crate_in_one_file_is_seen_everywhere(tmp_path: Path) -> None:
    added = tmp_path / "added"
    added.mkdir()
    (added / "crate.py").write_text(COMPONENT, encoding="utf-8")
    done = subprocess.run([sys.executable, "-c", PROGRAM, str(added), str(tmp_path)], capture_output=True, text=True)
    assert done.stdout.strip() == "seen everywhere", done.stderr
