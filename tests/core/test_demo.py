"""The made-up scenario: whole, invented, and built through the same doors as anybody's project."""

from __future__ import annotations

import contextlib
from pathlib import Path

import pytest

from tests.conftest import demo_engine_source
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.choice.decided import decisions
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.runs.files.dialogue import takes_of
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.database import FILE
from zestpanel.core.store.project import Project
from zestpanel.demo import building
from zestpanel.standins.service import StandInService


def test_the_scenario_has_something_for_every_view() -> None:
    data = building.scenario()
    assert len({p["language"] for p in data["passages"]}) == 2
    assert len(data["passages"]) >= 6
    assert len(data["shortlist"]) >= 7
    assert len(data["panel"]["quality"]) == len(data["shortlist"])
    assert len(data["panel"]["hard"]) == len(data["passages"])


def test_a_small_demo_is_built_and_opens(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    data = building.scenario()
    data["shortlist"] = [data["shortlist"][0], data["shortlist"][4], data["shortlist"][8]]
    data["passages"] = data["passages"][1:2]
    panel = data["panel"]
    panel["quality"] = [panel["quality"][i] for i in (0, 4, 8)]
    panel["hard"] = panel["hard"][1:2]
    data["marks"] = [{"candidate": 3, "passage": 1, "word": 5, "kind": "odd stress", "note": ""}]
    data["further"] = {
        "load": {"candidates": [1], "passages": [1], "repeats": 1, "at_once": [1]},
        "sweep": {**data["further"]["sweep"], "values": [1.0, 2.0], "repeats": 1, "passage": 1},
        "again": {"candidates": [1, 2], "passages": [1], "day": "2027-02-01"},
    }
    data["tests"] = {"preference": {"candidates": [1, 2, 3], "listeners": 2, "most": 2},
                     "ABX": {"candidates": [1, 99], "listeners": 1, "heard": 1.0}}  # fmt: skip
    data["decisions"] = [{"role": "main narrator", "candidate": 1, "runner_up": 3, "by": "x", "why": "y"}]
    monkeypatch.setattr(building, "scenario", lambda name="scenario": data)
    folder = tmp_path / building.NAME
    with building.stand_in_service():
        building.begin(folder)
        assert not building.is_whole(folder)
        whole, data["panel"] = data["panel"], {}
        with pytest.raises(KeyError):  # as if it had been ended in the middle
            building.go_on(folder, lambda _: None)
        data["panel"] = whole
        with contextlib.closing(Project.open(folder)) as project:
            assert building.steps_done(project) == ["catalogue", "rendered"]
        building.go_on(folder, lambda _: None)
        assert building.is_whole(folder)
        before = (folder / FILE).read_bytes()
        building.go_on(folder, lambda _: None)
        assert (folder / FILE).read_bytes() == before, "what was made is not made again"
    project = Project.open(folder)
    found = evaluate(project)
    turns = project.dialogues.turns("At the gate")
    assert len(turns) == 6
    by_kind = {run.id: run.kind for run in project.journal.runs().values()}
    assert sorted(set(by_kind.values())) == ["again", "bench", "load", "sweep"]
    of_sweep = 1  # where it stands the sweep is served from the store, for nothing
    sent = [t for t in project.takes.all() if t.copied_from is None]
    assert len(sent) == 3 * building.REPEATS + len(turns) + 1 + of_sweep + 4
    assert all(take is not None for _, take in takes_of(project, "At the gate"))
    scores = [row.score for row in found.rows.values()]
    assert all(s is not None and s.simulated == s.ratings for s in scores), "simulated ratings are marked as such"
    best, middle, worst = (s.mean for s in scores if s is not None)
    assert best > middle > worst
    assert len(project.takes.marks()) == building.REPEATS - 1
    assert [d.role for d in decisions(project.documents)] == ["main-narrator"]
    assert project.journal.rows(state="open") == []
    project.close()
    assert not list(tmp_path.glob("*.part"))


def test_the_traps_are_all_said_before_anything_is_sent(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every candidate of the traps project has its own trap named; no request goes out."""
    monkeypatch.delenv("ZEST_SECRET_KUMBAVA", raising=False)
    monkeypatch.setenv("PYTHON_KEYRING_BACKEND", "keyring.backends.null.Keyring")
    with StandInService() as service:
        monkeypatch.setenv("ZEST_LIMONAIA_ADDRESS", service.address)
        monkeypatch.setenv("ZEST_SECRET_LIMONAIA", service.behaviour.key)
        building.build_traps(tmp_path / "Traps.zest")
        asked = service.behaviour.requests
    project = Project.open(tmp_path / "Traps.zest")
    planned = plan_run(project)
    by_voice: dict[str, str] = {}
    for candidate, _, reason in planned.left_out:
        key = f"{candidate.voice} {candidate.model} {sorted(candidate.settings.items())}"
        by_voice[key] = by_voice.get(key, "") + "; " + reason
    project.close()
    for item in building.scenario("traps")["shortlist"]:
        fitting = [
            text
            for key, text in by_voice.items()
            if key.startswith(item["voice"]) and all(f"'{v}'" in key for v in item.get("settings", {}).values())
        ]
        assert any(item["trap"] in text for text in fitting), (item, by_voice)
    assert asked == 0


def test_an_engine_that_changes_its_model_says_nothing_of_it(service: StandInService) -> None:
    from zestpanel.core.connectors.opening import open_connector
    from zestpanel.core.connectors.speaking import SpeakRequest
    from zestpanel.core.measures.pitch import measure_pitch

    connector = open_connector(parse_connector(demo_engine_source("mandelo"), name="m"))
    asked = SpeakRequest(text="The frost came in June.", language="en-GB", voice="pip-006", model="mandelo-1",
                         settings={"mood": "plain"}, seed=1)  # fmt: skip
    before = connector.speak(asked)
    service.behaviour.today = service.behaviour.new_model_on
    after = connector.speak(asked)
    connector.close()
    assert (before.model_used, before.voice_used) == (after.model_used, after.voice_used)
    low, high = measure_pitch(after.clip).median_hz, measure_pitch(before.clip).median_hz
    assert low is not None
    assert low == pytest.approx(0.93 * (high or 0), rel=0.02)


def test_marks_are_acted_on_by_engines_that_know_them_and_read_aloud_by_the_others(service: StandInService) -> None:
    from zestpanel.core.connectors.opening import open_connector
    from zestpanel.core.connectors.speaking import SpeakRequest

    def length(name: str, voice: str, text: str) -> float:
        engine = parse_connector(demo_engine_source(name), name=name)
        connector = open_connector(engine)
        asked = SpeakRequest(text=text, language="en-GB", voice=voice, model="m", settings=engine.factory_settings())
        found = connector.speak(asked)
        connector.close()
        return found.clip.duration_s

    plain, ssml, own = "Wait here.", 'Wait <break time="800ms"/>here.', "Wait {rest 800}here."
    assert length("citrange", "linnoway", ssml) > length("citrange", "linnoway", plain) + 1.0  # "break time equals ..."
    assert length("tangor", "ilseth", ssml) == pytest.approx(length("tangor", "ilseth", plain) + 0.8, abs=0.15)
    assert length("citrange", "linnoway", own) == pytest.approx(length("citrange", "linnoway", plain) + 0.8, abs=0.15)
