"""The program at a real sound device: two voices of one text, swapped by keys, and an impression given aloud. For tests
and measurements."""

from __future__ import annotations

import faulthandler
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tests.conftest import add_demo_engine
from tests.sound_voices import WORDS, voice
from tests.waiting import pause, wait
from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.take import Measured
from zestpanel.core.measures.registry import versions
from zestpanel.core.store.project import Project
from zestpanel.desk.application import leave, make_application, take_down
from zestpanel.desk.impressions import ImpressionsDialog
from zestpanel.desk.window import MainWindow


def make(folder: Path) -> None:
    project = Project.create(folder)
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    (passage,) = project.texts.add([WORDS], language="en-GB", titles=["Words"])
    for k, name in enumerate(("ilseth", "corwick")):
        candidate = project.shortlist.add(engine, voice=name)[0]
        samples, times = voice(k)
        take = project.takes.keep(Clip(samples=samples, rate_hz=48_000), candidate_id=candidate.id,
                                  passage_version_id=passage.version_id, repeat=1)  # fmt: skip
        values: dict[str, float | str | None] = {}
        found = Measured(values=values, words=tuple(times), words_by="times in the reply", versions=versions())
        project.takes.put_measured(take.id, found)
    project.close()


def opened(folder: Path) -> MainWindow:
    """The window on a project, its two lanes laid out."""
    window = MainWindow(Project.open(folder))
    window.show()
    window.go_to("renders")
    state = window.state
    state.select(state.ordered()[0].id, state.bench.passages[0].id)
    wait(lambda: len(state.player.mixer.lanes) == 2 and not state.background.busy)
    return window


def swap(window: MainWindow, swaps: int) -> None:
    """Play, swap with the digit keys, and print the moment of each key by time.monotonic()."""
    player = window.state.player
    grid = window.at_renders().grid
    grid.setFocus()
    QTest.keyClick(grid, Qt.Key.Key_Space)
    assert player.heard, "no sound device"
    for k in range(swaps):
        if k % 12 == 0:  # before its end is reached it begins again
            QTest.keyClick(grid, Qt.Key.Key_Home)
        pause(400 + 37 * (k % 7))
        print(f"key {time.monotonic():.6f}", flush=True)
        QTest.keyClick(grid, Qt.Key.Key_2 if k % 2 == 0 else Qt.Key.Key_1)
    pause(400)
    print(f"playing {player.mixer.playing}", flush=True)


def unplugged(window: MainWindow) -> None:
    """Wait until it is seen that nobody hears anything any more, and play on with what is there then."""
    sys.stdin.readline()
    window.state.player.seek(0.0)
    window.state.player.play()
    print("plays", flush=True)
    wait(lambda: bool(window.notices.said))
    assert not window.state.player.mixer.playing
    print(f"said {window.notices.said[-1].text}", flush=True)
    sys.stdin.readline()
    window.state.tray.toggle_play()
    begun = window.state.player.mixer.time_s
    wait(lambda: window.state.player.mixer.time_s > begun + 0.2)
    print("plays on", flush=True)


def say(window: MainWindow) -> None:
    """Give an impression of the selected voice aloud while somebody speaks into the microphone."""
    window.card.show_impressions()
    (dialog,) = [one for one in window.findChildren(ImpressionsDialog) if one.isVisible()]
    assert dialog.spoken.isVisible(), "no microphone"
    QTest.mouseClick(dialog.spoken.record, Qt.MouseButton.LeftButton)
    wait(lambda: dialog.spoken.microphone.seconds > 0)
    print("recording", flush=True)
    wait(lambda: dialog.spoken.microphone.seconds > 3)
    QTest.mouseClick(dialog.spoken.record, Qt.MouseButton.LeftButton)
    QTest.mouseClick(dialog.add, Qt.MouseButton.LeftButton)
    wait(lambda: dialog.table.rowCount() == 1)
    dialog.table.row_chosen.emit(0)
    wait(lambda: window.state.player.mixer.playing)
    print("heard again", flush=True)
    dialog.accept()


if __name__ == "__main__":
    faulthandler.enable()
    application = make_application()
    window = opened(Path(sys.argv[1]))
    match sys.argv[2:]:
        case ["swap", swaps, *rest]:
            swap(window, int(swaps))
            if rest:
                unplugged(window)
        case ["say"]:
            say(window)
    take_down(window)
    leave(0)
