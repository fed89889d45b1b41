"""A voice that a service makes of recordings: sent once, waited for, spoken with by its id, deleted; with consent."""

from __future__ import annotations

import contextlib
import json
from datetime import date
from pathlib import Path
from unittest import mock

import pytest

from tests.conftest import add_demo_engine, demo_engine_source
from tests.small_service import Answer, Heard, SmallService, as_json
from zestpanel.command_line import run as verb
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.agreed import uses_of
from zestpanel.core.connectors.http import voice_making
from zestpanel.core.connectors.http.asking import HttpRequest
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.http.voice_making import delete_voice, make_voice
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.errors import ConnectorError, InputError, SynthesisFailure
from zestpanel.core.measures.pitch import measure_pitch
from zestpanel.core.runs.execute import making_voices
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.own_voices import AtService, Consent
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService
from zestpanel.standins.timbre import speak
from zestpanel.standins.voices import VOICES


@pytest.fixture
def recording(tmp_path: Path) -> Path:
    clip, _ = speak("The quince keeps through the winter, wrapped in straw and paper.", VOICES["brindal"])
    write_wav(tmp_path / "own.wav", clip)
    return tmp_path / "own.wav"


@pytest.fixture
def citrange(project: Project, service: StandInService) -> Engine:
    add_demo_engine(project, "citrange")
    return project.shortlist.engines()["Citrange"]


def of_me(engine: Engine, path: Path, *, name: str = "Me", many: int = 1) -> str:
    return make_voice(engine, name=name, language="en-GB", visibility="private", recordings=[path] * many)


def test_a_voice_is_made_speaks_by_its_id_and_is_deleted(citrange: Engine, recording: Path) -> None:
    voice = of_me(citrange, recording, many=3)
    connector = open_connector(citrange)
    asked = SpeakRequest(
        text="Straw and paper, all winter long.", voice=voice, model="citrange-quick", language="en-GB",
        settings=citrange.factory_settings(),
    )  # fmt: skip
    reply = connector.speak(asked)
    assert reply.voice_used == voice
    given, heard = (measure_pitch(clip).median_hz for clip in (speak(asked.text, VOICES["brindal"])[0], reply.clip))
    assert given is not None
    assert heard == pytest.approx(given, rel=0.15), "it speaks as the recording does"
    second = of_me(citrange, recording)
    with pytest.raises(SynthesisFailure, match="all 2 places for voices of your own are taken"):
        of_me(citrange, recording)
    delete_voice(citrange, voice)
    delete_voice(citrange, voice)  # it is gone: nothing to complain of
    with pytest.raises(SynthesisFailure, match=f"no voice {voice}"):
        connector.speak(asked)
    assert second != voice
    connector.close()


@pytest.mark.stranger
def test_what_goes_out_is_agreed_to_and_is_nothing_but_the_recordings(
    citrange: Engine, recording: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(InputError, match="takes at most 3 recordings"):
        of_me(citrange, recording, many=4)
    with pytest.raises(ConnectorError, match=r"files hold \{reference\}: no other file"):
        parse_connector(
            demo_engine_source("citrange").replace('sample: "{reference}"', "sample: /etc/passwd"), name="c"
        )
    with pytest.raises(ConnectorError, match=r"makes_voices\.poll: nothing fills \{job\}"):
        parse_connector(demo_engine_source("citrange").replace("own-voices/{id}", "own-voices/{job}", 1), name="c")
    away = citrange.makes_voices
    assert away is not None
    elsewhere = citrange.model_copy(
        update={"makes_voices": away.model_copy(update={"address": "https://away.test/own"})}
    )
    assert any("away.test" in use.words for use in uses_of(elsewhere))
    with pytest.raises(SynthesisFailure, match=r"sends texts to https://away\.test"):
        of_me(elsewhere, recording)
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "another-key-than-that")
    with pytest.raises(SynthesisFailure, match="this key is not known"):
        of_me(citrange, recording)


def test_every_recording_of_a_voice_needs_its_consent_for_every_request(
    project: Project, citrange: Engine, recording: Path
) -> None:
    own = project.own_voices
    clip, _ = speak("One.", VOICES["brindal"])
    yes = Consent(who="Ann", given=date(2026, 1, 1), use="the channel")
    first, second = (own.add_recording(clip, name=n, language="en-GB", checks=[], consent=yes) for n in ("a", "b"))
    voice = of_me(citrange, recording)
    number = own.add_voice("Citrange", voice=voice, name="Me", language="en-GB", recording_id=first.id,
                           at_service=AtService(recordings=(first.id, second.id)))  # fmt: skip
    project.shortlist.voices_changed()
    project.shortlist.add(project.shortlist.engines()["Citrange"], voice=voice)
    project.texts.add(["Straw."], language="en-GB")
    assert len(plan_run(project).jobs) == 1
    assert own.slots_used("Citrange") == 1
    own.set_consent(second.id, Consent(who="Ann", given=date(2020, 1, 1), use="x", until=date(2021, 1, 1)))
    assert "the consent of Ann ended on 2021-01-01" in plan_run(project).left_out[0][2]
    with pytest.raises(SynthesisFailure, match="the consent of Ann ended"):
        own.source_of("Citrange", voice)
    own.set_voice_removed(number, True)
    assert own.slots_used("Citrange") == 1, "taken away here, it takes its place there until it is deleted"
    own.put_at_service(number, AtService(recordings=(first.id, second.id), deleted="2026-11-30"))
    assert own.slots_used("Citrange") == 0


