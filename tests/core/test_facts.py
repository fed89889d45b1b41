"""Facts with their sources, claims against own figures, and what stands in the way before anything is sent."""

from __future__ import annotations

import sys
from collections import Counter
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import demo_engine_source, pretend_take, tone
from zestpanel.core.analysis.statistics.tails import normal_quantile
from zestpanel.core.analysis.timing.waits import quantile_interval
from zestpanel.core.catalogue.claims import Held, OwnFigure, hold
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.engine_facets import EngineTraits, narrowed
from zestpanel.core.catalogue.fact_list import FACTS, Statement, read_facts
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import OwnStatement, ledger, troubles
from zestpanel.core.catalogue.machine import Machine, Verdict, fits, this_machine
from zestpanel.core.catalogue.outside import Claim
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.connectors.preflight import Surroundings, obstacles, remarks, text_obstacles
from zestpanel.core.domain.brief import MUST_HAVES, Brief
from zestpanel.core.errors import ConnectorError, InputError
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.secrets.keys import find_secret, forget_secret, has_secret, keep_secret
from zestpanel.core.store.notes import VoiceNote
from zestpanel.core.store.own_voices import Consent
from zestpanel.core.store.project import Project

FILE = """\
zest-connector: 1
engine: Quincewood
facts:
  keeps no data: yes
  requests a minute:
    - {value: 60, source: documentation, dated: 2026-09-01}
    - {value: 30, source: price page, dated: 2026-10-01}
  sample rates: [22050, 44100]
models:
  - {id: small, version: "1", facts: {memory: 900, offline: yes, licence of weights: own terms}}
  - {id: large, version: "2", facts: {memory: 64000, needs a file: "${ZEST_NOWHERE_HERE}/large.bin"}}
voices:
  - {id: pomona, languages: [en-GB], styles: [calm], tier: gold, facts: {made from: a recording}}
  - {id: famed, languages: [en-GB], facts: {well-known person: yes}}
controls:
  - {name: mood, kind: choice, choices: [plain, calm, whisper], default: plain, means: style}
  - {name: depth, kind: number, low: 0, high: 2, default: 1, models: [large]}
plans:
  - name: Basic
    tariff: {currency: EUR, components: [{kind: per unit, price: "10", per: 1000000, unit: character}]}
    rights: {commercial use: yes}
    facts: {commercial use: {value: no, source: terms page}, term: while paid}
    source: price page
    dated: 2026-05-01
limits: {characters_per_request: 100}
marks: {break: yes, emphasis: no}
takes_recordings: true
speak: {kind: command, arguments: [PROGRAM, "{text}", "{output}"]}
"""
TODAY = date(2026, 11, 25)


def quincewood(**changes: Any) -> Engine:
    return parse_connector(FILE.replace("PROGRAM", sys.executable), name="q.yaml").model_copy(update=changes)


def test_every_fact_is_there_with_unknown_where_nothing_is_said() -> None:
    engine = quincewood()
    known = ledger(engine, "engine", today=TODAY)
    assert set(known) == {fact.name for fact in FACTS if fact.about == "engine"}
    assert known["trial"].state == "unknown"
    assert known["keeps no data"].state == "yes"
    assert known["largest text"].words == "100 characters"
    assert known["sample rates"].words == "22,050, 44,100 Hz"


def test_sources_that_disagree_are_shown_and_count_as_unknown_until_settled(project: Project) -> None:
    engine = quincewood()
    plan = ledger(engine, "plan", "Basic", today=TODAY)["commercial use"]
    assert (plan.state, plan.words, plan.disagree) == ("unknown", "yes or no", True)
    assert "price page, 2026-05-01; terms page, no date" in plan.source
    limits = ledger(engine, "engine", today=TODAY)["requests a minute"]
    assert (limits.words, limits.disagree) == ("60 or 30", True)
    number = project.notes.state("Quincewood", "plan", "Basic", "commercial use", "yes", source="letter", settles=True)
    own = project.notes.statements()["Quincewood"]
    settled = ledger(engine, "plan", "Basic", own, today=TODAY)["commercial use"]
    assert (settled.state, settled.disagree) == ("yes", True)
    project.notes.set_statement_removed(number, True)
    assert project.notes.statements() == {}
    with pytest.raises(InputError, match="'download' is yes or no"):
        project.notes.state("Quincewood", "plan", "Basic", "download", "perhaps")


def test_what_is_old_or_in_dispute_is_listed() -> None:
    found = troubles(quincewood(), today=TODAY, age_days=90)
    assert any("requests a minute: sources disagree: 60 (documentation, 2026-09-01); 30" in line for line in found)
    assert "Basic: its price is of 2026-05-01, older than 90 days" in found
    assert troubles(quincewood(facts={}, plans=()), today=TODAY) == []


