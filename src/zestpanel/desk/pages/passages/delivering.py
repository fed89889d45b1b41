"""How a dialogue or a narration is delivered: where to, in which format, how loud, in one file or one a part."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Final

from pydantic import ValidationError
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QWidget

from zestpanel.core.audio.encoding import KINDS, LOSSLESS, OutputFormat
from zestpanel.core.errors import InputError
from zestpanel.core.production.narration import OUTPUT, Delivered, deliver
from zestpanel.core.production.sheet import bars_of, credits_of
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_number
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label

_NAMES: Final = {"wav": "WAV", "flac": "FLAC", "mp3": "MP3", "opus": "Opus", "aac": "AAC (M4A)"}
_RATES: Final = (16_000, 22_050, 24_000, 44_100, 48_000)
_KBPS: Final = (64, 96, 128, 192, 256)
_MOST: Final = 30


class DeliverDialog(FormDialog):
    """delivered: called with what was written."""

    def __init__(self, parent: QWidget, state: DeskState, name: str, delivered: Callable[[Delivered], None]) -> None:
        about = tr("Captions, the times of the words and a list of the files are written beside one whole file. That "
                   "the speech is synthetic, and credit lines that plans demand, go into the files.")  # fmt: skip
        super().__init__(parent, tr("Deliver '{name}'", name=name), about, lambda: None, tr("Write"))
        self._state, self._name, self._delivered = state, name, delivered
        was = OUTPUT.read(state.project.documents)
        self.folder = QLineEdit(str(state.project.folder / "exports"))
        self.folder.setAccessibleName(tr("Folder"))
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        choose = button(tr("Choose …"), self._choose)
        choose.setAutoDefault(False)
        row.addWidget(choose)
        self.kind, self.rate, self.quality, self.channels = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        for kind in KINDS:
            self.kind.addItem(_NAMES[kind], kind)
        self.kind.setCurrentIndex(self.kind.findData(was.kind))
        self.kind.currentIndexChanged.connect(lambda _: self._show_quality())
        self.rate.addItem(tr("as the engine gives it"), None)
        for rate in _RATES:
            self.rate.addItem(f"{rate:,} Hz", rate)
        self.rate.setCurrentIndex(max(0, self.rate.findData(was.rate_hz)))
        self.channels.addItem(tr("mono"), 1)
        self.channels.addItem(tr("stereo"), 2)
        self.channels.setCurrentIndex(was.channels - 1)
        self.loudness = QLineEdit("" if was.loudness_lufs is None else f"{was.loudness_lufs:g}")
        self.loudness.setPlaceholderText(tr("as it is"))
        self.peak = QLineEdit(f"{was.peak_dbtp:g}")
        self.head, self.tail = QLineEdit(f"{was.head_s:g}"), QLineEdit(f"{was.tail_s:g}")
        self.each = QCheckBox(tr("A file a part, named"))
        self.pattern = QLineEdit("{name} {n:03d} {speaker}")
        self.pattern.setAccessibleName(tr("Pattern of the names"))
        self.pattern.setEnabled(False)
        self.each.toggled.connect(self.pattern.setEnabled)
        self.form.addRow(tr("Folder"), row)
        for words, widget in (
            (tr("Format"), self.kind), (tr("Quality"), self.quality), (tr("Sample rate"), self.rate),
            (tr("Channels"), self.channels), (tr("Loudness, LUFS"), self.loudness),
            (tr("True peak at most, dBTP"), self.peak), (tr("Silence before, s"), self.head),
            (tr("Silence after, s"), self.tail),
        ):  # fmt: skip
            widget.setAccessibleName(words)
            self.form.addRow(words, widget)
        self.form.addRow(self.each, self.pattern)
        self.allow = QCheckBox(tr("Deliver all the same"))
        self._against = " ".join(bars_of(state.project, name))
        self.allow.setVisible(bool(self._against))
        if self._against:
            self.form.addRow(label(self._against, "bad", wrap=True))
        self.form.addRow(self.allow)
        self._show_quality(was)
        self.kind.setFocus()

    def _show_quality(self, was: OutputFormat | None = None) -> None:
        lossless = self.kind.currentData() in LOSSLESS
        before = was or OutputFormat()
        self.quality.clear()
        for value in (16, 24) if lossless else _KBPS:
            self.quality.addItem(tr("{bits} bit", bits=value) if lossless else f"{value} kbit/s", value)
        self.quality.setCurrentIndex(max(0, self.quality.findData(before.bits if lossless else before.kbps)))

    def _choose(self) -> None:
        if folder := QFileDialog.getExistingDirectory(self, tr("Deliver into"), self.folder.text()):
            self.folder.setText(folder)

    def output(self) -> OutputFormat:
        """Raises InputError."""
        values: dict[str, object] = {
            "kind": self.kind.currentData(), "rate_hz": self.rate.currentData(),
            "channels": self.channels.currentData(),
            "bits" if self.kind.currentData() in LOSSLESS else "kbps": self.quality.currentData(),
        }  # fmt: skip
        for name, edit in (("loudness_lufs", self.loudness), ("peak_dbtp", self.peak), ("head_s", self.head),
                           ("tail_s", self.tail)):  # fmt: skip
            text = edit.text().strip().replace("−", "-")
            values[name] = float(typed_number(text, edit.accessibleName())) if text else None
        if values["loudness_lufs"] is not None:
            values = {name: value for name, value in values.items() if value is not None or name == "rate_hz"}
        try:
            return OutputFormat.model_validate({k: v for k, v in values.items() if v is not None or k in (
                "rate_hz", "loudness_lufs")})  # fmt: skip
        except ValidationError as error:
            raise InputError(f"{error.errors()[0]['msg']}.", kept=tr("Nothing was written.")) from error

    def keep(self) -> bool:
        to, folder = self.output(), self.folder.text().strip()
        if self._against and not self.allow.isChecked():
            raise InputError(
                self._against,
                kept=tr("Nothing was written."),
                remedy=tr("Tick that it is delivered all the same, where its owner agrees."),
            )
        if not folder:
            raise InputError(tr("Name a folder."), kept=tr("Nothing was written."))
        project, name = self._state.project, self._name
        OUTPUT.write(project.documents, to)
        each, pattern, delivered = self.each.isChecked(), self.pattern.text(), self._delivered
        credit = credits_of(project, name)
        self._state.say(tr("'{name}' is being written …", name=name))
        self._state.background.run(
            lambda: deliver(project, name, Path(folder), to, each=each, pattern=pattern, credit=credit),
            delivered, self._state.complain,
        )  # fmt: skip
        return True
