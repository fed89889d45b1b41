"""Sweeps: one setting varied, the rest held still, and the rule that marks where it becomes unstable."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError

from tests.conftest import add_demo_engine
from zestpanel.core.analysis.sweeps.results import (
    MOST_SPREAD,
    PointResult,
    Spread,
    judged,
    spreads_more,
    sweep_result,
    within,
)
from zestpanel.core.analysis.sweeps.running import plan_sweep
from zestpanel.core.catalogue.varying import values_over
from zestpanel.core.domain.sweep import Axis, SweepSpec
from zestpanel.core.errors import InputError
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService

TEXT = "The last frost falls in May, and nobody in the valley plants a bean before it has come and gone."


@pytest.fixture
def bench(project: Project, service: StandInService) -> Project:
    service.behaviour.delay_s = dict.fromkeys(service.behaviour.delay_s, 0.0)
    add_demo_engine(project, "tangor")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    project.texts.add([TEXT], language="en-GB")
    return project


@pytest.mark.listens
def test_a_sweep_finds_where_its_setting_becomes_unstable(bench: Project, service: StandInService) -> None:
    own, passage = bench.shortlist.candidates()[0], bench.texts.all()[0]
    control = next(c for c in bench.shortlist.engines()["Tangor"].controls if c.name == "liveliness")
    assert values_over(control, 0.6, 2.0, 8) == (0.6, 0.8, 1.0, 1.2, 1.4, 1.6, 1.8, 2.0)
    values = (0.6, 1.0, 1.4, 1.8, 2.0)
    spec = SweepSpec(candidate_id=own.id, axes=(Axis(control="liveliness", values=values),),
                     passage_ids=(passage.id,), repeats=3)  # fmt: skip
    sweep = bench.sweeps.add(spec)
    assert [c.settings["liveliness"] for c in sweep.points] == list(values)
    assert {(c.settings["pace"], c.settings["mood"], c.voice) for c in sweep.points} == {(1.0, "plain", "ilseth")}
    assert bench.shortlist.candidates() == [own], "points are not on the shortlist"
    planned = plan_sweep(bench, sweep)
    assert len(planned.jobs) == 15
    assert planned.characters == 15 * len(TEXT)
    progress = make(bench, planned)
    assert (progress.done, progress.held) == (15, "")
    assert service.behaviour.used == 15 * len(TEXT)
    result = sweep_result(bench, sweep)
    movement = [p.measures["pitch_sd_st"].median for p in result.points if p.values[0] <= 1.4]  # type: ignore[operator]
    assert movement == sorted(movement), "what the setting is for moves with it"
    assert result.above is not None
    # the stand-in is steady up to 1.5, whatever the setting is called
    assert result.above[0] >= 1.4
    assert result.above[1] <= 1.8
    assert result.below is None
    top = result.points[-1]
    assert any("of its words are wrong" in why for why in top.unstable)
    wrong = {p.values[0]: p.measures["words_wrong"].median for p in result.points}
    assert max(wrong[0.6], wrong[1.0], wrong[1.4]) <= 5
    assert wrong[1.8] > 5
    assert wrong[2.0] > 20, "up to a third of the words are lost at the top"
    assert not next(p for p in result.points if p.here).unstable
    # a point becomes a candidate, and its takes serve it without a request
    asked = service.behaviour.requests
    kept = bench.shortlist.add(bench.shortlist.engines()["Tangor"], voice="ilseth", settings={"liveliness": 1.4})
    from zestpanel.core.runs.plan.planning import plan_run

    again = plan_run(bench, repeats=3, candidates=kept)
    assert (len(again.jobs), again.served) == (3, 3)
    make(bench, again)
    assert service.behaviour.requests == asked


def test_two_settings_make_a_small_grid_and_what_is_wrong_is_refused(bench: Project) -> None:
    own, passage = bench.shortlist.candidates()[0], bench.texts.all()[0]
    base = {"candidate_id": own.id, "passage_ids": (passage.id,)}
    grid = SweepSpec(**base, axes=(Axis(control="pace", values=(0.8, 1.0)), Axis(control="mood", values=("calm", "plain", "warm"))))  # fmt: skip  # noqa: E501
    sweep = bench.sweeps.add(grid)
    assert len(sweep.points) == 6
    assert len({tuple(sorted(c.settings.items())) for c in sweep.points}) == 6
    with pytest.raises(InputError, match="Tangor has no setting 'breath' for this voice"):
        bench.sweeps.add(SweepSpec(**base, axes=(Axis(control="breath", values=(0.0, 0.1)),)))
    with pytest.raises(InputError, match=r"pace goes from 0\.7 to 1\.4"):
        bench.sweeps.add(SweepSpec(**base, axes=(Axis(control="pace", values=(1.0, 9.0)),)))
    with pytest.raises(ValidationError, match="at most 60 points"):
        SweepSpec(**base, axes=(Axis(control="pace", values=tuple(k / 100 for k in range(70, 140))),))
    assert [s.id for s in bench.sweeps.all()] == [sweep.id]
    bench.sweeps.set_removed(sweep.id, True)
    assert bench.sweeps.all() == []


def _point(value: float, lengths: tuple[float, ...], *, wrong: float = 0.0, failed: int = 0) -> PointResult:
    sd, df = within([lengths], ratio=True)
    measures = {"duration_s": Spread(values=lengths, sd=sd, df=df), "words_wrong": Spread(values=(wrong,))}
    return PointResult(values=(value,), candidate_id=round(value * 10), takes=(), failed=failed, measures=measures,
                       here=value == 1.0)  # fmt: skip


def test_the_rule_by_hand() -> None:
    """By hand: 4.0, 4.6, 5.6 have a standard deviation of 16.9 % of their length (of their logarithms), 2 x (16.9 / 5)²
    is 22.8 and over 5.99, chi-squared's 5 % with two degrees of freedom; (16.9 / 1.4)² is over 19, that of F. 4.0, 4.2,
    4.5 have 5.9 %: 2.8."""
    points = [
        _point(0.5, (4.0, 4.1, 4.3), failed=1),
        _point(0.8, (4.0, 4.2, 4.5)),
        _point(1.0, (4.0, 4.0, 4.1)),
        _point(1.2, (4.0, 4.0, 4.1), wrong=10.0),
        _point(1.4, (4.0, 4.6, 5.6)),
        _point(1.6, (4.0, 4.0, 4.1), wrong=10.1),
    ]
    result = judged(points, one_axis=True)
    assert [list(p.unstable) for p in result.points] == [
        ["1 failed"], [], [], [], ["lengths of repeats spread by 17 %"], ["10 % of its words are wrong"],
    ]  # fmt: skip
    assert result.below == (0.8, 0.5)
    assert result.above == (1.2, 1.4)
    # where repeats spread by 9 % at home, 17 % is not shown to be more
    wide = judged([_point(1.0, (4.0, 4.3, 4.8)), _point(1.4, (4.0, 4.6, 5.6))], one_axis=True)
    assert wide.above is None


@pytest.mark.parametrize("repeats", [3, 5, 10])
@pytest.mark.parametrize("texts", [1, 4])
def test_more_repeats_make_no_point_unstable(repeats: int, texts: int) -> None:
    """A voice that spreads by just the bound, at every point: 5 % of points may be called unstable (8 % of so few)."""
    rng, told = np.random.default_rng(repeats), 0
    for _ in range(400):
        x = 4 * np.exp(rng.normal(0, MOST_SPREAD, (texts, repeats)))
        sd, df = within(list(x), ratio=True)
        told += spreads_more(Spread(values=(4.0,), sd=sd, df=df), None, MOST_SPREAD)
    assert told / 400 <= 0.08