@pytest.mark.parametrize(
    ("about", "given", "complaint"),
    [("engine", {"colour": "red"}, "'colour' is no fact of an engine"), ("plan", {"download": 3}, "is yes or no"),
     ("model", {"memory": "much"}, "is a number"), ("engine", {"trial": "unknown"}, "leave out what is unknown")],
)  # fmt: skip
def test_wrong_facts_are_named(about: Any, given: Any, complaint: str) -> None:
    with pytest.raises(ValueError, match=complaint):
        read_facts(about, given)
    with pytest.raises(ConnectorError, match=r"q\.yaml, line 3: facts: .*colour"):
        parse_connector(FILE.replace("  keeps no data: yes", "  colour: red"), name="q.yaml")


def test_must_haves_that_are_facts_are_facts_of_the_list() -> None:
    gates = {fact.name for fact in FACTS if fact.gate}
    assert set(MUST_HAVES) - {"runs locally"} == gates


def test_a_machine_is_held_against_a_model() -> None:
    here = Machine(cores=2, memory_mb=24_000, free_memory_mb=500, free_disk_mb=9_000, video_memory_mb=None)
    small, large = (ledger(quincewood(), "model", name) for name in ("small", "large"))
    assert fits(small, here) == ("slow", ["needs 900 MB of memory, 500 are free now"])
    assert fits(large, here)[0] == "cannot"
    assert fits(ledger(quincewood(models=()), "model", "x"), here) == ("unknown", [])
    real = this_machine()
    assert real.memory_mb >= real.free_memory_mb > 0
    assert real.free_disk_mb > 0


def test_claims_are_confirmed_and_refuted_by_figures_of_ours_only() -> None:
    quick = Claim(says="first sound within 0.3 s", about="first sound s", at_most=0.3)
    assert hold(quick, {}).state == "unverified"
    assert hold(quick, {"first sound s": OwnFigure(0.2, 4, "A")}).why.endswith("too few to tell")
    assert hold(quick, {"first sound s": OwnFigure(0.2, 12, "A")}).why.endswith("how sure it is is not known")

    def held(value: float, low: float, high: float, lowest: float) -> Held:
        return hold(quick, {"first sound s": OwnFigure(value, 12, "A", low, high, lowest, high)})

    assert held(0.2, 0.15, 0.28, 0.15).state == "confirmed"
    assert held(0.2, 0.15, 0.32, 0.15).why.endswith("neither shown nor refuted")
    assert held(0.35, 0.31, 0.4, 0.25).state == "unverified", "another of its candidates may well be as quick"
    refuted = held(0.78, 0.7, 0.9, 0.6)
    assert refuted.state == "refuted"
    assert "0.78 (A, n = 12, 95 %: 0.7–0.9)" in refuted.why


def test_a_claim_that_is_wrong_is_rarely_confirmed() -> None:
    """True median 1.2 times the limit, five waits each, the best of six candidates: of plain medians 72 % are below the
    limit; confirmed may be 5 %, and of what is true at 0.8 of it none is refuted more often."""
    rng = np.random.default_rng(4)
    quick = Claim(says="first sound within 1 s", about="first sound s", at_most=1.0)
    wider = normal_quantile(1 - 0.025 / 6) / normal_quantile(0.975)
    for true, wrongly in ((1.2, "confirmed"), (0.8, "refuted")):
        states = Counter[str]()
        for _ in range(200):
            ends = []
            for _ in range(6):
                found = quantile_interval(tuple(true * np.exp(rng.normal(0, 0.35, 5))), 0.5)
                assert found is not None
                half = wider * (found.estimate - found.low), wider * (found.high - found.estimate)
                ends.append((found.estimate, found.estimate - half[0], found.estimate + half[1]))
            value, low, high = min(ends)
            own = OwnFigure(value, 5, "A", low, high, min(e[1] for e in ends), max(e[2] for e in ends))
            states[hold(quick, {"first sound s": own}).state] += 1
        assert states[wrongly] / 200 <= 0.08, states
    assert hold(Claim(says="loved by all"), {}).state == "unverified"
    assert hold(Claim(says="loved by all"), {}, by_hand="refuted").why == "set by hand"


def candidate(project: Project, engine: Engine, **wanted: Any) -> Any:
    project.shortlist.add_engine(engine, FILE.replace("PROGRAM", sys.executable), "q.yaml")
    return project.shortlist.add(engine, **wanted)[-1]


