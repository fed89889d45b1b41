"""An earlier run once more: the same requests to the character, and what changed by a stated test."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import Unmeasured, demo_engine_source
from zestpanel.core.analysis.changes.again import CHANGED, plan_again
from zestpanel.core.analysis.changes.comparing import Difference, adjusted, compare_runs, difference_of, ratio_of
from zestpanel.core.analysis.changes.silent import in_words, silent_changes
from zestpanel.core.catalogue.candidate import candidate_detail, candidate_name, short_names
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.choice.decision import decide
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import InputError
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService

TEXTS = [
    "The last frost falls in May.",
    "Nobody spoke of apples until Lent.",
    "Rain before seven, fine before eleven.",
    "The medlar is best when it is nearly lost.",
]


@pytest.fixture
def bench(project: Project, service: StandInService) -> Project:
    service.behaviour.delay_s = dict.fromkeys(service.behaviour.delay_s, 0.0)
    for name in ("citrange", "mandelo"):
        source = demo_engine_source(name)
        project.shortlist.add_engine(parse_connector(source, name=name), source, f"{name}.yaml")
    from zestpanel.core.connectors.voice_list import fetch_voices

    engines = project.shortlist.engines()
    project.shortlist.put_fetched("Mandelo", fetch_voices(engines["Mandelo"]))
    engines = project.shortlist.engines()
    project.shortlist.add(engines["Citrange"], voice="linnoway")
    english = next(v for v in engines["Mandelo"].voices if v.speaks("en-GB"))
    project.shortlist.add(engines["Mandelo"], voice=english.id, language="en-GB", plan="Orchard")
    project.texts.add(TEXTS, language="en-GB")
    return project


def test_a_silently_changed_model_is_found_and_the_unchanged_one_is_cleared(
    bench: Project, service: StandInService
) -> None:
    make(bench, plan_run(bench))
    first = min(bench.journal.runs())
    service.behaviour.today = "2027-02-01"  # Mandelo speaks with another model and says nothing of it
    planned = plan_again(bench, bench.journal.runs()[first])
    assert len(planned.jobs) == 8
    assert {t.asked for t in bench.takes.all()} == {j.asked for j in planned.jobs}, "the same requests to the character"
    make(bench, planned)
    second = max(bench.journal.runs())
    assert (bench.journal.runs()[second].kind, bench.journal.runs()[second].of_run) == ("again", first)
    found = {c.candidate.engine: c for c in compare_runs(bench.shortlist, bench.takes, bench.journal, first, second)}
    assert len(found["Citrange"].pairs) == len(found["Mandelo"].pairs) == 4
    assert found["Citrange"].same_sound == 4
    assert [d.name for d in found["Citrange"].changes if d.yardstick.about != "timing"] == []
    mandelo = found["Mandelo"]
    assert mandelo.silently
    assert mandelo.same_sound == 0
    by_name = {d.name: d for d in mandelo.differences}
    # the stand-in's hidden model speaks 6 % faster and 7 % lower
    assert by_name["pitch_hz"].mean == pytest.approx(-0.07, abs=0.02)
    assert by_name["speaking_rate"].mean == pytest.approx(0.06, abs=0.03)
    assert by_name["pitch_hz"].changed
    assert "pitch −" in mandelo.verdict()
    assert mandelo.models[0] == mandelo.models[1]
    # it is told without being asked for, and no more once it is known
    ((earlier, noticed),) = silent_changes(bench.takes, bench.shortlist, bench.journal, second)
    assert (earlier, noticed.candidate.engine) == (first, "Mandelo")
    assert in_words("Pip", earlier, noticed).startswith("Pip sounds otherwise than in run 1, and nothing said so: ")
    assert silent_changes(bench.takes, bench.shortlist, bench.journal, first) == []
    bench.shortlist.split(noticed.candidate.id, second)
    assert silent_changes(bench.takes, bench.shortlist, bench.journal, second) == []


def test_after_a_silent_change_then_and_now_are_two_candidates(bench: Project) -> None:
    """A model's version is part of what a candidate is (common practice, no source)."""
    make(bench, plan_run(bench), executor=Unmeasured())
    first = min(bench.journal.runs())
    citrange, mandelo = bench.shortlist.candidates()
    version = bench.texts.all()[0].version_id
    listener = bench.panel.add_listener("Ash")
    take = next(t for t in bench.takes.all(candidate_id=mandelo.id) if t.passage_version_id == version)

    def rate(take: Take, score: float) -> None:
        row = {"listener_id": listener.id, "candidate_id": take.candidate_id, "take_id": take.id, "score": score}
        bench.answers.add_ratings([{**row, "passage_version_id": version, "origin": "booth"}])

    rate(take, 4.0)
    with pytest.raises(InputError, match="both before that run and since"):
        bench.shortlist.split(mandelo.id, first)
    wanted = {(c.id, p.id) for c in (citrange, mandelo) for p in bench.texts.all()[:2]}
    make(bench, plan_again(bench, bench.journal.runs()[first], only=lambda c, p: (c.id, p.id) in wanted),
         executor=Unmeasured())  # fmt: skip
    second = max(bench.journal.runs())
    new_take = next(t for t in bench.takes.all() if t.run_id == second and t.candidate_id == mandelo.id
                    and t.passage_version_id == version)  # fmt: skip
    rate(new_take, 2.0)
    before = _everything(bench)

    split = bench.shortlist.split(mandelo.id, second)
    _, then, now = bench.shortlist.candidates()
    assert (then.id, now.id) == (mandelo.id, split.later_id)
    assert then.ended == now.created == bench.journal.runs()[second].created
    names = short_names([then, now], bench.shortlist.engines())
    assert names[then.id] == f"{names[now.id]}, earlier"
    assert candidate_detail(then, None).startswith(f"until {then.ended_on} · ")
    again = replace(then, id=99)
    assert list(short_names([then, again, now], {}).values())[:2] == [
        f"{candidate_name(then, None)} {n}" for n in (1, 2)
    ]
    assert {t.run_id for t in bench.takes.all(candidate_id=then.id)} == {first}
    assert {t.run_id for t in bench.takes.all(candidate_id=now.id)} == {second}
    assert [(r.candidate_id, r.score) for r in bench.answers.ratings()] == [(then.id, 4.0), (now.id, 2.0)]
    rate(new_take, 3.0)  # as a session that began before does: it still names the earlier candidate
    assert [(r.candidate_id, r.score) for r in bench.answers.ratings()] == [(then.id, 4.0), (now.id, 3.0)]
    assert {r.candidate_id for r in bench.journal.rows(run_id=second)} == {citrange.id, now.id}

    # the earlier one is made no more, and what is missing of the later one is asked for, not served from the earlier
    planned = plan_run(bench)
    assert {(j.candidate.id, j.passage.title) for j in planned.jobs} == {
        (now.id, p.title) for p in bench.texts.all()[2:]
    }
    assert planned.served == 0
    assert {(c.id, why) for c, _, why in planned.left_out} == {
        (then.id, f"the same request gives another sound since {then.ended_on}")
    }
    with pytest.raises(InputError, match="can still be made"):
        decide(bench, evaluate(bench), role="main narrator", candidate_id=then.id, why="by ear", by="Ash")
    # both are still compared, and the first run once more asks the one that goes on
    change = next(
        c for c in compare_runs(bench.shortlist, bench.takes, bench.journal, first, second) if c.candidate.id == now.id
    )
    assert (len(change.pairs), change.kept_apart) == (2, True)
    again = plan_again(bench, bench.journal.runs()[first])
    assert {j.candidate.id for j in again.jobs} == {citrange.id, now.id}  # type: ignore[attr-defined]
    assert len(again.jobs) == 8  # type: ignore[attr-defined]
    # the same voice is on the shortlist already
    engine = bench.shortlist.engines()["Mandelo"]
    assert bench.shortlist.add(engine, voice=now.voice, language="en-GB", plan="Orchard") == []
    with pytest.raises(InputError, match="has ended already"):
        bench.shortlist.split(then.id, second)

    # taken back: all is as it was, and what was done since is kept
    bench.shortlist.merge_back(split)
    listed, all_takes, asked, scores = before
    assert _everything(bench) == (listed, all_takes, asked, [(mandelo.id, 3.0)])
    assert scores == [(mandelo.id, 2.0)], "one listener, one cell: the last rating stands"


