"""Packs: a test in files for listeners on other machines, which have been written, and what came back."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.domain.listening import ListeningTest
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.listening.elsewhere.listed import Listed, about_bytes, packs_of
from zestpanel.core.listening.elsewhere.pack import EMAIL_BYTES, Written, write_pack
from zestpanel.core.listening.session import tried_out
from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.pages.listening.listener_dialog import offer_languages, tags_of
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.when import day_and_hour
from zestpanel.desk.widgets import button, label, open_at

_APART = re.compile(r"[,;\n]")


class PacksDialog(Dialog):
    """changed: called once sessions were begun or packs written."""

    def __init__(self, parent: QWidget, state: DeskState, test: ListeningTest, changed: Callable[[], None]) -> None:
        super().__init__(parent)
        self._state, self._test, self._changed = state, test, changed
        self._rows: list[Listed] = []
        self.setWindowTitle(tr("Packs for listeners elsewhere"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Packs for listeners elsewhere"), "name"))
        about = tr(
            "A pack is one file with the test and its sound inside, for one listener. It opens in a browser, from "
            "an e-mail or a disk, with no network. The file of answers that comes back is dropped on the window."
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
        layout.addLayout(form)
        self.how_large = label("", "small", wrap=True)
        layout.addWidget(self.how_large)
        self.table = Table()
        self.table.setAccessibleName(tr("Packs"))
        self.table.itemSelectionChanged.connect(self._selected)
        layout.addWidget(self.table, 1)
        self.none = label(tr("No pack of this test was written yet."), "quiet")
        layout.addWidget(self.none)
        foot = QHBoxLayout()
        tip = tr("Its answers are not taken in any more; or they are again")
        self.withdraw = button(tr("Withdraw"), self._withdraw, tip=tip)
        foot.addWidget(self.withdraw)
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept))
        self.write = button(tr("Write packs …"), self.ask_for_folder, role="main")
        foot.addWidget(self.write)
        layout.addLayout(foot)
        open_at(self, 820, 560)
        self._sizes: tuple[int, int] | None = None
        project = state.project

        def sizes() -> tuple[int, int] | None:
            try:
                trials = tried_out(project, test.id, ()).trials
            except NotEnoughData:
                return None
            return about_bytes(project, trials, lossy=False), about_bytes(project, trials, lossy=True)

        state.background.run(sizes, self._measured, state.complain)
        self._show()

    # -- what there is

    def _measured(self, found: tuple[int, int] | None) -> None:
        self._sizes = found
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

    def _show(self) -> None:
        self._rows = packs_of(self._state.project, self._test.id)
        rows = [[one.listener, one.pack.code[:8], day_and_hour(one.pack.created), f"{one.answered} / {one.trials}",
                 day_and_hour(one.pack.came) if one.pack.came else "", one.state] for one in self._rows]  # fmt: skip
        head = [tr("Listener"), tr("Code"), tr("Written"), tr("Answered"), tr("Answers came"), tr("State")]
        self.table.show_rows(head, rows, numbers=[3])
        self.table.setVisible(bool(rows))
        self.none.setVisible(not rows)
        self._selected()

    def _selected(self) -> None:
        chosen = self._chosen()
        self.withdraw.setEnabled(chosen is not None)
        ended = chosen is not None and bool(chosen.pack.ended)
        self.withdraw.setText(tr("Let its answers in again") if ended else tr("Withdraw"))

    def _chosen(self) -> Listed | None:
        row = self.table.currentRow()
        return self._rows[row] if self.table.selectedItems() and 0 <= row < len(self._rows) else None

    # -- what is done

    def _withdraw(self) -> None:
        if (chosen := self._chosen()) is None:
            return
        packs, ended = self._state.project.invitations, bool(chosen.pack.ended)
        words = tr("letting a pack in again") if ended else tr("withdrawing a pack")
        self._state.edit(words, lambda: packs.withdraw(chosen.pack.id, withdrawn=not ended),
                         lambda: packs.withdraw(chosen.pack.id, withdrawn=ended))  # fmt: skip
        self._show()

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
        self._show()
        self._changed()
