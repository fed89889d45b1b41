"""How long the interface thread is held while a window is used: run by stall_rows in a process of its own.

python -m benchmarks.stalls walk CANDIDATES PASSAGES   every page, every tab, held arrows, another passage, typing
python -m benchmarks.stalls drop WHAT                  one thing dropped on the window: see DROPS

Prints a line "longest SECONDS WHERE", the next four behind it, and "computed SECONDS": the most that was computed
within one of them, which leaves out what the machine stood still. What was shorter than NOTED_S is not told apart.
"""

from __future__ import annotations

import csv
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import yaml
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QLineEdit

os.environ.setdefault("ZEST_SECRET_LIMONAIA", "it opens nothing")

from tests.conftest import demo_engine_source
from tests.desk.stalls import StallMeter
from tests.waiting import pause, wait

from benchmarks.core_rows import fill
from zestpanel.core.store.project import Project
from zestpanel.desk.application import leave, make_application
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.preparing import Preparing
from zestpanel.desk.viewmodels.steps import TITLES
from zestpanel.desk.window import MainWindow

PAGES = tuple(TITLES)
NOTED_S = 0.02  # a run without one over the goal says how near it was


def script_of(text: str) -> Callable[[Path], list[Path]]:
    def write(folder: Path) -> list[Path]:
        (folder / "script.txt").write_text(text, encoding="utf-8")
        return [folder / "script.txt"]

    return write


def many_voices(folder: Path) -> list[Path]:
    engine = yaml.safe_load(demo_engine_source("tangor"))
    engine["engine"] = "Many"
    engine["voices"] = [
        {"id": f"v{k}", "name": f"Voice {k}", "languages": ["en-GB"], "gender": "woman"} for k in range(30_000)
    ]
    (folder / "many.yaml").write_text(yaml.dump(engine, sort_keys=False), encoding="utf-8")
    return [folder / "many.yaml"]


def many_ratings(folder: Path) -> list[Path]:
    with (folder / "ratings.csv").open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow(["listener", "candidate", "passage", "score"])
        rows.writerows([f"L{k % 400}", f"{k % 9 + 1}", f"{k % 8 + 1}", k % 5 + 1] for k in range(50_000))
    return [folder / "ratings.csv"]


def broken_files(folder: Path) -> list[Path]:
    paths = [folder / f"{k}.{kind}" for k in range(40) for kind in ("yaml", "docx", "csv", "wav", "xlsx")]
    for number, path in enumerate(paths):
        path.write_bytes(os.urandom(2_000 + number))
    return paths


DROPS: dict[str, Callable[[Path], list[Path]]] = {
    "2 MB of one word again and again": script_of("word " * 400_000),
    "2 MB in one word": script_of("word" * 500_000),
    "100 KB of prose": script_of("Dr. Smith paid £3.50 on 3 May for it, she said. " * 2_000),
    "a book of 3,000 paragraphs": script_of(
        "\n\n".join(f"Paragraph {k}: Dr. Smith paid £3.50 on 3 May for it, she said. " * 6 for k in range(3_000))),
    "an engine of 30,000 voices": many_voices,
    "50,000 ratings": many_ratings,
    "200 damaged files": broken_files,
}  # fmt: skip


def settle(window: MainWindow) -> None:
    wait(lambda: not window.state.background.busy, 300)
    pause(100)


def open_window(folder: Path, candidates: int, passages: int) -> MainWindow:
    project = Project.create(folder / "P.zest")
    fill(project, candidates=candidates, passages=passages, repeats=1, rated=8)
    window = MainWindow(project)
    window.resize(1280, 800)
    window.show()
    ready = Preparing(window, window.page, PAGES, lambda: window.state.player.output,
                      busy=lambda: window.state.background.busy)  # fmt: skip
    ready.begin()
    wait(lambda: ready.done, 300)
    settle(window)
    return window


def walk(window: MainWindow) -> None:
    for _ in range(2):
        for step in PAGES:
            window.go_to(step)
            settle(window)
            page = window.page(step)
            for at in range(1, len(page.tabs) if isinstance(page, TabbedPage) and page.empty is None else 0):
                page.show_view(at)  # type: ignore[attr-defined]
                settle(window)
            if isinstance(page, TabbedPage):
                page.show_view(0)
                settle(window)
    for step in ("passages", "engines"):
        window.go_to(step)
        settle(window)
        field = next((one for one in window.page(step).findChildren(QLineEdit) if one.isVisible()), None)
        if field is not None:
            for letter in "warm one":
                QTest.keyClicks(field, letter)  # type: ignore[call-arg]  # the stubs want one argument more
                pause(30)
            field.clear()
            settle(window)
    window.go_to("renders")
    grid = window.page("renders").grid  # type: ignore[attr-defined]
    bench = window.state.bench
    window.state.select(bench.candidates[0].id, bench.passages[0].id, play=True)
    settle(window)
    grid.setFocus()
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Down):
        for _ in range(30):
            QTest.keyClick(grid, key)
            pause(30)
    settle(window)


def drop(window: MainWindow, paths: list[Path]) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    window.dropEvent(QDropEvent(QPointF(500, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                                Qt.KeyboardModifier.NoModifier))  # fmt: skip
    settle(window)
    for dialog in [one for one in window.findChildren(QDialog) if one.isVisible()]:
        agree = getattr(dialog, "agree", None)
        if agree is not None and agree.isEnabled():
            QTest.mouseClick(agree, Qt.MouseButton.LeftButton)
        settle(window)
    for page in ("passages", "engines", "renders"):
        window.go_to(page)
        settle(window)


def main(what: str, *rest: str) -> int:
    application = make_application()
    with tempfile.TemporaryDirectory() as folder:
        if what == "walk":
            window = open_window(Path(folder), int(rest[0]), int(rest[1]))
            with StallMeter(NOTED_S) as meter:
                walk(window)
        else:
            window = open_window(Path(folder), 9, 8)
            paths = DROPS[rest[0]](Path(folder))
            with StallMeter(NOTED_S) as meter:
                drop(window, paths)
        for held, where in meter.held[:5] or [(NOTED_S, "nothing was longer")]:
            print("longest", round(held, 4), where, flush=True)
        print("computed", round(meter.computed_s, 4), flush=True)
        for dialog in QApplication.topLevelWidgets():
            dialog.close()
        application.processEvents()
    return 0


if __name__ == "__main__":
    leave(main(*sys.argv[1:]))
