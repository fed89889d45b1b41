"""The panel as a process of its own beside the window: begun, spoken with by lines of JSON, and ended with it."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject, QProcess, QTimer, pyqtSignal

from zestpanel.core.listening.elsewhere.server import ANYWHERE, HERE
from zestpanel.core.texts import tr

_ENDS_IN_MS: Final = 5_000


class PanelProcess(QObject):
    """links: by listener; everybody: for who comes of themselves; trial: of a run that is not kept. changed: a link was
    told, answers came, or it has ended. failed: why it could not begin."""

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._forget()
        self.test = 0
        self._process: QProcess | None = None
        self._began = False

    def _forget(self) -> None:
        self.links: dict[str, str] = {}
        self.everybody = self.trial = ""

    def link_of(self, code: str) -> str:
        """Of a session, whether its listener was invited or came; '' while no panel runs."""
        base = self.trial.rpartition("/")[0]
        return f"{base}/{code}" if base else ""

    @property
    def runs(self) -> bool:
        return self._process is not None

    def begin(
        self, folder: Path, test: int, listeners: list[str], languages: list[str], *, network: bool, lossy: bool
    ) -> None:  # fmt: skip
        """listeners: new ones; who has a link keeps it. network: whether other machines reach it."""
        self.end()
        self.test, self._began = test, False
        arguments = ["-m", "zestpanel", "panel", str(folder), "--json", "--until-input-ends", "--invited", "--try",
                     "--test", str(test), "--address", ANYWHERE if network else HERE]  # fmt: skip
        for one in listeners:
            arguments += ["--listener", one]
        arguments += ["--languages", *languages] if languages else []
        arguments += ["--lossy"] if lossy else []
        self._process = process = QProcess(self)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(lambda *_: self._ended(process))
        process.errorOccurred.connect(lambda _: self._ended(process))
        process.start(sys.executable, arguments)

    def _read(self) -> None:
        process = self._process
        while process is not None and process.canReadLine():
            try:
                said = json.loads(bytes(process.readLine().data()))
            except ValueError:
                continue
            self._began = True
            self.everybody = str(said.get("everybody", self.everybody))
            self.trial = str(said.get("trial", self.trial))
            if "link" in said:
                self.links[str(said["listener"])] = str(said["link"])
            self.changed.emit()

    def _ended(self, process: QProcess) -> None:
        if process is not self._process:
            return
        said = bytes(process.readAllStandardError().data()).decode("utf-8", "replace").strip()
        self._process = None
        self._forget()
        if not self._began:
            self.failed.emit(said.splitlines()[-1] if said else tr("The panel could not be opened."))
        self.changed.emit()

    def end(self, *, at_once: bool = False) -> None:
        """What was answered is in the project already. at_once: the window goes as well."""
        process, self._process = self._process, None
        self._forget()
        if process is None:
            return
        process.closeWriteChannel()
        process.finished.connect(process.deleteLater)
        if at_once:
            if not process.waitForFinished(_ENDS_IN_MS):
                process.kill()
        else:
            patience = QTimer(process)
            patience.setSingleShot(True)
            patience.timeout.connect(process.kill)
            patience.start(_ENDS_IN_MS)
        self.changed.emit()