def _everything(project: Project) -> tuple[object, ...]:
    return (
        project.shortlist.candidates(),
        project.takes.all(),
        project.journal.rows(),
        [(r.candidate_id, r.score) for r in project.answers.ratings()],
    )


def test_what_was_edited_since_is_left_out_and_a_new_price_is_seen(bench: Project) -> None:
    make(bench, plan_run(bench), executor=Unmeasured())
    first = min(bench.journal.runs())
    bench.texts.edit(bench.texts.all()[0].id, "The last frost fell in May.")
    source = demo_engine_source("citrange").replace('price: "18.00"', 'price: "22.00"')
    bench.shortlist.add_engine(parse_connector(source, name="citrange"), source, "citrange.yaml")
    planned = plan_again(bench, bench.journal.runs()[first])
    assert len(planned.jobs) == 6
    make(bench, planned, executor=Unmeasured())
    found = {
        c.candidate.engine: c
        for c in compare_runs(bench.shortlist, bench.takes, bench.journal, first, max(bench.journal.runs()))
    }
    assert found["Citrange"].price[0] != found["Citrange"].price[1]
    assert "price " in found["Citrange"].verdict()
    assert found["Mandelo"].price[0] == found["Mandelo"].price[1]
    for passage in bench.texts.all():
        bench.texts.edit(passage.id, passage.text + " Indeed.")
    with pytest.raises(InputError, match="Nothing of that run can be asked for again"):
        plan_again(bench, bench.journal.runs()[first])
    assert "changed since" in CHANGED


