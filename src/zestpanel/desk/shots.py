"""Pictures of the main views, taken from the real window without a display."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.session import unkept
from zestpanel.core.store.project import Project


def write_shots(  # noqa: C901 one picture after another
    folder: Path, to: Path, *, names: tuple[str, ...] = (), dark: bool = False, scale: float = 1.0
) -> list[Path]:
    """Open the project offscreen at 1280x800 and write a PNG of each main view; the files written."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtWidgets import QApplication, QWidget

    from zestpanel.desk.application import make_application
    from zestpanel.desk.pages.engines import EnginesPage
    from zestpanel.desk.pages.engines.price import PriceDialog
    from zestpanel.desk.pages.evidence import EvidencePage
    from zestpanel.desk.pages.listening import ListeningPage
    from zestpanel.desk.pages.listening.new_test import NewTestDialog
    from zestpanel.desk.pages.passages import PassagesPage
    from zestpanel.desk.pages.renders import RendersPage
    from zestpanel.desk.playing.output import ClockOutput
    from zestpanel.desk.playing.player import Player
    from zestpanel.desk.theme.style import apply_theme
    from zestpanel.desk.theme.tokens import theme
    from zestpanel.desk.window import MainWindow

    application = make_application()
    theme.set(dark=dark, scale=scale)
    apply_theme(application, theme)
    to.mkdir(parents=True, exist_ok=True)
    project = Project.open(folder)

    class Silent(ClockOutput):
        """As if a device were there: pictures are taken where there is none."""

        heard = True

    window = MainWindow(project, player=Player(open_device=Silent))
    window.resize(1280, 800)
    window.show()

    def settle() -> None:
        until = time.monotonic() + 20
        quiet = time.monotonic()
        while time.monotonic() < until and time.monotonic() - quiet < 0.25:
            QApplication.processEvents()
            if window.state.background.busy:
                quiet = time.monotonic()
            time.sleep(0.01)

    written = []

    def shoot(name: str, prepare: Callable[[], object], *, of: type[QWidget] | None = None) -> None:
        if names and name not in names:
            return
        prepare()
        settle()
        shown = window if of is None else window.findChildren(of)[0]
        if of is not None:
            shown.resize(window.size())
            settle()
        path = to / f"{name}.png"
        shown.grab().save(str(path))
        if of is not None:
            shown.close()
        written.append(path)

    settle()
    state = window.state

    def to_cell() -> None:
        window.go_to("renders")
        state.select(state.bench.candidates[0].id, state.bench.passages[min(1, len(state.bench.passages) - 1)].id)
        settle()
        state.player.seek_place(6.2)

    to_cell()
    shoot("renders", to_cell)

    def hide() -> None:
        to_cell()
        state.toggle_labels()

    shoot("hidden-labels", hide)
    if state.labels_hidden:
        state.toggle_labels()

    def view_of_renders(name: str) -> None:
        to_cell()
        page = window.page("renders")
        assert isinstance(page, RendersPage)
        page.show_view(name)

    for name in ("Waits", "Sweeps", "Runs"):
        shoot(name.lower(), partial(view_of_renders, name))
    view_of_renders("Grid")

    def passages() -> None:
        window.go_to("passages")
        marked = next((p for p in state.bench.passages if p.marks), None)
        state.select(state.candidate_id, marked.id if marked else state.passage_id)
        window.page("passages").refresh()

    shoot("passages", passages)
    for step in ("brief", "engines", "evidence", "listening", "cost", "choice"):
        shoot(step, partial(window.go_to, step))

    def where() -> None:
        window.go_to("evidence")
        page = window.page("evidence")
        assert isinstance(page, EvidencePage)
        page.show_view("Where")
        page.where.show_figure("measure words_wrong")

    shoot("where", where)

    def results() -> None:
        window.go_to("listening")
        page = window.page("listening")
        assert isinstance(page, ListeningPage)
        page.show_view("Results")
        settle()
        page.results.ensureWidgetVisible(page.results.tables[0])
        settle()

    shoot("results", results)

    def view_of_engines(name: str) -> None:
        page = window.page("engines")
        assert isinstance(page, EnginesPage)
        window.go_to("engines")
        page.show_view(name)

    def view_of_passages(name: str) -> None:
        page = window.page("passages")
        assert isinstance(page, PassagesPage)
        window.go_to("passages")
        page.show_view(name)
        settle()
        if name == "Coverage":
            page.coverage.start_picking()

    for name in ("Coverage", "As sent", "Pronunciation", "Dialogue"):
        shoot(name.lower().replace(" ", "-"), partial(view_of_passages, name))
    view_of_passages("The set")

    def copied_price() -> None:
        view_of_engines("Engines")
        page = window.page("engines")
        assert isinstance(page, EnginesPage)
        engine = next(one for one in state.bench.engines.values() if one.plans)
        page.engines._copy_price(engine, engine.plans[0])  # noqa: SLF001 as its menu does

    shoot("price", copied_price, of=PriceDialog)
    view_of_engines("Voices")

    def new_test() -> None:
        window.go_to("listening")
        page = window.page("listening")
        assert isinstance(page, ListeningPage)
        page.ask_for_test()
        (dialog,) = page.findChildren(NewTestDialog)
        bench = window.state.bench
        dialog.candidates.tick({c.id for c in bench.candidates[:5]})
        dialog.passages.tick({p.id for p in bench.passages[:4]})

    shoot("new-test", new_test, of=NewTestDialog)

    def booth(kind: str) -> None:
        page = window.page("listening")
        assert isinstance(page, ListeningPage)
        # the session is not stored: a picture must not change the project
        settings = replace(page.settings(), candidate_ids=page.settings().candidate_ids[:6])
        able = takes_to_hear(project.takes, project.texts, settings)
        window._to_booth(unkept(able, kind_of(kind), settings, ("en",)))  # noqa: SLF001 what only a listener sees
        window.booth.before.done.emit()  # the instructions were read

    shoot("booth", partial(booth, "preference"))
    window.booth._leave()  # noqa: SLF001 what only a listener sees
    window.booth._leave()  # past the page that thanks the listener  # noqa: SLF001 what only a listener sees
    if not dark:
        theme.set(dark=True)
        shoot("dark", to_cell)
        theme.set(dark=False)
    window.close()
    project.close()
    application.processEvents()
    return written
