"""Journeys in a real window, under a virtual screen started here: keys go through the window system."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import pytest

from tests.conftest import COMMAND_ENGINE
from tests.screen import virtual_screen

pytestmark = pytest.mark.window

ROOT = Path(__file__).parents[2]
MOST = 150  # keys and clicks, from the first start to a written decision


@pytest.fixture
def screen() -> Iterator[str]:
    """A small virtual screen of its own."""
    with virtual_screen("1366x768") as display:
        yield display


def test_from_the_first_start_to_a_written_decision_at_150_percent(tmp_path: Path) -> None:
    """On one's own text and program: in English with a mouse; and, at the same time, in German without one."""
    script, engine = tmp_path / "own.txt", tmp_path / "kitchen.yaml"
    script.write_text("The russet pear keeps until March, if the frost does not find it first.", encoding="utf-8")
    engine.write_text(COMMAND_ENGINE, encoding="utf-8")
    with ExitStack() as screens:
        journeys = {}
        for way, language in (("first", "en"), ("keys", "de")):
            files = (tmp_path / f"{way}.zest", script, engine, 10, 1.5)
            journeys[way] = subprocess.Popen(
                [sys.executable, "-m", "tests.journey", way, *map(str, files)],
                cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
                env={**os.environ, "DISPLAY": screens.enter_context(virtual_screen("1366x768")),
                     "QT_QPA_PLATFORM": "xcb", "ZEST_PYTHON": sys.executable, "ZEST_LANGUAGE": language,
                     "XDG_CONFIG_HOME": str(tmp_path / f"settings-{way}")},
            )  # fmt: skip
        for way, ratings in (("first", "6 ratings by 3 listeners"), ("keys", "6 Bewertungen von 3 Hörern")):
            said, wrong = journeys[way].communicate(timeout=240)
            assert journeys[way].returncode == 0, wrong[-2000:]
            record, hands = said.splitlines()[-2:]
            page = Path(record.removeprefix("record ")).read_text(encoding="utf-8")
            assert "Clearer on names" in page
            assert ratings in page
            keys, clicks, _ = hands.removeprefix("hands ").split()
            assert int(clicks) == 0 if way == "keys" else int(keys) + int(clicks) <= MOST


def test_the_program_itself_starts_and_ends(tmp_path: Path, screen: str) -> None:
    """`run` on a project shows its window; closing it by the window system ends the program."""
    from zestpanel.core.store.project import Project

    Project.create(tmp_path / "A.zest").close()
    environment = {**os.environ, "DISPLAY": screen, "QT_QPA_PLATFORM": "xcb", "XDG_CONFIG_HOME": str(tmp_path / "c")}
    code = (
        "import sys; from PyQt6.QtCore import QTimer; from zestpanel.desk import application as a\n"
        "make = a.make_application\n"
        "def made():\n"
        "    app = make(); made.timer = timer = QTimer(interval=1500)\n"
        "    timer.timeout.connect(lambda: [w.close() for w in app.topLevelWidgets() if w.isVisible()])\n"
        "    timer.start(); return app\n"
        "a.make_application = made\n"
        "from zestpanel.__main__ import main; sys.exit(main(sys.argv[1:]))"
    )
    done = subprocess.run([sys.executable, "-c", code, "run", str(tmp_path / "A.zest")], env=environment,
                          capture_output=True, text=True, timeout=60)  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    assert "Traceback" not in done.stderr


def test_what_is_to_be_done_at_the_end_is_done_and_qt_is_not_taken_apart() -> None:
    """What the bindings of Qt do at exit ends in a crash now and then, after everything is over."""
    code = (
        "import atexit, tempfile\n"
        "atexit.register(print, 'what came before the window')\n"
        "from zestpanel.desk.application import leave, make_application\n"
        "application = make_application()\n"
        "atexit.register(print, 'done')\n"
        "folder = tempfile.TemporaryDirectory(); print(folder.name, flush=True)\n"
        "leave(3)"
    )
    done = subprocess.run([sys.executable, "-c", code], env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
                          capture_output=True, text=True, timeout=60)  # fmt: skip
    folder, *said = done.stdout.splitlines()
    assert (done.returncode, said) == (3, ["done"])
    assert not Path(folder).exists()
