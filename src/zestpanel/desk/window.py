"""The main window: header, trail, page, card and strip; and the booth in place of all of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.listening import Sitting
from zestpanel.core.errors import ZestError
from zestpanel.core.listening.defects import KINDS, keep_heard
from zestpanel.core.listening.session import ListeningSession
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr
from zestpanel.desk.actions import ACTIONS
from zestpanel.desk.bare_keys import BareKeys
from zestpanel.desk.been import Been
from zestpanel.desk.booth.booth import Booth
from zestpanel.desk.card.card import Card
from zestpanel.desk.defects import DefectsDialog
from zestpanel.desk.files_in import FilesIn
from zestpanel.desk.hours import Hours
from zestpanel.desk.key_sheet import KeySheet
from zestpanel.desk.language_dialog import LanguageDialog
from zestpanel.desk.menu import menu_of
from zestpanel.desk.notices import Notices, NoticesDialog
from zestpanel.desk.pages.page import Page
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.playing.player import Player
from zestpanel.desk.remembered import keep_place, recent
from zestpanel.desk.search import search_from
from zestpanel.desk.state import DeskState
from zestpanel.desk.strip.strip import Strip
from zestpanel.desk.theme.style import apply_theme
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.trail import Trail
from zestpanel.desk.turns import paint_next_turn
from zestpanel.desk.viewmodels.steps import PAGE_CLASSES, TITLES
from zestpanel.desk.widgets import KeyButton, Stack, button, label, show_only

if TYPE_CHECKING:  # pages are made, and their modules loaded, when they are first looked at
    from zestpanel.desk.pages.brief import BriefPage
    from zestpanel.desk.pages.choice import ChoicePage
    from zestpanel.desk.pages.engines import EnginesPage
    from zestpanel.desk.pages.listening import ListeningPage
    from zestpanel.desk.pages.passages import PassagesPage
    from zestpanel.desk.pages.renders import RendersPage


class MainWindow(FilesIn):
    """One window, one project. ``open_project`` is called with a folder when another is asked for."""

    def __init__(
        self,
        project: Project,
        *,
        player: Player | None = None,
        open_project: Callable[[Path, bool], None] | None = None,
    ) -> None:
        super().__init__()
        self._waits_for_run = True
        self._open_project = open_project or (lambda folder, make: None)
        self.state = DeskState(project, player or Player(), self)
        self.state.background.watch(self)
        self.state.player.setParent(self.state)
        self.setAcceptDrops(True)
        self._been = Been()
        self._build()
        self._build_actions()
        self.state.notice.connect(self.notices.show_notice)
        self.state.history_changed.connect(self._show_history)
        self.state.player.lost.connect(self._sound_lost)
        for signal in (self.state.bench_changed, self.state.evaluation_changed):
            signal.connect(self._refresh_page)
        self.state.labels_changed.connect(self._show_labels)
        self.state.tray.changed.connect(self._make_room)
        theme.changed.connect(self._restyle)
        self._bare_keys = BareKeys(self)
        self.resize(1280, 800)
        bench = self.state.bench
        if bench.candidates and bench.passages:
            self.go_to("renders")
            self.state.select(bench.candidates[0].id, bench.passages[0].id)
        else:
            self.go_to("brief" if not project.brief.channel else "passages" if bench.candidates else "engines")
        self.state.refresh_evaluation()
        self._show_title()

    # -- built once

    def _build(self) -> None:
        self.header = QFrame()
        self.header.setObjectName("header")
        head = QHBoxLayout(self.header)
        head.setContentsMargins(20, 7, 20, 7)
        head.setSpacing(12)
        self._channel, self._step = label("", "channel"), label("", "quiet")
        self.menu_button = button(tr("Menu"), self._open_menu)
        self.hide_labels = KeyButton(tr("Hide labels"), "H")
        self.hide_labels.clicked.connect(self.state.toggle_labels)
        self.hide_labels.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        head.addWidget(self._channel)
        head.addWidget(self._step, 1)
        head.addWidget(self.hide_labels)
        head.addWidget(self.menu_button)
        self.trail, self.card, self.strip = Trail(self.state), Card(self.state), Strip(self.state)
        self.trail.chosen.connect(self.go_to)
        self.hours = Hours(self.state)
        self.state.schedule_changed.connect(self.hours.resume)
        self.pages: dict[str, Page] = {}
        self._stack = Stack()
        across = QHBoxLayout()
        across.setSpacing(0)
        across.addWidget(self.trail)
        across.addWidget(self._stack, 1)
        across.addWidget(self.card)
        desk = QWidget()
        column = QVBoxLayout(desk)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addLayout(across, 1)
        column.addWidget(self.strip)
        self.booth = Booth(self.state)
        self.booth.finished.connect(self._leave_booth)
        self._seat: ListeningSession | None = None  # of whoever is in the booth
        self._whole = Stack()
        self._whole.addWidget(desk)
        self._whole.addWidget(self.booth)
        self.setCentralWidget(self._whole)
        self.notices = Notices(self._whole, self.strip)
        self._card_wanted: dict[str, bool] = {}  # where it was asked for, or sent away

    def page(self, step: str) -> Page:
        """The page of a step, made when first looked at."""
        if step not in self.pages:
            page: Page = getattr(import_module(f"zestpanel.desk.pages.{step}"), PAGE_CLASSES[step])(self.state)
            page.go_to = self.go_to
            if step == "listening":
                cast("ListeningPage", page).begin.connect(self._to_booth)
            if step == "brief":
                brief = cast("BriefPage", page)
                brief.demo_wanted.connect(self._open_demo)
                brief.open_wanted.connect(self._open)
                brief.lately_wanted.connect(lambda folder: self._open_project(folder, False))
            if isinstance(page, TabbedPage):
                page.view_shown.connect(self._view_shown)
            self.pages[step] = page
            self._stack.addWidget(page)
        return self.pages[step]

    def _build_actions(self) -> None:
        calls: dict[str, Callable[[], object]] = {
            **self.file_deeds(),
            "quit": self.close,
            "record": lambda: self.at_choice().write(),
            "undo": self.state.undo,
            "redo": self.state.redo,
            "play": self.state.tray.toggle_play,
            "labels": self.state.toggle_labels,
            "real_time": lambda: self.state.tray.set_real_time(not self.state.tray.real_time),
            "mark": self.strip.ask_for_mark,
            "star": self._star,
            "impression": self.card.show_impressions,
            "back": lambda: self.state.player.seek(0.0),
            "bring": lambda: self.at_renders().ask_for_clips(),
            "audition": lambda: self._where_it_is_seen("engines", lambda: self.at_engines().hear()),
            "render": lambda: self._where_it_is_seen("renders", lambda: self.at_renders().start()),
            "clips": lambda: self.at_renders().ask_where_clips_go(),
            "takes": lambda: self.at_renders().show_takes(),
            "plan": lambda: self.at_renders().plan_a_run(),
            "again": lambda: self._where_it_is_seen("renders", lambda: self.at_renders().again()),
            "find": lambda: self.at_engines().find_voice(),
            "search": lambda: search_from(self),
            "dark": lambda: theme.set(dark=not theme.dark),
            "larger": lambda: theme.step_scale(1),
            "smaller": lambda: theme.step_scale(-1),
            "card": self._toggle_card,
            "language": lambda: LanguageDialog(self, self.state).show(),
            "keys": self._show_keys,
            "said": lambda: NoticesDialog(self, self.notices.said).show(),
            "go_back": lambda: self._go_back(-1),
            "go_on": lambda: self._go_back(1),
        }
        tray = self.state.tray
        calls |= {
            "defects": lambda: DefectsDialog(self, self.state).show(), "loop": tray.toggle_loop,
            "copies": lambda: tray.set_copies(not tray.copies),
            "neighbours": lambda: tray.set_between_neighbours(not tray.between_neighbours),
            "bed": self.strip.ask_for_bed, "pin": tray.pin,
        }  # fmt: skip
        calls |= {f"lane_{n}": partial(tray.swap_to, n - 1) for n in range(1, 10)}
        calls |= {f"defect_{n}": partial(tray.mark_here, kind) for n, kind in enumerate(KINDS, 2)}
        calls |= {f"step_{key}": partial(self.go_to, key) for key in TITLES}
        self.actions_by_id: dict[str, QAction] = {}
        for one in ACTIONS:
            action = QAction(one.text, self)
            if one.keys:
                action.setShortcuts([QKeySequence(keys) for keys in one.keys.split(" ")])
            action.triggered.connect(lambda _=False, d=calls[one.id]: d())
            self.addAction(action)
            self.actions_by_id[one.id] = action
        self._show_history()

    def _open_menu(self) -> None:
        lately = [folder for folder in recent() if folder != self.state.project.folder.absolute()]
        menu = menu_of(self, self.actions_by_id, lately, lambda folder: self._open_project(folder, False))
        menu.popup(self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft()))

    # -- where we are

    def _go_back(self, by: int) -> None:
        """Where one was before, and on again."""
        with self._been.going(by) as place:
            if place is not None:
                step, view = place
                self.go_to(step)
                page = self.pages[step]
                if view and isinstance(page, TabbedPage):
                    page.show_view(view)

    def _note_place(self) -> None:
        """The page, and the view of it, that one is at now."""
        page = self.pages.get(self.current)
        self._been.note((self.current, page.view if isinstance(page, TabbedPage) else ""))

    def go_to(self, step: str) -> None:
        self.state.background.stand_aside()
        page = self.page(step)
        paint_next_turn(self._stack)
        show_only(self._stack, page)  # before the strip unfolds and wants its height
        self.current = step
        self._make_room()
        self.trail.set_on(step)
        self._step.setText(TITLES[step])
        self._note_place()
        page.refresh()
        if step == "renders" and page.empty is None:
            cast("RendersPage", page).grid.setFocus()
        else:
            page.setFocus()  # not the first button of the page

    def _refresh_page(self) -> None:
        self._show_title()
        if self._whole.currentIndex() == 0:
            paint_next_turn(self._stack)
            self.pages[self.current].refresh()

    def _show_title(self) -> None:
        channel = self.state.bench.brief.channel or tr("New channel")
        self._channel.setText(channel)
        self.setWindowTitle(tr("{channel} – Zest Panel", channel=channel))

    # pages by their own class, each gone to where one is not there already

    def _there(self, step: str) -> Page:
        if self.current != step:
            self.go_to(step)
        return self.page(step)

    def _where_it_is_seen(self, step: str, spends: Callable[[], object]) -> None:
        """What may cost money is done where its price stands: from elsewhere a key leads there, and no further."""
        if self.current == step:
            spends()
        else:
            self.go_to(step)

    def at_engines(self) -> EnginesPage:
        return cast("EnginesPage", self._there("engines"))

    def at_passages(self) -> PassagesPage:
        return cast("PassagesPage", self._there("passages"))

    def at_renders(self) -> RendersPage:
        return cast("RendersPage", self._there("renders"))

    def at_listening(self) -> ListeningPage:
        return cast("ListeningPage", self._there("listening"))

    def at_choice(self) -> ChoicePage:
        return cast("ChoicePage", self._there("choice"))

    def _make_room(self) -> None:
        """The card and the whole strip stand beside the grid; elsewhere the card comes when it is asked for, and the
        strip when takes are laid out on it."""
        page = self.pages[self.current]
        self.strip.set_folded(not page.beside_card and not self.state.tray.repeats)
        key = self._card_key()
        self.card.setVisible(self._card_wanted.get(key, page.beside_card))

    def _view_shown(self) -> None:
        self._note_place()
        self._make_room()

    def _card_key(self) -> str:
        page = self.pages[self.current]
        return f"{self.current} {page.view}" if isinstance(page, TabbedPage) else self.current

    def _toggle_card(self) -> None:
        self._card_wanted[self._card_key()] = not self.card.isVisible()
        self._make_room()

    def _show_labels(self) -> None:
        self.hide_labels.set_text(tr("Show labels") if self.state.labels_hidden else tr("Hide labels"))
        if self.state.labels_hidden and self.current != "renders":
            self.go_to("renders")  # the other pages are about names
        elif self.current != "renders":
            self._refresh_page()

    def _show_history(self) -> None:
        history = self.state.project.history
        for deed, words, name in (("undo", tr("Undo"), history.undo_label), ("redo", tr("Redo"), history.redo_label)):
            self.actions_by_id[deed].setText(f"{words}: {name}" if name else words)
            self.actions_by_id[deed].setEnabled(bool(name))

    @property
    def notice_text(self) -> QLabel:
        """The last thing that was said."""
        return self.notices.newest

    def _sound_lost(self) -> None:
        self.state.complain(
            tr(
                "The sound device is gone, and playing was paused. Play again: it goes on with the device "
                "that is there."
            )
        )

    def _show_keys(self) -> None:
        KeySheet(self).show()

    def _star(self) -> None:
        """Prefer the heard take among its cell's repeats, or no longer."""
        if not self.state.tray.lanes:
            return
        take, takes = self.state.tray.lanes[self.state.player.mixer.on].take, self.state.project.takes
        self.state.edit(
            tr("preferred take"),
            lambda: takes.star(take.id, not take.starred),
            lambda: takes.star(take.id, take.starred),
        )

    # -- the booth

    def _to_booth(self, session: ListeningSession, sitting: Sitting | None = None) -> None:
        try:
            session.sit_down(sitting or Sitting())
        except ZestError as error:
            self.state.complain(error)
            return
        self._seat = session
        self.notices.hold(True)
        for one in ACTIONS:
            if one.id != "quit":
                self.actions_by_id[one.id].setEnabled(False)
        self._whole.setCurrentWidget(self.booth)
        self.booth.begin(session)

    def _leave_booth(self) -> None:
        if self._seat is not None:
            self._seat.get_up(self.state.player.device_name)
            self._seat = None
        self.notices.hold(False)
        for action in self.actions_by_id.values():
            action.setEnabled(True)
        self._whole.setCurrentIndex(0)
        passage, candidate, tray = self.state.passage_id, self.state.candidate_id, self.state.tray
        if tray.bed_path is not None:  # what the lead listens over lay under no listener's clips
            tray.set_bed(tray.bed_path, below_lu=tray.bed_below_lu)
        self.state.passage_id = None
        self.state.select(candidate, passage)
        self.state.refresh()

    # -- the rest

    def _restyle(self) -> None:
        application = QApplication.instance()
        if isinstance(application, QApplication):
            apply_theme(application, theme)
        self.update()

    def _leave_run(self) -> None:
        run = self.state.runs.run
        if run is not None and not run.progress().finished and self._waits_for_run:
            run.leave()
            self._waits_for_run = run.wait(30)  # once: what does not end then, ends with the program

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes the last notice. Enter presses the button one is at, as in a dialog."""
        focus = self.focusWidget()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(focus, QPushButton):
            focus.click()
        elif event.key() != Qt.Key.Key_Escape or not self.notices.close_last():
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        keep_place(self, self.state.project.folder, self.current)
        self._leave_run()
        self.state.stop_hearing()
        if "passages" in self.pages:
            cast("PassagesPage", self.pages["passages"]).keep_draft()
        if heard := self.state.tray.heard():
            keep_heard(self.state.project.documents, heard)
        if "listening" in self.pages:
            cast("ListeningPage", self.pages["listening"]).tests.panel.end(at_once=True)
        self.state.player.close()
        self.state.background.close()
        self._leave_run()  # one that was about to begin
        if self._seat is not None:
            self._seat.get_up(self.state.player.device_name)
        self._bare_keys.end()
        event.accept()
