"""Journeys in a real window, under a virtual screen started here: keys go through the window system."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import COMMAND_ENGINE

pytestmark = pytest.mark.window

JOURNEY = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from zestpanel.core.store.project import Project
from zestpanel.desk.agreeing import AgreeDialog
from zestpanel.desk.application import make_application
from zestpanel.desk.playing.output import ClockOutput
from zestpanel.desk.playing.player import Player
from zestpanel.desk.window import MainWindow

folder, script, engine = map(Path, sys.argv[1:4])
application = make_application()
assert application.platformName() == "xcb", application.platformName()
project = Project.create(folder)
window = MainWindow(project, player=Player(open_device=ClockOutput))
window.show()
QTest.qWaitForWindowExposed(window)
window.activateWindow()
assert QTest.qWaitForWindowActive(window, 30000), "no keyboard focus"

def wait(what, seconds=90):
    until = time.monotonic() + seconds
    while not what():
        if time.monotonic() > until:
            raise AssertionError("waited in vain")
        QTest.qWait(20)

def settle():
    QTest.qWait(60)
    wait(lambda: not window.state.background.busy)

window.bring_in([engine, script])
settle()
(asked,) = [one for one in window.findChildren(AgreeDialog) if one.isVisible()]
QTest.mouseClick(asked.yes, Qt.MouseButton.LeftButton)
page = window.page("engines").voices
window.go_to("engines")
settle()
for row in (0, 1):
    page.table.selectRow(row)
    QTest.mouseClick(page.add, Qt.MouseButton.LeftButton)
    settle()
QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
settle()
assert window.current == "renders"
renders = window.page("renders")
wait(lambda: renders.render_button.isEnabled())
QTest.mouseClick(renders.render_button, Qt.MouseButton.LeftButton)
wait(lambda: window.state.runs.run is not None and not window.state.runs.goes_on)
settle()
wait(lambda: len(window.state.tray.lanes) == 2)
grid = renders.grid
grid.setFocus()
QTest.keyClick(grid, Qt.Key.Key_Space)
mixer = window.state.player.mixer
wait(lambda: mixer.time_s > 0.4)
place, on = mixer.place, mixer.on
QTest.keyClick(grid, Qt.Key.Key_2 if on == 0 else Qt.Key.Key_1)
assert mixer.on == 1 - on and mixer.place >= place - 0.01, (mixer.on, on)
QTest.keyClick(grid, Qt.Key.Key_H)
settle()
assert window.state.labels_hidden
QTest.keyClick(grid, Qt.Key.Key_H)
settle()
picture = window.grab()
assert picture.width() >= 1200
window.close()
takes = project.takes.all()
project.close()
print("takes", len(takes))
"""


@pytest.fixture
def screen() -> Iterator[str]:
    """A virtual screen of its own."""
    program = shutil.which("Xvfb")
    assert program is not None, "Xvfb is needed: ./zest test installs it"
    read, write = os.pipe()
    process = subprocess.Popen([program, "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
                               pass_fds=[write], stderr=subprocess.DEVNULL)  # fmt: skip
    os.close(write)
    with os.fdopen(read) as number:
        display = f":{number.readline().strip()}"
    yield display
    process.terminate()
    process.wait()


def test_from_ones_own_text_and_program_to_swapping_voices(tmp_path: Path, screen: str) -> None:
    script, engine = tmp_path / "own.txt", tmp_path / "kitchen.yaml"
    script.write_text("The russet pear keeps until March, if the frost does not find it first.", encoding="utf-8")
    engine.write_text(COMMAND_ENGINE, encoding="utf-8")
    environment = {**os.environ, "DISPLAY": screen, "QT_QPA_PLATFORM": "xcb", "ZEST_PYTHON": sys.executable,
                   "XDG_CONFIG_HOME": str(tmp_path / "settings")}  # fmt: skip
    done = subprocess.run([sys.executable, "-c", JOURNEY, str(tmp_path / "Own.zest"), str(script), str(engine)],
                          env=environment, capture_output=True, text=True, timeout=240)  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    assert "takes 2" in done.stdout


def test_the_program_itself_starts_and_ends(tmp_path: Path, screen: str) -> None:
    """`run` on a project shows its window; closing it by the window system ends the program."""
    from zestpanel.core.store.project import Project

    Project.create(tmp_path / "A.zest").close()
    environment = {**os.environ, "DISPLAY": screen, "QT_QPA_PLATFORM": "xcb", "XDG_CONFIG_HOME": str(tmp_path / "c")}
    code = (
        "import sys; from PyQt6.QtCore import QTimer; from zestpanel.desk import application as a\n"
        "make = a.make_application\n"
        "def made():\n"
        "    app = make(); QTimer.singleShot(1500, lambda: [w.close() for w in app.topLevelWidgets()]); return app\n"
        "a.make_application = made\n"
        "from zestpanel.__main__ import main; sys.exit(main(sys.argv[1:]))"
    )
    done = subprocess.run([sys.executable, "-c", code, "run", str(tmp_path / "A.zest")], env=environment,
                          capture_output=True, text=True, timeout=60)  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    assert "Traceback" not in done.stderr
