"""An engine's controls as widgets: numbers, choices and switches, at factory settings until moved."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QWidget

from zestpanel.core.catalogue.facts import Control, Engine, Voice
from zestpanel.core.texts import tr
from zestpanel.desk.flow import FlowLayout
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.widgets import label

SettingWidget = QDoubleSpinBox | QComboBox | QCheckBox


class SettingsRow(QWidget):
    """``changed`` is emitted when a person moves a control. ``widgets`` by the control's name."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._row = FlowLayout(self)
        self.widgets: dict[str, SettingWidget] = {}
        self._shown: tuple[str, str, str] = ("", "", "")

    def show_controls(self, engine: Engine | None, voice: Voice | None, model: str) -> None:
        """Show the controls that exist for this voice and model; the same ones keep their values."""
        key = (engine.engine if engine else "", voice.id if voice else "", model)
        if key == self._shown:
            return
        keep = self.values() if key[0] == self._shown[0] else {}
        self._shown = key
        while (item := self._row.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.widgets = {}
        controls = [c for c in engine.controls if c.applies(model=model, voice=key[1])] if engine else []
        for control in controls:
            widget = self._widget(control, voice, keep.get(control.name, control.default))
            widget.setToolTip(plain_tip(control.hint))
            widget.setAccessibleName(control.name)
            self._row.addWidget(label(control.name))
            self._row.addWidget(widget)
            self.widgets[control.name] = widget
        if not controls:
            self._row.addWidget(label(tr("This engine has no settings.") if engine else "", "small"))
        self.updateGeometry()

    def _widget(self, control: Control, voice: Voice | None, value: Any) -> SettingWidget:
        if control.kind == "switch":
            switch = QCheckBox()
            switch.setChecked(bool(value))
            switch.toggled.connect(lambda _: self.changed.emit())
            return switch
        if control.kind == "choice":
            box = QComboBox()
            for choice in control.choices:
                lacks = control.means == "style" and choice != control.default and (
                    voice is not None and choice not in voice.styles
                )  # fmt: skip
                box.addItem(tr("{choice} – not in this voice", choice=choice) if lacks else choice, choice)
            box.setCurrentIndex(max(0, box.findData(str(value))))
            box.currentIndexChanged.connect(lambda _: self.changed.emit())
            return box
        number = QDoubleSpinBox()
        number.setRange(-1e6 if control.low is None else control.low, 1e6 if control.high is None else control.high)
        number.setSingleStep(control.step or 0.1)
        number.setValue(float(value))
        number.valueChanged.connect(lambda _: self.changed.emit())
        return number

    def values(self) -> dict[str, Any]:
        out: dict[str, Any] = {}
        for name, widget in self.widgets.items():
            if isinstance(widget, QDoubleSpinBox):
                out[name] = round(widget.value(), 6)
            elif isinstance(widget, QComboBox):
                out[name] = widget.currentData()
            else:
                out[name] = widget.isChecked()
        return out

    def set_values(self, values: Mapping[str, Any]) -> None:
        for name, value in values.items():
            widget = self.widgets.get(name)
            if isinstance(widget, QDoubleSpinBox):
                widget.setValue(float(value))
            elif isinstance(widget, QComboBox):
                widget.setCurrentIndex(max(0, widget.findData(value)))
            elif widget is not None:
                widget.setChecked(bool(value))