def test_the_test_is_the_textbook_one() -> None:
    """Source: Student (1908), The probable error of a mean: the ten differences of his sleep data (also in R as
    ``sleep``), mean 1.58, t = 4.062 on 9 degrees of freedom, p = 0.00283."""
    sleep = [1.2, 2.4, 1.3, 1.3, 0.0, 1.0, 1.8, 0.8, 4.6, 1.4]
    found = difference_of("loudness_lufs", sleep)
    assert found.mean == pytest.approx(1.58)
    assert found.p == pytest.approx(0.00283, abs=5e-6)
    assert (found.low, found.high) == (pytest.approx(0.7001, abs=5e-4), pytest.approx(2.4599, abs=5e-4))
    from scipy.stats import ttest_1samp

    assert found.p == pytest.approx(float(ttest_1samp(sleep, 0).pvalue))


def test_chance_alone_is_seldom_called_a_change() -> None:
    """Two hundred benches of ten candidates and eight measures without any change: at most 5 % call one (Holm)."""
    rng = np.random.default_rng(4)
    alarms = 0
    for _ in range(200):
        noise = rng.normal(0, 1.0, size=(80, 8))
        found = [difference_of("loudness_lufs", row) for row in noise]
        smallest = min(d.p for d in found)
        alarms += smallest * len(found) < 0.05
    assert alarms / 200 < 0.05 + 2 * np.sqrt(0.05 * 0.95 / 200)


@settings(max_examples=40)
@given(st.lists(st.floats(-5, 5), min_size=3, max_size=12))
def test_small_changes_are_within_the_allowance(values: list[float]) -> None:
    found = difference_of("loudness_lufs", values)
    certain = Difference(name="loudness_lufs", mean=found.mean, low=0, high=0, n=found.n, p=0.0, adjusted_p=0.0)
    assert certain.changed == (abs(found.mean) > 0.5)
    assert adjusted([]) == []


def test_two_waits_of_one_law_do_not_differ_by_a_biased_ratio() -> None:
    """The mean of ratios of two equal skewed laws is far over 1; their geometric mean is 1. By hand for two pairs."""
    rng = np.random.default_rng(8)
    then, now = np.exp(rng.normal(0, 0.9, (2, 4000)))
    assert (now / then).mean() - 1 > 0.9
    found = ratio_of("last_byte_s", then, now)
    assert found.mean == pytest.approx(0, abs=0.05)
    assert found.low < 0 < found.high
    by_hand = ratio_of("last_byte_s", np.array([1.0, 1.0, 1.0]), np.array([2.0, 2.0, 8.0]))
    assert by_hand.mean == pytest.approx((2 * 2 * 8) ** (1 / 3) - 1)


def test_few_differences_that_are_all_alike_are_no_certainty() -> None:
    assert difference_of("words_wrong", [10.0, 10.0, 10.0]).p == 0.25, "exact signed ranks: 2 of 8 patterns"
    assert difference_of("characters_billed", [0.1, 0.1, 0.1]).p == 0.0, "a price is a fact"
