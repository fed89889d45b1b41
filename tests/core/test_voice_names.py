"""Ids of voices that are coded, and controls that lay something over a voice."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.conftest import COMMAND_ENGINE, tone
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.reaching import VoiceList
from zestpanel.core.catalogue.voice_names import VoiceNames
from zestpanel.core.connectors.voice_list import read_page
from zestpanel.core.errors import ConnectorError
from zestpanel.core.runs.execute.arriving import effects_on
from zestpanel.core.store.project import Project

CODED = VoiceNames(pattern="{language}_{name}_{gender}-{grade}", values={"gender": {"F": "woman", "M": "man"}})


def test_an_id_says_what_its_pattern_says_it_does() -> None:
    assert CODED.decoded("en-GB_hesk_F-2") == {"languages": ["en-GB"], "name": "hesk", "gender": "woman", "grade": "2"}
    assert CODED.decoded("fr_vauclin_X-1")["gender"] == "X", "a word that nothing is stated of stays"
    assert CODED.decoded("hesk") == CODED.decoded("en-GB_hesk_F-" + "2" * 300) == {}
    assert VoiceNames(pattern="v{skip}:{style}").decoded("v17:calm") == {"styles": ["calm"]}
    for wrong in ("plain", "{colour}-{name}", "{name}{gender}", "{id}-{name}"):
        with pytest.raises(ValidationError):
            VoiceNames(pattern=wrong)


@given(st.text(max_size=300), st.text(alphabet="{}_-ab", max_size=30))
def test_no_id_and_no_pattern_holds_anything_up(voice: str, around: str) -> None:
    """A pattern comes from a file, an id from a service: a search that tries every split would never end here."""
    try:
        names = VoiceNames(pattern=f"{{name}}-{around}{{gender}}")
    except ValidationError:
        return
    assert set(names.decoded(voice + "-" * 150)) <= {"name", "gender"}


def test_files_and_services_that_list_bare_ids_give_voices_with_facts() -> None:
    listed = "voices:\n  - en-GB_hesk_F-2\n  - {id: de-DE_auk_M-1, name: Auk}\n"
    source = COMMAND_ENGINE.split("voices:")[0] + listed
    source += 'voice_names: {pattern: "{language}_{name}_{gender}-{grade}", values: {gender: {F: woman, M: man}}}\n'
    first, second = parse_connector(source, name="k").voices
    assert (first.id, first.name, first.languages, first.gender, first.grade) == (
        "en-GB_hesk_F-2", "hesk", ("en-GB",), "woman", "2"
    )  # fmt: skip
    assert (second.name, second.languages) == ("Auk", ("de-DE",)), "what is stated stands before the code"
    with pytest.raises(ConnectorError, match="colour"):
        parse_connector(source.replace("{grade}", "{colour}"), name="k")
    found = read_page(VoiceList(address="https://x.test", list="json ", each={"id": "_value"}), ["fr-CA_odile_F-3"],
                       "Kitchen", names=CODED)  # fmt: skip
    assert (found[0].languages, found[0].gender) == (("fr-CA",), "woman")


def test_a_take_with_an_effect_over_it_is_kept_out_of_scores_until_it_is_let_count(project: Project) -> None:
    source = (
        COMMAND_ENGINE
        + "controls:\n  - {name: room, kind: choice, choices: [none, hall], default: none, effect: yes}\n"
    )
    engine = parse_connector(source, name="k")
    project.shortlist.add_engine(engine, source, "k.yaml")
    dry, hall = (project.shortlist.add(engine, voice="hesk", settings={"room": room})[-1] for room in ("none", "hall"))
    assert effects_on(engine.controls, dry) == []
    doubts = effects_on(engine.controls, hall)
    assert doubts == ["Made with the effect 'room' at hall."]
    passages = project.texts.add(["One."], language="en-GB")
    take = project.takes.keep(tone(220, -12, 1.0, 16_000), candidate_id=hall.id, obtained="run", doubts=doubts,
                              passage_version_id=passages[0].version_id, repeat=1)  # fmt: skip
    assert not take.scored
    project.takes.accept(take.id, True)
    assert project.takes.all()[0].scored