@pytest.mark.parametrize("named", ["../../account", "x@away.test/", "x?all=1#", "", None, True, ["a"], "y" * 500])
def test_no_id_that_a_service_gives_leads_anywhere_else(
    citrange: Engine, recording: Path, named: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []

    def answer(_: object, __: object, request: HttpRequest, *___: object) -> Received:
        asked.append(request.address)
        body = json.dumps({"voice": {"id": named, "state": "ready"}}).encode()
        return Received(status=200, headers={}, chunks=((0.1, body),), last_byte_s=0.1, marks={})

    monkeypatch.setattr("zestpanel.core.connectors.http.voice_making.send", answer)
    if isinstance(named, str) and 0 < len(named) <= 200:
        assert of_me(citrange, recording) == named
    else:
        with pytest.raises(SynthesisFailure, match=r"names no voice .* the voice may have been made"):
            of_me(citrange, recording)
    base = asked[0]
    assert base.endswith("/citrange/own-voices")
    for further in asked[1:]:
        assert further.startswith(f"{base}/")
        assert not set(further.removeprefix(f"{base}/")) & set("/?#@")


MAKING = {"address": "", "files": {"sample": "{reference}"}, "body": {"name": "{name}"}, "id": "json id",
          "poll": "", "state": "json state", "every_s": 0.05}  # fmt: skip


@pytest.mark.parametrize("later", ["500", "cut", "nothing", "killed", "no id"])
def test_a_voice_that_was_asked_for_is_never_made_twice_unasked(
    project: Project, recording: Path, later: str, capsys: pytest.CaptureFixture[str]
) -> None:
    """A service that has the recordings, and whatever comes after: it is waited for again, or a person says it."""
    trouble = [True]

    def answer(heard: Heard) -> Answer:
        if heard.method == "POST":
            return as_json({} if later == "no id" else {"id": "v7"})
        if trouble[0]:
            return {"500": as_json({}, 500), "cut": Answer(status=0), "nothing": Answer()}.get(later, Answer(status=0))
        return as_json({"state": "ready"})

    with SmallService(answer) as service:
        making = {**MAKING, "address": service.address + "/voices", "poll": service.address + "/voices/{id}"}
        document = {
            "zest-connector": 1, "engine": "Shelf", "voices": [{"id": "a", "languages": ["en-GB"]}],
            "speak": {"kind": "http", "address": service.address, "whole_timeout_s": 5}, "makes_voices": making,
        }  # fmt: skip
        engine = Engine.model_validate(document)
        project.shortlist.add_engine(engine, json.dumps(document), "shelf.json")
        clip, _ = speak("One.", VOICES["brindal"])
        yes = Consent(who="Ann", given=date(2026, 1, 1), use="the channel")
        one = project.own_voices.add_recording(clip, name="a", language="en-GB", checks=[], consent=yes)

        def made() -> int:
            return making_voices.make(
                project, engine, name="Ann", language="en-GB", visibility="private", recordings=[one]
            )

        killed = mock.patch.object(voice_making, "_wait", side_effect=KeyboardInterrupt)
        with (
            killed if later == "killed" else contextlib.nullcontext(),
            pytest.raises((SynthesisFailure, KeyboardInterrupt)),
        ):
            made()
        with pytest.raises(InputError, match=r"asked for at Shelf|was begun at Shelf"):
            made()
        assert sum(heard.method == "POST" for heard in service.heard) == 1
        trouble[0] = False
        folder = str(project.folder)
        assert verb(["own-voices", folder]) == 0
        assert "open  'Ann' was" in capsys.readouterr().out
        if later == "no id":
            assert verb(["own-voices", folder, "--go-on", "Shelf"]) == 2
            assert verb(["own-voices", folder, "--give-up", "Shelf"]) == 0
            assert not making_voices.BEING_MADE.read(project.documents)
        else:
            assert verb(["own-voices", folder, "--go-on", "Shelf"]) == 0
            (mine,) = project.own_voices.voices()
            assert (mine.voice.id, mine.recording_id) == ("v7", one.id)
        assert sum(heard.method == "POST" for heard in service.heard) == 1