HERE = Surroundings(machine=lambda: Machine(cores=2, memory_mb=8_000, free_memory_mb=4_000, free_disk_mb=9_000,
                                            video_memory_mb=None), has_key=lambda _: False)  # fmt: skip
TRAPS = [
    ("style", {"voice": "pomona", "settings": {"mood": "whisper"}}, "pomona has no style 'whisper'; it has calm"),
    ("tier", {"voice": "pomona"}, "plan 'Basic' lacks tier 'gold'"),
    ("installed", {"voice": "famed", "model": "large"}, "NOWHERE_HERE of the connector file is not set"),
    ("machine", {"voice": "famed", "model": "large"}, "needs 64,000 MB of memory, this machine has 8,000"),
    ("setting", {"voice": "famed", "model": "small", "settings": {"depth": 2}}, "depth does not exist for this voice"),
    ("rights", {"voice": "famed"}, "imitates a well-known person"),
]


@pytest.mark.parametrize(("kind", "wanted", "words"), TRAPS)
def test_traps_of_a_candidate_are_named_before_anything_is_sent(
    project: Project, kind: str, wanted: dict[str, Any], words: str
) -> None:
    engine = quincewood()
    found = obstacles(candidate(project, engine, **wanted), engine, HERE)
    assert any(o.kind == kind and words in o.words for o in found), found


def test_traps_of_a_text_and_of_a_missing_key(project: Project) -> None:
    engine = quincewood()
    one = candidate(project, engine, voice="pomona")
    assert text_obstacles(one, engine, "Wait. Go.", "en-US") == []
    found = text_obstacles(one, engine, "<emphasis>Très</emphasis> <break/>" + "é" * 100, "fr-FR")
    assert [o.kind for o in found] == ["language", "mark"]
    assert found[1].words == "<break>, <emphasis> would be read aloud: turn the tags of the text into marks"
    hosted = parse_connector(
        "{zest-connector: 1, engine: H, voices: [{id: v, languages: [en]}],"
        " speak: {kind: http, address: 'http://127.0.0.1:1', secret: nobodys}}", name="h")  # fmt: skip
    project.shortlist.add_engine(hosted, "{}", "h")
    added = project.shortlist.add(hosted, voice="v")[0]
    assert [o.words for o in obstacles(added, hosted, HERE)] == ["the key 'nobodys' is missing"]
    gone = hosted.model_copy(update={"voices": (hosted.voices[0].model_copy(update={"id": "w"}),)})
    assert [o.kind for o in obstacles(added, gone, HERE)] == ["voice"]


def test_what_is_worth_knowing_stops_nothing(project: Project) -> None:
    engine = quincewood(facts={"broken": (Statement(value="pauses, beta"),)})
    trial = engine.plans[0].model_copy(update={"trial": True})
    other = engine.voices[0].model_copy(update={"same_as": "Medlar/pomona", "tier": ""})
    engine = engine.model_copy(update={"plans": (trial,), "voices": (other,)})
    one = candidate(project, engine, voice="pomona", model="small")
    found = " | ".join(remarks(one, engine, HERE))
    for words in ("'Basic' is a trial", "commercial use is unknown", "the same voice as Medlar/pomona", "pauses, beta"):
        assert words in found
    assert obstacles(one, engine, HERE) == []


def test_a_voice_from_a_recording_needs_a_consent_that_holds(project: Project) -> None:
    engine = quincewood()
    project.shortlist.add_engine(engine, FILE.replace("PROGRAM", sys.executable), "q.yaml")
    recording = project.own_voices.add_recording(tone(200, -20, 1, 16_000), name="Ann", language="en-GB", checks=[])
    project.own_voices.add_voice("Quincewood", voice="own-1", name="Ann", language="en-GB", recording_id=recording.id)
    project.shortlist.voices_changed()
    own = project.shortlist.engines()["Quincewood"]
    project.shortlist.add(own, voice="own-1", model="small")
    passage = project.texts.add(["Some words."], language="en-GB")[0]
    why = [reason for _, _, reason in plan_run(project).left_out]
    assert why == ["nobody's consent is recorded for 'Ann'"]
    with pytest.raises(InputError, match="who agreed"):
        project.own_voices.set_consent(recording.id, Consent(who=" ", given=TODAY, use="narration"))
    ended = Consent(who="Ann", given=date(2025, 1, 1), use="narration", until=date(2026, 1, 1))
    project.own_voices.set_consent(recording.id, ended)
    assert "the consent of Ann ended on 2026-01-01" in plan_run(project).left_out[0][2]
    row = next(iter(evaluate(project).rows.values()))
    assert [g.verdict for g in row.gates if g.name == "consent"] == ["no"]
    project.own_voices.set_consent(recording.id, Consent(who="Ann", given=TODAY, use="narration"))
    assert len(plan_run(project).jobs) == 1
    assert passage.characters == 11


