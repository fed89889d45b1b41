"""Projects and files by the menu of the window: made, opened, brought in, checked; and the text for a report."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QProcess
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QMainWindow,
)

from zestpanel.core.report.bug_report import bug_report
from zestpanel.core.store.checking import Damage, damage_in
from zestpanel.core.store.copies import archive, duplicate, unpack
from zestpanel.core.texts import tr, trn
from zestpanel.desk.incoming import bring_in, dropped
from zestpanel.desk.state import DeskState

if TYPE_CHECKING:
    from zestpanel.desk.window import MainWindow


class FilesIn(QMainWindow):
    """Under the main window."""

    state: DeskState
    _open_project: Callable[[Path, bool], None]

    def bring_in(self, paths: list[Path]) -> None:
        """Files dropped or chosen, each to where its kind belongs."""
        bring_in(cast("MainWindow", self), paths)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        data = event.mimeData()
        if data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        data = event.mimeData()
        if data is not None:
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            dropped(cast("MainWindow", self), paths, self.mapToGlobal(event.position().toPoint()))
            event.acceptProposedAction()

    def _check_project(self) -> None:
        folder = self.state.project.folder

        def arrived(found: list[Damage]) -> None:
            if not found:
                self.state.say(tr("{name} is whole: every row can be read, and every clip is there.", name=folder.name))
                return
            count = trn("{found} place is", "{found} places are", len(found), found=len(found))
            self.state.complain(
                tr(
                    "{count} damaged, the first: {found}. Close the window, then 'zestpanel check {folder} "
                    "--repair' puts right what can be, and keeps the damaged database.",
                    count=count,
                    found=found[0],
                    folder=folder,
                )
            )

        self.state.background.run(lambda: damage_in(folder), arrived, self.state.complain)

    def file_deeds(self) -> dict[str, Callable[[], object]]:
        """What the menu of projects does, by the names of actions."""
        return {
            "new": self._new, "open": self._open, "duplicate": self._duplicate, "archive": self._archive,
            "unpack": self._unpack, "import": self._import, "report": self._copy_report, "check": self._check_project,
        }  # fmt: skip

    def _new(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("New project"), "My channel.zest", tr("Zest Panel projects (*.zest)")
        )
        if name:
            self._open_project(Path(name if name.endswith(".zest") else name + ".zest"), True)

    def _open(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Open project (a folder ending in .zest)"))
        if name:
            self._open_project(Path(name), False)

    def _duplicate(self) -> None:
        """A copy with all takes, or one to begin another channel from; it is opened."""
        folder = self.state.project.folder
        whole, bare = tr("With all takes (*.zest)"), tr("Without takes: brief, engines, texts and roles (*.zest)")
        usual = str(folder.with_name(f"{folder.stem} 2.zest"))
        name, kind = QFileDialog.getSaveFileName(self, tr("Duplicate project"), usual, ";;".join((whole, bare)))
        if name:
            self.duplicate_to(Path(name if name.endswith(".zest") else name + ".zest"), with_takes=kind != bare)

    def duplicate_to(self, to: Path, *, with_takes: bool) -> None:
        folder = self.state.project.folder
        self.state.background.run(
            lambda: duplicate(folder, to, with_takes=with_takes), lambda _: self._open_project(to, False),
            self.state.complain,
        )  # fmt: skip

    def _archive(self) -> None:
        folder = self.state.project.folder
        name, _ = QFileDialog.getSaveFileName(self, tr("Archive to one file"), f"{folder}.zip", "ZIP (*.zip)")
        if name:
            to = Path(name)
            self.state.background.run(
                lambda: archive(folder, to),
                lambda _: self.state.say(tr("Archived: {name} in {parent}.", name=to.name, parent=to.parent)),
                self.state.complain,
            )  # fmt: skip

    def _unpack(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Open an archive"), "", "ZIP (*.zip)")
        if name:
            file = Path(name)
            self.state.background.run(
                lambda: unpack(file, file.parent), lambda to: self._open_project(to, False), self.state.complain
            )

    def _open_demo(self) -> None:
        """The demo has a window of its own, by a program of its own: this project stays open."""
        good, _ = QProcess.startDetached(sys.executable, ["-m", "zestpanel", "demo"])
        if good:
            self.state.say(tr("The demo opens in a window of its own in some seconds."))
        else:
            self.state.complain(tr("The demo could not be started. Try it from a terminal: zestpanel demo"))

    def _import(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Import"), "", tr("Scripts, engines, clips and tables (*)"))
        self.bring_in([Path(name) for name in names])

    def _copy_report(self) -> None:
        """Put the text for a bug report on the clipboard; it is made off the interface thread."""
        project = self.state.project

        def arrived(text: str) -> None:
            clipboard = QApplication.clipboard()
            if clipboard is not None:
                clipboard.setText(text)
            self.state.say(tr("The text for a bug report is on the clipboard. It holds no key; look through it first."))

        self.state.background.run(lambda: bug_report(project), arrived, self.state.complain)
