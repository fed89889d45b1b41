"""Weights beside the ranking: moved by hand, the order follows at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Final

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QCheckBox, QSpinBox, QVBoxLayout, QWidget

from zestpanel.core.choice.criteria import CRITERIA, bounds_in_words, set_of
from zestpanel.core.choice.roles import set_roles
from zestpanel.core.choice.standing import Standing
from zestpanel.core.domain.role import Role, SetTo
from zestpanel.core.evidence.registry import weighable
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label

_SETTLED_MS: Final = 500  # after the last move a weight is kept, as one step of undo


def put_criteria(project: Project, role: Role | None, stored: Mapping[str, SetTo]) -> None:
    """Keep what is set of the criteria: with the role, where it has its own, else for all."""
    if role is None or role.criteria is None:
        project.edit_document(CRITERIA, dict(stored), label=tr("weights"))
        return
    roles = [one.model_copy(update={"criteria": dict(stored)}) if one.id == role.id else one
             for one in project.brief.roles]  # fmt: skip
    set_roles(project, roles)


class Weighing(QWidget):
    """A box a figure that is weighed, and all others behind a link. moved: called with the standing under the weights
    as they are in the boxes."""

    def __init__(self, state: DeskState, moved: Callable[[Standing], None], ask_for_all: Callable[[], None]) -> None:
        super().__init__()
        self._state, self._moved = state, moved
        self._standing: Standing | None = None
        self.boxes: dict[str, QSpinBox] = {}
        self._beside: dict[str, QWidget] = {}
        widgets: list[QWidget] = [label(tr("Weights"), "strong")]
        for figure in weighable():
            box = QSpinBox()
            box.setRange(0, 100)
            box.setAccessibleName(tr("Weight of {words}", words=word(figure.words)))
            box.valueChanged.connect(self._changed)
            box.editingFinished.connect(self.keep)
            self.boxes[figure.name], self._beside[figure.name] = box, label(word(figure.words))
            widgets += [self._beside[figure.name], box]
        self.own = QCheckBox(tr("for this role alone"))
        self.own.setToolTip(tr("Off, these weights and bounds are shared by all roles that have none of their own"))
        self.own.clicked.connect(self._own_clicked)
        widgets += [self.own, button(tr("Weights and bounds …"), ask_for_all, role="link",
                                     tip=tr("Other figures, and from where to where they count"))]  # fmt: skip
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(flow_row(*widgets))
        self._bounds = label("", "small", wrap=True)
        column.addWidget(self._bounds)
        self._settled = QTimer(self)
        self._settled.setSingleShot(True)
        self._settled.setInterval(_SETTLED_MS)
        self._settled.timeout.connect(self.keep)

    def show_of(self, standing: Standing) -> None:
        """Boxes as the standing weighs; not while they are being moved."""
        if self._settled.isActive():
            return
        self._standing = standing
        weighed = {one.name: one.weight for one in standing.criteria}
        usual = {one.name for one in weighable() if one.start is not None and one.start(standing.brief).weight > 0}
        for name, box in self.boxes.items():
            box.blockSignals(True)
            box.setValue(round(weighed.get(name, 0)))
            box.blockSignals(False)
            for widget in (box, self._beside[name]):
                widget.setVisible(name in usual or weighed.get(name, 0) > 0)
        self.own.setVisible(standing.role is not None)
        self.own.setChecked(standing.role is not None and standing.role.criteria is not None)
        self._bounds.setText(bounds_in_words(standing.criteria, standing.brief))

    def _changed(self) -> None:
        if self._standing is None:
            return
        self._settled.start()
        criteria = [replace(one, weight=float(self.boxes[one.name].value())) if self._moved_of(one.name, one.weight)
                    else one for one in self._standing.criteria]  # fmt: skip
        self._moved(self._standing.weighed_by(criteria))

    def _moved_of(self, name: str, weight: float) -> bool:
        return name in self.boxes and self.boxes[name].value() != round(weight)

    def keep(self) -> None:
        """Keep the weights that were moved; nothing where none was."""
        self._settled.stop()
        standing = self._standing
        if standing is None:
            return
        project = self._state.project
        moved = [one.name for one in standing.criteria if self._moved_of(one.name, one.weight)]
        if not moved:
            return
        stored = set_of(project.documents, standing.role)
        for name in moved:
            weight = float(self.boxes[name].value())
            stored[name] = stored.get(name, SetTo()).model_copy(update={"weight": weight})
        put_criteria(project, standing.role, stored)
        self._standing = standing.weighed_by([
            replace(one, weight=float(self.boxes[one.name].value())) if one.name in moved else one
            for one in standing.criteria
        ])  # fmt: skip
        self._state.refresh()

    def _own_clicked(self, on: bool) -> None:
        """Give the role weights and bounds of its own, those it has now; or let it share those of all."""
        self.keep()
        role = self._standing.role if self._standing is not None else None
        if role is None:
            return
        project = self._state.project
        own = set_of(project.documents, None) if on else None
        set_roles(project, [one.model_copy(update={"criteria": own}) if one.id == role.id else one
                            for one in project.brief.roles])  # fmt: skip
        self._state.refresh()
