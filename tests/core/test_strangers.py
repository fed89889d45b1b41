"""What a stranger's file or project may do here: nothing that the person at this machine has not agreed to."""

from __future__ import annotations

import json
import time
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import KEY, add_demo_engine, tone
from tests.core.test_connector_kinds import ASKED, made, raw_server, saying, wav
from zestpanel.command_line import run
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.agreed import (
    agree,
    before,
    missing,
    take_back,
    uses_of,
)
from zestpanel.core.connectors.agreements import agreements_file
from zestpanel.core.connectors.hosts import origin_of, stays_at
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.connectors.wizard.trying import send_once
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.runs.schedule.schedule import Schedule
from zestpanel.core.runs.schedule.scheduled import SCHEDULE, coming, is_due, keep_schedule, sleeps, take_due, wake
from zestpanel.core.store.own_voices import Consent
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService

pytestmark = pytest.mark.stranger

YESTERDAY = datetime.now(UTC) - timedelta(days=1)


@pytest.fixture(autouse=True)
def fresh_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "settings"))


@pytest.fixture
def wrote(tmp_path: Path) -> Path:
    return tmp_path / "it ran"


def program(wrote: Path, **more: Any) -> Engine:
    clip = write_wav_of(wrote.with_name("tone.wav"))
    code = f"import shutil,sys; open({str(wrote)!r}, 'w'); shutil.copy({str(clip)!r}, sys.argv[1])"
    return made({"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", code, "{output}", "--", "{text}"], **more})


def write_wav_of(path: Path) -> Path:
    write_wav(path, tone(220, -12, 0.5, 16_000))
    return path


def speak(engine: Engine) -> float:
    connector = open_connector(engine)
    try:
        return connector.speak(ASKED).clip.duration_s
    finally:
        connector.close()


def test_a_program_runs_only_after_it_was_agreed_to(wrote: Path) -> None:
    engine = program(wrote)
    with pytest.raises(SynthesisFailure, match="nobody has agreed to that on this machine"):
        speak(engine)
    assert not wrote.exists()
    (use,) = missing(engine)
    assert "runs the program" in use.words
    assert str(wrote) in use.words  # all its arguments are shown
    agree(engine)
    assert speak(engine) == pytest.approx(0.5, abs=0.01)
    assert wrote.exists()
    take_back(engine)
    with pytest.raises(SynthesisFailure, match="nobody has agreed"):
        speak(engine)


