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
