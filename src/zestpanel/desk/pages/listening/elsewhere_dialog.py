"""Listeners on other machines: files or links for them, and what came back."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QTimer, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.listening import ListeningTest
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.listening.elsewhere import wording
from zestpanel.core.listening.elsewhere.listed import Listed, about_bytes, packs_of
from zestpanel.core.listening.elsewhere.pack import EMAIL_BYTES, Written, write_pack
from zestpanel.core.listening.planned import asked_of_a_listener, material_of
from zestpanel.core.listening.session import tried_out
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told
from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.pages.listening.coming_in import CodeDialog, ComingInDialog
from zestpanel.desk.pages.listening.listener_dialog import offer_languages, tags_of
from zestpanel.desk.panel_process import PanelProcess
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table, choose_row
from zestpanel.desk.when import day_and_hour
from zestpanel.desk.widgets import button, label, open_at

_APART: Final = re.compile(r"[,;\n]")
_LOOK_EACH_MS: Final = 2_000


class ElsewhereDialog(Dialog):
    """panel: the process that serves pages by link. changed: called once sessions were begun or packs written."""

    def __init__(
        self, parent: QWidget, state: DeskState, test: ListeningTest, panel: PanelProcess, changed: Callable[[], None]
    ) -> None:
        super().__init__(parent)
        self._state, self._test, self._panel, self._changed = state, test, panel, changed
        self._rows: list[Listed] = []
        self._read = False  # whether the rows were read once
        self.setWindowTitle(tr("Listeners elsewhere"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Listeners elsewhere"), "name"))
        about = tr(
            "A pack is one file with the test and its sound inside, for one listener. It opens in a browser, from "
            "an e-mail or a disk, with no network. The file of answers that comes back is dropped on the window. Or "
            "this machine serves the test, and each listener has a link."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        form = QFormLayout()
        self.names, self.languages = QLineEdit(), QLineEdit()
        self.names.setPlaceholderText(tr("names or aliases, with commas between them"))
        self.languages.setPlaceholderText(tr("languages they speak, such as English, French"))
        offer_languages(self.languages)
        self.lossy = QCheckBox(tr("Smaller files, for slow lines: the sound loses what few hear"))
        self.lossy.toggled.connect(self._say_size)
        form.addRow(tr("Listeners"), self.names)
        form.addRow(tr("Languages"), self.languages)
        form.addRow("", self.lossy)
        self.network = QCheckBox(tr("Links reach this machine from others on the network"))
        tip = tr(
            "Whoever reaches it and has a link can take the test; without TLS it can be read on the way. Else links "
            "work on this machine alone."
        )
        self.network.setToolTip(tip)
        form.addRow("", self.network)
        layout.addLayout(form)
        self.how_large = label("", "small", wrap=True)
        layout.addWidget(self.how_large)
        self.table = Table()
        self.table.setAccessibleName(tr("Listeners elsewhere"))
        self.table.itemSelectionChanged.connect(self._selected)
        layout.addWidget(self.table, 1)
        self.none = label(tr("Nobody elsewhere was asked yet."), "quiet")
        layout.addWidget(self.none)
        foot = QHBoxLayout()
        tip = tr("Its answers are not taken in any more; or they are again")
        self.withdraw = button(tr("Withdraw"), self._withdraw, tip=tip)
        foot.addWidget(self.withdraw)
        self.copy_link = button(tr("Copy link"), self._copy_link, tip=tr("Of the listener that is chosen"))
        foot.addWidget(self.copy_link)
        self.end_panel = button(tr("End the panel"), panel.end, tip=tr("Links lead nowhere until it is opened again"))
        foot.addWidget(self.end_panel)
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept))
        tip = tr("This window serves the test as a page; each listener has a link")
        self.by_link = button(tr("Open the panel"), self.open_panel, tip=tip)
        foot.addWidget(self.by_link)
        self.write = button(tr("Write packs …"), self.ask_for_folder, role="main")
        foot.addWidget(self.write)
        links = QHBoxLayout()
        links.addWidget(button(tr("Notice, and a link for all …"), self.ask_coming_in,
                               tip=tr("What listeners agree to first; and how they come of themselves")))  # fmt: skip
        self.try_page = button(tr("Try the page"), self._try_page, tip=tr("In the browser; nothing of it is kept"))
        self.invite = button(
            tr("Copy invitation"), self._copy_invitation, tip=tr("A letter in the listener's language")
        )
        self.remind = button(tr("Copy reminder"), self._copy_reminder, tip=tr("With how far the listener is"))
        self.for_all = button(tr("Copy letter to all"), self._copy_for_all, tip=tr("With the link for all"))
        self.code = button(tr("QR code …"), self._show_code, tip=tr("The link for all, else that of who is chosen"))
        for one in (self.try_page, self.invite, self.remind, self.for_all, self.code):
            links.addWidget(one)
        links.addStretch(1)
        layout.addLayout(links)
        layout.addLayout(foot)
        open_at(self, 900, 600)
        self._sizes: tuple[int, int] | None = None
        self._minutes = 1
        project = state.project

        def sizes() -> tuple[int, int, int] | None:
            try:
                trials = tried_out(project, test.id, ()).trials
            except NotEnoughData:
                return None
            load = asked_of_a_listener(material_of(project), test.kind, TestSettings.from_document(test.settings))
            return about_bytes(project, trials, lossy=False), about_bytes(project, trials, lossy=True), load.minutes

        state.background.run(sizes, self._measured, state.complain)
        panel.changed.connect(self._selected)
        panel.changed.connect(self._look)
        panel.failed.connect(state.complain)
        self._again = QTimer(self)  # answers come into the project from the panel's own process
        self._again.timeout.connect(self._look)
        self._again.start(_LOOK_EACH_MS)
        self._show()
        self._look()

    # -- what there is

    def _measured(self, found: tuple[int, int, int] | None) -> None:
        if found is not None:
            self._sizes, self._minutes = found[:2], found[2]
        self._say_size()

    def _say_size(self) -> None:
        if self._sizes is None:
            self.how_large.setText("")
            return
        size = self._sizes[self.lossy.isChecked()]
        said = tr("About {mb} MB each.", mb=max(1, round(size / 1e6)))
        if size > EMAIL_BYTES:
            said += " " + (tr("Too large for most mail: ask fewer passages in a new version.")
                           if self.lossy.isChecked() else
                           tr("Too large for most mail: smaller files are about {mb} MB.",
                              mb=max(1, round(self._sizes[1] / 1e6))))  # fmt: skip
        self.how_large.setText(said)

    def _look(self) -> None:
        """Read off this thread: many listeners have many answers."""
        project, test = self._state.project, self._test.id
        self._state.background.run(lambda: packs_of(project, test), self._came, self._state.complain,
                                   topic="elsewhere")  # fmt: skip

    def _came(self, found: list[Listed]) -> None:
        if found == self._rows:
            self._read = True
            self._selected()
            return
        begun, row = self._read, self.table.currentRow()
        self._rows, self._read = found, True
        self._show()
        choose_row(self.table, row)
        if begun:
            self._changed()

    def _show(self) -> None:
        rows = [[one.listener, self._way(one), day_and_hour(one.pack.created), f"{one.answered} / {one.trials}",
                 day_and_hour(one.pack.came) if one.pack.came else "", one.state] for one in self._rows]  # fmt: skip
        head = [tr("Listener"), tr("By"), tr("Made"), tr("Answered"), tr("Answers came"), tr("State")]
        self.table.show_rows(head, rows, numbers=[3])
        self.table.setVisible(bool(rows))
        self.none.setVisible(not rows)
        self._selected()

    def _way(self, one: Listed) -> str:
        """By which code, and whether that is a link."""
        short = one.pack.code[:8]
        return tr("link {code}", code=short) if one.pack.by_link else tr("file {code}", code=short)

    def _selected(self) -> None:
        chosen = self._chosen()
        self.withdraw.setEnabled(chosen is not None)
        self.copy_link.setVisible(self._panel.runs)
        linked = bool(self._link(chosen))
        for one in (self.copy_link, self.invite, self.code):
            one.setEnabled(linked)
        self.code.setEnabled(linked or bool(self._panel.everybody))
        self.remind.setEnabled(linked and chosen is not None and 0 < chosen.answered < chosen.trials)
        self.for_all.setEnabled(bool(self._panel.everybody))
        for one in (self.try_page, self.invite, self.remind, self.for_all, self.code):
            one.setVisible(self._panel.runs)
        self.end_panel.setVisible(self._panel.runs)
        ended = chosen is not None and bool(chosen.pack.ended)
        self.withdraw.setText(tr("Let its answers in again") if ended else tr("Withdraw"))

    def _link(self, one: Listed | None) -> str:
        """Of a session that has one, while the panel runs."""
        good = one is not None and one.pack.by_link and not one.pack.ended
        return self._panel.link_of(one.pack.code) if one is not None and good else ""

    def _chosen(self) -> Listed | None:
        row = self.table.currentRow()
        return self._rows[row] if self.table.selectedItems() and 0 <= row < len(self._rows) else None

    # -- what is done

    def open_panel(self) -> None:
        """Serve the test; whoever was invited before keeps their link."""
        names = self._listeners()
        anybody = self._state.project.panel.test(self._test.id).conduct.enrolment is not None
        if not names and not anybody and not any(one.pack.by_link and not one.pack.ended for one in self._rows):
            self._state.complain(tr("For whom? Write a name or an alias for each, or make a link for all."))
            self.names.setFocus()
            return
        try:
            tags = tags_of(self.languages.text())
        except InputError as error:
            self._state.complain(error)
            return
        self._panel.begin(self._state.project.folder, self._test.id, names, list(tags),
                          network=self.network.isChecked(), lossy=self.lossy.isChecked())  # fmt: skip

    def _copy_link(self) -> None:
        chosen, board = self._chosen(), QApplication.clipboard()
        if chosen is not None and board is not None:
            board.setText(self._link(chosen))
            self._state.say(tr("The link of {listener} is copied.", listener=chosen.listener))

    def ask_coming_in(self) -> None:
        def kept() -> None:
            self._changed()
            if self._panel.runs and self._panel.test == self._test.id:
                self.open_panel()  # it tells the link for all as it begins

        ComingInDialog(self, self._state, self._test.id, kept).show()

    def _letter(self, words: Callable[[Told, Listed, str], str], said: str) -> None:
        chosen, board = self._chosen(), QApplication.clipboard()
        if chosen is None or board is None:
            return
        known = self._state.project.panel.called(chosen.listener)
        told = Told(known.languages if known else ())
        board.setText(words(told, chosen, self._link(chosen)))
        self._state.say(said)

    def _copy_invitation(self) -> None:
        self._letter(lambda told, one, link: wording.invitation(told, one.listener, link, self._minutes),
                     tr("The invitation is copied."))  # fmt: skip

    def _copy_reminder(self) -> None:
        self._letter(lambda told, one, link: wording.reminder(told, one.listener, link, one.answered, one.trials),
                     tr("The reminder is copied."))  # fmt: skip

    def _copy_for_all(self) -> None:
        enrolment, board = self._state.project.panel.test(self._test.id).conduct.enrolment, QApplication.clipboard()
        if board is not None:
            told = Told(enrolment.languages if enrolment else ())
            board.setText(wording.call(told, self._panel.everybody, self._minutes))
            self._state.say(tr("The letter to all is copied."))

    def _show_code(self) -> None:
        CodeDialog(self, self._link(self._chosen()) or self._panel.everybody).show()

    def _try_page(self) -> None:
        QDesktopServices.openUrl(QUrl(self._panel.trial))

    def _withdraw(self) -> None:
        if (chosen := self._chosen()) is None:
            return
        packs, ended = self._state.project.invitations, bool(chosen.pack.ended)
        words = tr("letting a pack in again") if ended else tr("withdrawing a pack")
        self._state.edit(words, lambda: packs.withdraw(chosen.pack.id, withdrawn=not ended),
                         lambda: packs.withdraw(chosen.pack.id, withdrawn=ended))  # fmt: skip
        self._look()

    def ask_for_folder(self) -> None:
        if not self._listeners():
            self._state.complain(tr("For whom? Write a name or an alias for each."))
            self.names.setFocus()
            return
        name = QFileDialog.getExistingDirectory(self, tr("Folder for the packs"))
        if name:
            self.write_to(Path(name))

    def _listeners(self) -> list[str]:
        return list(dict.fromkeys(name for one in _APART.split(self.names.text()) if (name := one.strip())))

    def write_to(self, folder: Path) -> None:
        """A pack each, off this thread; those that can be written are, and what kept the others from it is said."""
        state, test, lossy, names = self._state, self._test, self.lossy.isChecked(), self._listeners()
        try:
            tags = tags_of(self.languages.text())
        except InputError as error:
            state.complain(error)
            self.languages.setFocus()
            return
        self.write.setEnabled(False)
        project = state.project

        def work() -> tuple[list[Written], list[InputError | NotEnoughData]]:
            done, problems = [], []
            for alias in names:
                try:
                    listener = project.panel.add_listener(alias, languages=tags)
                    done.append(write_pack(project, test.id, listener, folder, lossy=lossy))
                except (InputError, NotEnoughData) as error:
                    problems.append(error)
            return done, problems

        def arrived(found: tuple[list[Written], list[InputError | NotEnoughData]]) -> None:
            done, problems = found
            if done:
                mb = max(1, round(sum(one.bytes for one in done) / 1e6))
                state.say(trn("{n} pack is in {folder}, {mb} MB.", "{n} packs are in {folder}, {mb} MB together.",
                              len(done), n=len(done), folder=folder.name, mb=mb))  # fmt: skip
                self.names.clear()
            for one in problems:
                state.complain(one)
            self._over()

        def failed(error: object) -> None:
            state.complain(error if isinstance(error, InputError) else str(error))
            self._over()

        state.background.run(work, arrived, failed)

    def _over(self) -> None:
        self.write.setEnabled(True)
        self._look()
