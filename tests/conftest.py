"""Shared by all tests: signals with known answers, a small project, the stand-in service."""

from __future__ import annotations

import gc
import os

os.environ["ZEST_LANGUAGE"] = "en"  # the texts that tests look for, wherever they run

import shutil
import sys
from collections.abc import Iterator
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings

from tests.measuring import NO_RECOGNISER
from zestpanel.core.audio.clip import Clip
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.connectors.agreed import agree
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.take import Measured
from zestpanel.core.measures.registry import versions
from zestpanel.core.runs.execute.executors import LocalExecutor
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService
from zestpanel.standins.timbre import speak

os.environ.setdefault("ZEST_PYTHON", sys.executable)
# the same examples in every run, so that a run tells of the change and not of chance; ZEST_EXPLORE=1 looks for new ones
settings.register_profile("steady", derandomize=True, deadline=None, max_examples=60)
settings.register_profile("explore", max_examples=1500, deadline=None)
settings.load_profile("explore" if os.environ.get("ZEST_EXPLORE") else "steady")
# thousands of objects are made and dropped in each test: looking through all of them seldom is enough
gc.set_threshold(50_000, 20, 100)
KEY = "orchard-demo-key"

COMMAND_ENGINE = """\
zest-connector: 1
engine: Kitchen Table
speak:
  kind: command
  arguments: ["${ZEST_PYTHON}", -m, zestpanel.standins.local, --voice, "{voice}", --output, "{output}", "{text}"]
voices:
  - {id: hesk, name: Hesk, languages: [en-GB]}
  - {id: ansgild, name: Ansgild, languages: [en-GB]}
"""


class Unmeasured(LocalExecutor):
    """Renders without measuring, for tests that try something else: measuring takes a process of its own."""

    def measure(self, *_: object, **__: object) -> Measured:
        return Measured(values={}, versions=versions())


@pytest.fixture(scope="session", autouse=True)
def said_once() -> Iterator[None]:
    """The stand-in service says a text in a voice once for all tests, which ask for the same few over and over."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("zestpanel.standins.service.speak", _said)
        yield


@lru_cache(maxsize=200)
def _said(*of: Any, **more: Any) -> tuple[Clip, tuple[tuple[int, float], ...]]:
    clip, events = speak(*of, **more)
    clip.samples.setflags(write=False)
    return clip, tuple(events)


@pytest.fixture(autouse=True)
def measured_without_a_recogniser(monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest) -> None:
    """The recogniser, which takes most of the time that measuring takes, listens only in tests that are marked so."""
    if "listens" not in request.keywords:
        monkeypatch.setattr("zestpanel.core.measures.words_heard.words_heard", lambda *_: NO_RECOGNISER)
        monkeypatch.setattr(MeasuringProcess, "command", (sys.executable, str(Path(__file__).parent / "measuring.py")))


@pytest.fixture(autouse=True, scope="session")
def other_day() -> Iterator[None]:
    """With ZEST_TESTS_AT=2028-02-29T12:00 all tests run on that day; clocks that measure go on as they do."""
    moment = os.environ.get("ZEST_TESTS_AT")
    if not moment:
        yield
        return
    import time_machine  # only where another day is wanted

    with time_machine.travel(datetime.fromisoformat(moment).astimezone(), tick=True):
        yield


@pytest.fixture(autouse=True, scope="session")
def settings_of_the_tests(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What a person agreed to and set up is kept here, never in the settings of whoever runs the tests."""
    os.environ["XDG_CONFIG_HOME"] = str(tmp_path_factory.mktemp("settings"))