def test_what_was_agreed_to_is_taken_back_also_where_the_file_cannot_be_understood_by_now(
    wrote: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZEST_PLACE", str(wrote.parent))
    engine = program(wrote, directory="${ZEST_PLACE}")
    agree(engine)
    monkeypatch.delenv("ZEST_PLACE")
    with pytest.raises(SynthesisFailure, match="ZEST_PLACE of the connector file is not set"):
        missing(engine)
    take_back(engine)
    monkeypatch.setenv("ZEST_PLACE", str(wrote.parent))
    assert missing(engine)


@pytest.mark.parametrize("change", [{"environment": {"LD_PRELOAD": "x.so"}}, {"directory": "/"}])
def test_a_program_that_changed_is_asked_about_anew(wrote: Path, change: dict[str, Any]) -> None:
    agree(program(wrote))
    changed = program(wrote, **change)
    assert len(missing(changed)) == 1
    assert len(before(changed)) == 1
    with pytest.raises(SynthesisFailure, match="nobody has agreed"):
        speak(changed)


def test_a_host_gets_texts_and_a_key_only_after_both_were_agreed_to(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
    heads: list[bytes] = []

    def answer(head: bytes, connection: Any) -> None:
        heads.append(head)
        saying(wav(bytes(4000)))(head, connection)

    with raw_server(answer) as address:
        engine = made({"address": address + "/"})
        with pytest.raises(SynthesisFailure, match=r"sends texts to .* gives the key 'limonaia' to"):
            speak(engine)
        with_list = made({"address": address}, voices_from={"address": address + "/v", "each": {"id": "id"}})
        with pytest.raises(SynthesisFailure, match="nobody has agreed"):
            fetch_voices(with_list)
        source = json.dumps(engine.model_dump(mode="json", by_alias=True, exclude_defaults=True))
        with pytest.raises(SynthesisFailure, match="nobody has agreed"):
            send_once(source, "One line.", key=KEY)
        assert not heads
        agree(engine)
        assert speak(engine) > 0
        assert KEY.encode() in heads[0]
    # the same engine's name and key, at another host: the file of somebody else
    with raw_server(answer) as other, pytest.raises(SynthesisFailure, match="gives the key 'limonaia' to"):
        speak(made({"address": other + "/"}))
    assert len(heads) == 1


def test_voices_listed_at_another_host_are_that_hosts_affair() -> None:
    engine = made(
        {"address": "https://one.example/speak"},
        voices_from={"address": "https://two.example/voices", "each": {"id": "id"}},
    )
    keys = {json.loads(use.what)[1] for use in uses_of(engine) if use.kind == "key"}
    assert keys == {"https://one.example:443", "https://two.example:443"}


def test_an_open_way_to_another_machine_is_said() -> None:
    on_the_way = [use for use in uses_of(made({"address": "http://voices.example/"})) if use.kind in ("host", "key")]
    assert on_the_way
    assert all("not encrypted" in use.words for use in on_the_way)
    assert not any("not encrypted" in use.words for use in uses_of(made({"address": "http://127.0.0.1:8080/"})))


# RFC 6454, section 4: scheme, host and port; the standard port is the same written or not
ORIGINS = [
    ("https://Voices.Example/speak?x=1", "https://voices.example:443"),
    ("https://voices.example:443/", "https://voices.example:443"),
    ("http://voices.example:8080/a", "http://voices.example:8080"),
    ("wss://voices.example/live", "https://voices.example:443"),
    ("https://key@voices.example/", "https://voices.example:443"),
    ("https://[2001:db8::1]/", "https://[2001:db8::1]:443"),
    ("https://{region}.voices.example/", "https://{region}.voices.example:443"),
]


@pytest.mark.parametrize(("address", "origin"), ORIGINS)
def test_origins(address: str, origin: str) -> None:
    assert origin_of(address) == origin


@pytest.mark.parametrize("address", ["", "speak", "file:///etc/passwd", "https://{host}/", "https://a.{top}/",
                                     "https://{region}.example/", "https://[::1/", "https://x:99999/"])  # fmt: skip
def test_an_address_that_leaves_its_host_open_is_refused(address: str) -> None:
    with pytest.raises(SynthesisFailure):
        origin_of(address)


@pytest.mark.parametrize("region", ["evil.example/", "a@evil.example/", "x#", "evil.example?", "a.b"])
def test_a_setting_cannot_lead_to_another_host(region: str) -> None:
    template = "https://{region}.voices.example/speak"
    assert stays_at("https://north.voices.example/speak", template)
    assert not stays_at(template.replace("{region}", region), template)


def test_a_strangers_project_asks_for_nothing(
    project: Project, wrote: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Its engine would run a program; its schedule is due; both sleep until somebody here has said yes."""
    engine = program(wrote)
    source = json.dumps(engine.model_dump(mode="json", by_alias=True, exclude_defaults=True))
    engine = parse_connector(source, name="e.json")
    project.shortlist.add_engine(engine, source, "e.json")
    (candidate,) = project.shortlist.add(engine, voice="ilseth")
    (passage,) = project.texts.add(["One line."], language="en-GB")
    schedule = Schedule(
        first=datetime.now(UTC) - timedelta(minutes=2), candidate_ids=(candidate.id,), passage_ids=(passage.id,)
    )
    SCHEDULE.write(project.documents, schedule)
    now = datetime.now(UTC)
    assert not is_due(project, now)
    assert take_due(project, now)[1] is None
    assert "sleep until they are agreed to" in coming(schedule, asleep=sleeps(project, schedule))
    planned = plan_run(project)
    assert not planned.jobs
    assert "not agreed to on this machine: runs the program" in planned.left_out[0][2]
    assert not wrote.exists()

    project.close()
    folder = str(project.folder)
    assert run(["agree", folder]) == 0
    assert "Nothing was agreed to" in capsys.readouterr().out
    assert not agreements_file().exists()
    assert run(["agree", folder, "--schedule", "--yes"]) == 0
    opened = Project.open(project.folder)
    assert len(plan_run(opened).jobs) == 1
    assert is_due(opened, now)
    opened.close()


def test_a_schedule_set_here_runs_and_another_in_its_place_sleeps(project: Project) -> None:
    schedule = Schedule(first=YESTERDAY, candidate_ids=(1,), passage_ids=(1,))
    keep_schedule(project, schedule)
    assert not sleeps(project, schedule)
    assert not sleeps(project, schedule.model_copy(update={"done": (0,), "missed": (1,)}))
    other = schedule.model_copy(update={"repeats": 9})
    SCHEDULE.write(project.documents, other)
    assert sleeps(project, other)
    wake(project)
    assert not sleeps(project, other)


def test_a_file_that_was_tampered_with_agrees_to_nothing(wrote: Path) -> None:
    agreements_file().parent.mkdir(parents=True, exist_ok=True)
    for content in (b"", b"[]", b'{"agreed": []}', b"\xff\xfe", b"[" * 100_000):
        agreements_file().write_bytes(content)
        assert len(missing(program(wrote))) == 1


# -- recordings of people


CONSENTS: list[tuple[Consent | None, str]] = [
    (None, "nobody's consent is recorded"),
    (Consent(who="Ilse", given=date(2020, 1, 1), use="narration", until=date(2020, 2, 1)), "ended on 2020-02-01"),
]


@pytest.mark.parametrize(("consent", "why"), CONSENTS)
def test_no_request_carries_a_recording_without_consent(project: Project, consent: Consent | None, why: str) -> None:
    own = project.own_voices
    kept = own.add_recording(tone(180, -12, 2), name="Ilse", language="en-GB", checks=[], consent=consent)
    own.add_voice("E", voice="own", name="Own", language="en-GB", recording_id=kept.id)
    with pytest.raises(SynthesisFailure, match=why):
        own.source_of("E", "own")
    own.set_consent(kept.id, Consent(who="Ilse", given=date(2026, 1, 1), use="narration"))
    assert Path(own.source_of("E", "own")[0]).is_file()


def test_only_the_voices_recording_is_sent_along(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """A file that names another one of this machine: the person's keys, say."""
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
    private = tmp_path / "private"
    private.write_text("private")
    heads: list[bytes] = []

    def answer(head: bytes, connection: Any) -> None:
        heads.append(head)
        saying(wav(bytes(4000)))(head, connection)

    with raw_server(answer) as address:
        for path in (str(private), "${HOME}/.ssh/id_rsa", "{reference}"):
            engine = made({"address": address, "body_as": "multipart", "files": {"sample": path}})
            agree(engine)
            with pytest.raises(SynthesisFailure, match=r"Only the recording|no recording"):
                speak(engine)
    assert not heads


# -- the environment


@pytest.mark.parametrize("name", ["ZEST_SECRET_LIMONAIA", "CLOUD_SECRET", "PATH", "SSH_AUTH_SOCK"])
def test_a_file_reads_no_variable_that_is_not_made_for_it(monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    monkeypatch.setenv(name, "something")
    engine = made({"address": "http://127.0.0.1:9/", "headers": {"X-Is": "${" + name + "}"}, "secret": ""})
    agree(engine)
    with pytest.raises(SynthesisFailure, match=f"variable {name} .* not made for it"):
        speak(engine)


def test_a_program_is_given_no_key(monkeypatch: pytest.MonkeyPatch, wrote: Path) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
    monkeypatch.setenv("SOME_TOKEN", "t0ken")
    clip = write_wav_of(wrote.with_name("tone.wav"))
    code = (
        f"import json,os,shutil,sys; json.dump(dict(os.environ), open({str(wrote)!r}, 'w'));"
        f"shutil.copy({str(clip)!r}, sys.argv[1])"
    )
    engine = made({"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", code, "{output}"],
                   "environment": {"MODEL_FOLDER": "/models"}})  # fmt: skip
    agree(engine)
    speak(engine)
    given: dict[str, str] = json.loads(wrote.read_text())
    assert given["MODEL_FOLDER"] == "/models"
    assert "PATH" in given
    assert not any("SECRET" in name or "TOKEN" in name for name in given)
    assert KEY not in wrote.read_text()


def test_hosts_of_the_demo_need_no_question(service: StandInService, project: Project) -> None:
    """The stand-in's engine, agreed to as the demo does it, speaks; nothing else was agreed to by that."""
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    assert not missing(engine)
    (candidate,) = project.shortlist.add(engine, voice=engine.voices[0].id)
    project.texts.add(["One line."], language="en-GB")
    run_of = BenchRun(project, plan_run(project, candidates=[candidate]))
    run_of.start()
    run_of.wait()
    assert run_of.progress().done == 1
    assert missing(made({"address": "https://voices.example/"}))


@pytest.mark.parametrize(
    "stored", [{"first": "never"}, {"first": "2026-01-01T08:00:00+00:00", "times": 10**9}, [1], "x"]
)
def test_a_schedule_that_makes_no_sense_is_none(project: Project, stored: Any) -> None:
    project.documents.put(SCHEDULE.name, stored)
    assert take_due(project, datetime.now(UTC)) == (None, None)
    assert not is_due(project, datetime.now(UTC))


def test_nothing_older_than_an_hour_is_made_up_for_whatever_a_project_states(project: Project) -> None:
    schedule = Schedule(first=YESTERDAY, times=1, late_by_minutes=10**6, candidate_ids=(1,), passage_ids=(1,))
    keep_schedule(project, schedule)
    found, due = take_due(project, datetime.now(UTC))
    assert due is None
    assert found is not None
    assert found.missed == (0,)


def test_the_measuring_helper_is_given_no_key(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
    with MeasuringProcess() as helper:
        helper.start()
        assert helper._process is not None
        given, until = b"", time.monotonic() + 30
        while b"PATH=" not in given and time.monotonic() < until:  # it may not have begun yet
            given = Path(f"/proc/{helper._process.pid}/environ").read_bytes()
            time.sleep(0.01)
    assert b"PATH=" in given
    assert KEY.encode() not in given
