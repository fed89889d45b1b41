"""Files that are dropped on the window or chosen: each to the page where its kind belongs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint

from zestpanel.core.texts import tr
from zestpanel.desk.files import sort_files
from zestpanel.desk.turns import next_turn

if TYPE_CHECKING:
    from zestpanel.desk.pages.engines import EnginesPage
    from zestpanel.desk.pages.listening import ListeningPage
    from zestpanel.desk.pages.renders import RendersPage
    from zestpanel.desk.window import MainWindow


def bring_in(window: MainWindow, paths: Sequence[Path], cell: tuple[int, int] | None = None) -> None:
    """Look at the files off the interface thread, which a folder of many would hold, and hand them on.

    cell: where they were dropped; sound alone goes there.
    """
    window.state.background.run(
        lambda: sort_files(paths), lambda found: _hand_on(window, found, cell), window.state.complain
    )


def dropped(window: MainWindow, paths: Sequence[Path], at: QPoint) -> None:
    on_cell = window.current == "renders" and not any(path.is_dir() for path in paths)
    bring_in(window, paths, window.at_renders().cell_at(at) if on_cell else None)


def _hand_on(window: MainWindow, found: dict[str, list[Path]], cell: tuple[int, int] | None) -> None:
    """What is of no known kind is explained."""
    for path in found["unknown"]:
        window.state.complain(
            tr(
                "{name} was not imported: it is no script, no engine, no table and no sound that is known here.",
                name=path.name,
            )
        )
    alone = not any(paths for kind, paths in found.items() if kind != "sound")
    steps: list[Callable[[], object]] = []
    if found["engine"]:
        steps.append(lambda: window.at_engines().add_files(found["engine"]))
    if found["script"]:
        steps.append(lambda: window.at_passages().import_files(found["script"]))
    steps += [partial(_add_table, window.at_listening, table) for table in found["ratings"]]
    steps += [partial(_add_table, window.at_engines, table) for table in (*found["voices"], *found["votes"])]
    steps += [partial(_add_table, window.at_renders, table) for table in found["clips"]]
    if found["sound"]:
        steps.append(lambda: _take_sound(window, found["sound"], cell if alone else None))
    one_by_one(window, steps)


def _add_table(page: Callable[[], EnginesPage | ListeningPage | RendersPage], table: Path) -> None:
    page().add_table(table)


def one_by_one(window: MainWindow, steps: list[Callable[[], object]]) -> None:
    """Each step in a turn of its own: each may show another page, and together they would hold the window."""
    if not steps:
        return
    steps[0]()
    if len(steps) > 1:
        next_turn(window, lambda: one_by_one(window, steps[1:]))


def _take_sound(window: MainWindow, paths: list[Path], cell: tuple[int, int] | None) -> None:
    """Sound becomes takes; on the view of own voices it becomes recordings."""
    if window.current == "engines" and (engines := window.at_engines()).view == "Own voices":
        for path in paths:
            engines.recordings.add_file(path)
        return
    window.at_renders().bring_in(paths, cell)
