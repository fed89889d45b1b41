"""Desk tests drive real widgets. Sound goes to a recorder, so that tests hear what would have been played."""

from __future__ import annotations

import os
import tempfile

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="zest-settings-")  # what a window remembers is no person's

import itertools
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QMimeData, QObject, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton, QTableWidget, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import KEY, add_demo_engine
from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.domain.take import Measured
from zestpanel.core.measures.loudness import measure_loudness
from zestpanel.core.measures.registry import versions
from zestpanel.core.playback.mixer import Mixer
from zestpanel.core.store.project import Project
from zestpanel.desk.application import leave, make_application
from zestpanel.desk.playing.player import Player
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.window import MainWindow

TEXTS = ("The last frost falls in May.", "Nobody spoke of apples until Lent.", "It was planted in 1846.")
VOICES = (("Tangor", "ilseth"), ("Tangor", "corwick"), ("Citrange", "linnoway"))


class Recorder(QObject):
    """An output that plays nothing by itself: ``hear`` pulls from the mixer and gives back what was pulled."""

    heard = True

    def __init__(self, mixer: Mixer, parent: QObject) -> None:
        super().__init__(parent)
        self._mixer = mixer
        self.running = False

    def start(self) -> None:
        self.running = True

    def stop(self) -> None:
        self.running = False

    close = stop

    def hear(self, seconds: float) -> np.ndarray:
        return np.concatenate([self._mixer.render(480) for _ in range(round(seconds * 100))])


_status = 0


def pytest_sessionfinish(exitstatus: int) -> None:
    global _status
    _status = int(exitstatus)


@pytest.hookimpl(trylast=True)
def pytest_unconfigure() -> None:
    """The tests end as the program does, and not in a crash of Qt after all of them have passed."""
    leave(_status)


@pytest.fixture(scope="session")
def qapp() -> Iterator[object]:
    application = make_application()
    yield application
    theme.set(dark=False, scale=1.0)


def voice_clip(hz: float, words: int, seconds: float = 2.4) -> tuple[Clip, list[tuple[float, float]]]:
    """A tone that 'speaks' each word as a burst, and where the bursts are."""
    rate = 16_000
    t = np.arange(int(seconds * rate)) / rate
    edges = 0.2 + np.arange(words + 1) * (seconds - 0.4) / words
    gate = np.zeros_like(t)
    spans = []
    for a, b in itertools.pairwise(edges):
        inside = (t >= a) & (t < b - 0.04)
        gate[inside] = 1
        spans.append((float(a), float(b)))
    return Clip(samples=0.3 * gate * np.sin(2 * np.pi * hz * t), rate_hz=rate), spans


@pytest.fixture
def bench_project(tmp_path: Path, bench_once: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Project]:
    """Three voices, three passages, a take in each cell: lane k sounds at 200 + 100 k Hz. The key is known."""
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)
    shutil.copytree(bench_once, tmp_path / "Desk.zest")
    project = Project.open(tmp_path / "Desk.zest")
    yield project
    project.close()


@pytest.fixture(scope="session")
def bench_once(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The project of ``bench_project``, made once and copied."""
    project = Project.create(tmp_path_factory.mktemp("bench") / "Desk.zest")
    brief = Brief(channel="Desk & Chair", audition_lines={"en": "One plain line."}, must_haves=("commercial use",))
    project.documents.put("brief", brief.model_dump(mode="json"))
    add_demo_engine(project, "tangor")
    add_demo_engine(project, "citrange")
    engines = project.shortlist.engines()
    for name, voice in VOICES:
        project.shortlist.add(engines[name], voice=voice)
    passages = project.texts.add(TEXTS, language="en-GB", titles=["Frost", "Lent", "Planted"])
    for k, candidate in enumerate(project.shortlist.candidates()):
        for passage in passages:
            words = words_with_places(passage.text)
            clip, spans = voice_clip(200 + 100 * k, len(words), 2.4 + 0.4 * k)
            take = project.takes.keep(clip, candidate_id=candidate.id, passage_version_id=passage.version_id, repeat=1)
            times = tuple((w, a, b, True) for (w, _, _), (a, b) in zip(words, spans, strict=True))
            loud = measure_loudness(clip)
            values: dict[str, float | str | None] = {
                "pitch_hz": 200.0 + 100 * k, "words_per_minute": 150.0, "loudness_lufs": loud.integrated_lufs,
                "true_peak_dbtp": loud.true_peak_dbtp,
            }  # fmt: skip
            project.takes.put_measured(
                take.id, Measured(values=values, words=times, words_by="times in the reply", versions=versions())
            )
    project.close()
    return project.folder


@pytest.fixture
def empty_project(tmp_path: Path) -> Iterator[Project]:
    project = Project.create(tmp_path / "Empty.zest")
    yield project
    project.close()


Opener = Callable[[Project], MainWindow]


@pytest.fixture
def open_window(qtbot: QtBot) -> Iterator[Opener]:
    """Opens windows on projects, sound going to a Recorder, and closes them afterwards."""
    windows = []

    def open_one(project: Project) -> MainWindow:
        window = MainWindow(project, player=Player(open_device=Recorder, still_s=3600))
        windows.append(window)
        window.show()
        qtbot.waitExposed(window)
        settle(qtbot, window)
        return window

    yield open_one
    for window in windows:
        window.close()
        window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    theme.set(dark=False, scale=1.0)  # with no window left to be laid out anew


def settle(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until nothing runs in the background any more."""
    qtbot.waitUntil(lambda: not window.state.background.busy, timeout=60_000)


def recorder(window: MainWindow) -> Recorder:
    output = window.state.player.output
    assert isinstance(output, Recorder)
    return output


def pitch_of(sound: np.ndarray) -> float:
    """The strongest frequency in Hz of what was heard."""
    spectrum = np.abs(np.fft.rfft(sound[:, 0] * np.hanning(len(sound))))
    return float(np.fft.rfftfreq(len(sound), 1 / 48_000)[spectrum.argmax()])


def words(widget: QWidget) -> str:
    """All that a widget's labels say where they can be seen."""
    return " | ".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def button_of(widget: QWidget, says: str) -> QPushButton:
    return next(one for one in widget.findChildren(QPushButton) if one.text() == says)


def cells(table: QTableWidget) -> list[list[str]]:
    found = []
    for r in range(table.rowCount()):
        items = [table.item(r, c) for c in range(table.columnCount())]
        found.append([item.text() if item else "" for item in items])
    return found


def drop_at(window: MainWindow, at: QPointF, *paths: Path) -> None:
    """Drop files on the window at a place."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(at, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                       Qt.KeyboardModifier.NoModifier)  # fmt: skip
    window.dropEvent(event)


def drop(window: MainWindow, *paths: Path) -> None:
    drop_at(window, QPointF(500, 300), *paths)
