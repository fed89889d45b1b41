"""The catalogue in and out: exact round trips, previews, tables, and schemas that others can check against."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from tests.conftest import COMMAND_ENGINE, KEY, add_command_engine, add_demo_engine, demo_engine_source
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.connectors.voice_list import fetch_voices, read_page
from zestpanel.core.errors import Cancelled, InputError, TableError, ZestError
from zestpanel.core.production.schemas import schemas
from zestpanel.core.report.catalogue_file import (
    Catalogue,
    as_json,
    as_yaml,
    export_catalogue,
    is_catalogue,
    parse_catalogue,
    preview,
    take_over,
    voices_as_csv,
    voices_from_csv,
    votes_from_csv,
)
from zestpanel.core.store.notes import VoiceNote
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService
from zestpanel.standins.voices import PIPS

ROOT = Path(__file__).parents[2]


@pytest.fixture
def full(project: Project) -> Project:
    """A project whose catalogue has something of everything."""
    add_demo_engine(project, "tangor")
    add_command_engine(project)
    project.notes.state("Tangor", "engine", "", "trial", True, source="tried it", dated=date(2026, 11, 1))
    project.notes.state("Tangor", "engine", "", "formats", ["WAV", "FLAC"], settles=True)
    project.notes.put_voices([VoiceNote(engine="Tangor", voice="ilseth", favourite=True, tags=("warm", "über"))])
    project.notes.log_setup("Kitchen Table", 12.5, "found the cable")
    project.shortlist.put_fetched("Tangor", [Voice(id="new-one", languages=("de-DE",), styles=("calm",))])
    return project


@pytest.mark.parametrize("write", [as_json, as_yaml])
def test_a_round_trip_is_exact(full: Project, tmp_path: Path, write: object) -> None:
    catalogue = export_catalogue(full)
    text = write(catalogue)  # type: ignore[operator]
    assert is_catalogue(text)
    assert KEY not in text
    read = parse_catalogue(text, name="c")
    assert read == catalogue
    other = Project.create(tmp_path / "Other.zest")
    take_over(other, read)
    assert export_catalogue(other) == catalogue
    take_over(other, read)  # once more changes nothing
    assert export_catalogue(other) == catalogue
    assert preview(other, read) == []
    other.close()


def test_a_preview_names_what_is_new_changed_and_gone(full: Project, tmp_path: Path) -> None:
    text = as_yaml(export_catalogue(full))
    text = text.replace("pace, kind: number, low: 0.7", "pace, kind: number, low: 0.8")
    read = parse_catalogue(text.replace("{id: odrine, name: Odrine", "{id: odrina, name: Odrine"), name="c")
    found = {(c.state, c.about, c.name) for c in preview(full, read)}
    assert ("new", "voice of Tangor", "odrina") in found
    assert ("gone", "voice of Tangor", "odrine") in found
    assert ("changed", "control of Tangor", "pace") in found
    what = next(c.what for c in preview(full, read) if c.name == "pace")
    assert what == "low: 0.7 → 0.8"
    empty = Project.create(tmp_path / "Empty.zest")
    assert {c.name for c in preview(empty, read)} == {"Tangor", "Kitchen Table"}
    empty.close()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("zest-catalogue: 2\nengines: []", "format 2; this program reads format 1"),
        ("zest-catalogue: 1", "engines: field required"),
        ("zest-catalogue: 1\nengines: [{file: a.yaml, connector: 'zest-connector: 1'}]", r"c, a\.yaml, line 1"),
        ("engines: []", "no catalogue"),
        ("zest-catalogue: [", r"line \d: this is neither"),
    ],
)
def test_bad_catalogues_are_refused_whole(project: Project, text: str, words: str) -> None:
    with pytest.raises(InputError, match=words) as caught:
        parse_catalogue(text, name="c")
    assert "Nothing was" in str(caught.value)
    assert project.shortlist.files() == {}


@given(st.text(max_size=200))
def test_any_text_is_a_catalogue_or_refused_with_a_sentence(text: str) -> None:
    with pytest.raises(ZestError):
        parse_catalogue(text, name="c")


_names = st.text(st.characters(exclude_categories=("Cs", "Cc"), exclude_characters=";"), min_size=1, max_size=12).map(
    str.strip
).filter(bool)  # fmt: skip


@given(st.lists(st.builds(Voice, id=_names, name=_names, languages=st.tuples(st.sampled_from(["en-GB", "fr"])),
                          styles=st.lists(_names, max_size=3).map(tuple)),
                min_size=1, unique_by=lambda v: v.id))  # fmt: skip
def test_voices_as_a_table_come_back_as_they_were(voices: list[Voice]) -> None:
    engine = Engine.model_validate({**yaml.safe_load(COMMAND_ENGINE), "voices": [v.model_dump() for v in voices]})
    assert voices_from_csv(voices_as_csv([engine]), name="t") == {engine.engine: voices}


def test_wrong_tables_are_named_by_row() -> None:
    with pytest.raises(TableError, match="columns engine, id and languages"):
        voices_from_csv("a,b\n1,2\n", name="t")
    with pytest.raises(TableError, match="row 3: 'languages'"):
        voices_from_csv("engine,id,languages\nE,a,en\nE,b,\n", name="t")
    votes = votes_from_csv("name,strength,votes\nTangor,1.5,300\nX,,\n", name="v")
    assert (votes[0].strength, votes[0].votes, votes[1].strength) == (1.5, 300, None)
    with pytest.raises(TableError, match="row 2: a figure is no number"):
        votes_from_csv("name,strength\nTangor,high\n", name="v")


def test_the_published_schemas_are_these_and_fit_our_own_files(full: Project) -> None:
    # source: JSON Schema 2020-12, checked by the jsonschema package
    for name, schema in schemas().items():
        published = json.loads((ROOT / "docs" / "schema" / name).read_text("utf-8"))
        assert published == schema, "write docs/schema anew: ./zest cli schemas docs/schema"
        Draft202012Validator.check_schema(schema)
    check = Draft202012Validator(schemas()["connector.schema.json"])
    for name in ("tangor", "citrange", "rangpur", "mandelo", "sunquat"):
        data = json.loads(json.dumps(yaml.safe_load(demo_engine_source(name)), default=str))
        assert list(check.iter_errors(data)) == []
        assert list(check.iter_errors({**data, "engin": 1})) != []
    whole = Draft202012Validator(schemas()["catalogue.schema.json"])
    assert list(whole.iter_errors(json.loads(as_json(export_catalogue(full))))) == []
    assert Catalogue.model_validate_json(as_json(export_catalogue(full))).engines


# -- the voices a service lists


def test_a_services_voices_are_fetched_and_mapped(service: StandInService) -> None:
    engine = parse_connector(demo_engine_source("mandelo"), name="m")
    voices = fetch_voices(engine)
    assert len(voices) == PIPS
    first = voices[0]
    assert (first.id, first.name, first.languages, first.gender) == ("pip-001", "Pip 001", ("fr-FR",), "woman")
    assert {v.tier for v in voices} == {"", "orchard"}
    service.behaviour.key = "changed"
    with pytest.raises(ZestError, match="401"):
        fetch_voices(engine)
    with pytest.raises(Cancelled):
        fetch_voices(engine, lambda: True)


@pytest.mark.parametrize(
    ("page", "words"),
    [({"voices": 5}, "lists no voices at"), ({"voices": [{"title": "x"}]}, "Entry 1 .* id: field required"),
     ({"voices": [{"key": "a"}]}, "languages")],
)  # fmt: skip
def test_a_list_that_makes_no_sense_changes_nothing(page: object, words: str) -> None:
    engine = parse_connector(demo_engine_source("mandelo"), name="m")
    assert engine.voices_from is not None
    with pytest.raises(InputError, match=words) as caught:
        read_page(engine.voices_from, page, engine.engine)
    assert "The voices known stay." in str(caught.value)
