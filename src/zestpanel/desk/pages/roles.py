"""The roles that voices are chosen for: their names and their order."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme

MOST_ROLES = 40


class RolesDialog(FormDialog):
    """A line a role, in the order they are shown. What was decided for a role that is renamed stays under its name."""

    def __init__(self, parent: QWidget, state: DeskState, done: Callable[[], None]) -> None:
        about = tr("A line a role, the most important first, such as: main narrator, French edition, drafts.")
        super().__init__(parent, tr("Roles"), about, done)
        self._state = state
        self.lines = QPlainTextEdit("\n".join(state.project.brief.roles))
        self.lines.setAccessibleName(tr("Roles, a line each"))
        self.lines.setTabChangesFocus(True)
        self.lines.setMinimumHeight(theme.px(170))
        self.form.addRow(self.lines)
        self.lines.setFocus()

    def keep(self) -> bool:
        roles = tuple(dict.fromkeys(line.strip() for line in self.lines.toPlainText().split("\n") if line.strip()))
        if not roles:
            raise InputError(tr("There is at least one role."), kept=tr("Nothing was changed."))
        if len(roles) > MOST_ROLES or any(len(role) > 80 for role in roles):
            raise InputError(
                tr("At most {most_roles} roles, of 80 characters each.", most_roles=MOST_ROLES),
                kept=tr("Nothing was changed."),
            )
        project = self._state.project
        before = project.brief
        if roles != before.roles:
            project.set_brief(before.model_copy(update={"roles": roles}))
            self._state.refresh()
        return True