def test_gates_say_unknown_where_sources_disagree(project: Project) -> None:
    project.documents.put("brief", Brief(must_haves=("commercial use", "offline")).model_dump(mode="json"))
    candidate(project, quincewood(), voice="famed", model="small")
    row = next(iter(evaluate(project).rows.values()))
    verdicts = {g.name: (g.verdict, g.why) for g in row.gates}
    assert verdicts["commercial use"] == ("unknown", "plan 'Basic': sources disagree")
    assert verdicts["offline"] == ("yes", "model 'small'")
    assert verdicts["rights of persons"][0] == "no"


def test_captured_sound_is_heard_and_never_scored(project: Project) -> None:
    one = candidate(project, quincewood(), voice="famed")
    passage = project.texts.add(["Some words."], language="en-GB")[0]
    clip = tone(220, -12, 1, 16_000)
    where = {"candidate_id": one.id, "passage_version_id": passage.version_id, "repeat": 1}
    project.takes.keep(clip, obtained="captured", **where)
    settings = TestSettings(candidate_ids=(one.id,), passage_ids=(passage.id,))
    assert takes_to_hear(project.takes, project.texts, settings) == {}
    pretend_take(project, one.id, passage.version_id, repeat=2)
    assert len(takes_to_hear(project.takes, project.texts, settings)) == 1


def test_notes_and_the_set_up_log_are_kept(project: Project) -> None:
    project.notes.put_voices([VoiceNote(engine="Q", voice="v", tags=("mature",), words="like an aunt")])
    project.notes.set_favourite([("Q", "v"), ("Q", "w")], True)
    notes = project.notes.voices()
    assert notes["Q", "v"].favourite
    assert notes["Q", "v"].tags == ("mature",)
    assert notes["Q", "w"].favourite
    entry = project.notes.log_setup("Q", 45, "installed the weights")
    assert [e.minutes for e in project.notes.setup("Q")] == [45]
    project.notes.set_setup_removed(entry, True)
    assert project.notes.setup() == []
    with pytest.raises(InputError):
        project.notes.log_setup("Q", -1, "")


def test_a_key_without_a_key_store_lasts_for_the_session(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    import keyring
    from keyring.backends.fail import Keyring

    monkeypatch.setattr(keyring, "set_password", Keyring().set_password)
    monkeypatch.setattr(keyring, "get_password", Keyring().get_password)
    assert not has_secret("lasting")
    said = keep_secret("lasting", "abc")
    assert "until the program ends" in said
    assert "ZEST_SECRET_LASTING" in said
    assert "abc" not in said
    assert has_secret("lasting")
    assert find_secret("lasting") == "abc"
    forget_secret("lasting")
    assert not has_secret("lasting")


def test_engines_are_narrowed_by_what_they_are() -> None:
    def traits(name: str, *, tried: bool = False, own: tuple[OwnStatement, ...] = ()) -> EngineTraits:
        engine = parse_connector(demo_engine_source(name), name=name)
        here: tuple[Verdict, ...] = () if engine.is_hosted else ("runs", "cannot")
        return EngineTraits(engine=engine, own=own, here=here, tried=tried)

    every = [traits("tangor", tried=True), traits("citrange"), traits("mandelo"), traits("rangpur"), traits("sunquat")]

    def left(chosen: dict[str, frozenset[str]]) -> list[str]:
        return [engine.engine for engine in narrowed(every, chosen)[0]]

    assert left({}) == ["Tangor", "Citrange", "Mandelo", "Rangpur", "Sunquat"]
    assert left({"paid": frozenset({"by use"})}) == ["Tangor", "Citrange"]
    assert left({"paid": frozenset({"by use", "own machine"}), "tried": frozenset({"not tried"})}) == [
        "Citrange", "Rangpur", "Sunquat"
    ]  # fmt: skip
    assert left({"on this machine": frozenset({"cannot"})}) == ["Rangpur", "Sunquat"]
    counts = narrowed(every, {"paid": frozenset({"once"})})[1]
    assert {value.value: value.count for value in counts["reached"]} == {"hosted": 1, "local": 0}
    assert {value.value: value.count for value in counts["paid"]} == {
        "by the month or year": 3, "by use": 2, "own machine": 2, "once": 1, "nothing": 1
    }, "a facet's own choice does not count against its other values"  # fmt: skip
    assert [value.value for value in counts["paid"] if value.chosen] == ["once"]
    assert "open or not" not in narrowed(every[:2], {})[1], "where all are alike there is nothing to choose"