@pytest.fixture(autouse=True, scope="session")
def new_projects_are_copied(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """The tables of a new project are made once, and then copied: a thousand tests make one. Those that try the making
    itself are marked so."""
    from zestpanel.core.store import opening

    upgrade = opening._upgrade
    template = tmp_path_factory.mktemp("template") / opening.FILE  # type: ignore[attr-defined]
    upgrade(template, template.parent)

    def copied(path: Path, folder: Path) -> None:
        if path.exists() or os.environ.get("ZEST_MAKE"):
            upgrade(path, folder)
        else:
            shutil.copyfile(template, path)

    opening._upgrade = copied
    yield
    opening._upgrade = upgrade


@pytest.fixture(autouse=True)
def keys_of_one_test(monkeypatch: pytest.MonkeyPatch) -> None:
    """A program masks every key it has come across, a word such as 'wrong' too; a test comes across its own only."""
    monkeypatch.setattr("zestpanel.core.secrets.masking._seen", set())


@pytest.fixture
def made_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_MAKE", "1")


@pytest.fixture(autouse=True)
def agreed_to_all(monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest) -> None:
    """Tests whose engines are their own; those marked as of a stranger are asked as anybody is."""
    if "stranger" not in request.keywords:
        monkeypatch.setattr("zestpanel.core.connectors.agreed.missing", lambda engine: ())
        monkeypatch.setattr("zestpanel.core.connectors.agreed.may_be_fetched", lambda origin, there: True)
        monkeypatch.setattr("zestpanel.core.runs.schedule.scheduled.schedule_agreed", lambda folder, schedule: True)


def tone(frequency_hz: float, dbfs: float, seconds: float, rate_hz: int = 48_000, channels: int = 1) -> Clip:
    """A sine whose peak is at dbfs."""
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    x = 10 ** (dbfs / 20) * np.sin(2 * np.pi * frequency_hz * t)
    return Clip(samples=np.repeat(x[:, None], channels, axis=1), rate_hz=rate_hz)


@pytest.fixture(scope="session")
def made_once(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An empty project with a brief; making one takes a tenth of a second, a copy of it nearly nothing."""
    made = Project.create(tmp_path_factory.mktemp("made") / "Test.zest")
    made.documents.put("brief", Brief(channel="Test", audition_lines={"en": "One plain line."}).model_dump(mode="json"))
    made.close()
    return made.folder


@pytest.fixture
def project(tmp_path: Path, made_once: Path) -> Iterator[Project]:
    """An empty project with a brief."""
    shutil.copytree(made_once, tmp_path / "Test.zest")
    made = Project.open(tmp_path / "Test.zest")
    yield made
    made.close()


@pytest.fixture
def service(monkeypatch: pytest.MonkeyPatch) -> Iterator[StandInService]:
    """The stand-in hosted service on a thread, with the key in the environment."""
    with StandInService() as running:
        monkeypatch.setenv("ZEST_LIMONAIA_ADDRESS", running.address)
        monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
        yield running


def demo_engine_source(name: str) -> str:
    from importlib import resources

    return (resources.files("zestpanel.demo") / "engines" / f"{name}.yaml").read_text("utf-8")


def add_demo_engine(project: Project, name: str) -> None:
    source = demo_engine_source(name)
    _add(project, source, f"{name}.yaml")


def add_command_engine(project: Project) -> None:
    _add(project, COMMAND_ENGINE, "kitchen.yaml")


def _add(project: Project, source: str, file_name: str) -> None:
    engine = parse_connector(source, name=file_name)
    project.shortlist.add_engine(engine, source, file_name)
    if "${ZEST_LIMONAIA_ADDRESS}" not in source or "ZEST_LIMONAIA_ADDRESS" in os.environ:
        agree(engine)  # for programs that the test starts


def pretend_take(project: Project, candidate_id: int, version_id: int, *, repeat: int = 1, hz: float = 220.0) -> int:
    """A take brought in by hand, for tests that need takes and not an engine. Returns its id."""
    clip = tone(hz, -12, 1.2, 16_000)
    return project.takes.keep(
        clip, candidate_id=candidate_id, passage_version_id=version_id, repeat=repeat, obtained="import"
    ).id
