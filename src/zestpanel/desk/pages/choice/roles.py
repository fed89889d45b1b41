"""The roles that voices are chosen for: which there are, in which order, and what each asks."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QListWidget, QVBoxLayout, QWidget

from zestpanel.core.choice.roles import AS_THE_BRIEF, FIELDS, changed, new_role, set_roles, typed_as
from zestpanel.core.domain.brief import MUST_HAVES
from zestpanel.core.domain.role import ROLES, Role
from zestpanel.core.errors import InputError
from zestpanel.core.languages import locale_name
from zestpanel.core.texts import capital, tr, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.ticks import Ticks
from zestpanel.desk.widgets import button

_TYPED = ("name", "share_percent", "retakes_percent", "tags")


class RolesDialog(FormDialog):
    """The list at the left, what the marked role asks at the right. A role keeps its decision when it is renamed."""

    def __init__(self, parent: QWidget, state: DeskState, done: Callable[[], None], shown: str = "") -> None:
        """shown: the id of the role that is marked at first."""
        about = tr("Each role is filled by itself; who speaks another language cannot fill it.")
        super().__init__(parent, tr("Roles"), about, done)
        self._state, self._at = state, -1
        self.roles: list[Role] = list(state.project.brief.roles)
        across = QHBoxLayout()
        across.setSpacing(theme.px(20))
        across.addLayout(self._list_side(), 2)
        across.addLayout(self._form_side(), 3)
        self.form.addRow(across)
        at = next((k for k, one in enumerate(self.roles) if one.id == shown), 0)
        self._show_list(at)
        self.setMinimumWidth(theme.px(900))
        self.fields["name"].setFocus()

    def _list_side(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Roles"))
        self.list.currentRowChanged.connect(self._go_to)
        column.addWidget(self.list, 1)
        self.new = QComboBox()
        self.new.setEditable(True)
        self.new.addItems([word(name) for name in ROLES])
        self.new.setCurrentText("")
        self.new.setAccessibleName(tr("Name of a new role"))
        line = self.new.lineEdit()
        assert line is not None
        line.setPlaceholderText(tr("name of a new role"))
        column.addWidget(self.new)
        deeds = []
        for text, act in ((tr("Add"), self.add_role), (tr("Up"), lambda: self.move_role(-1)),
                          (tr("Down"), lambda: self.move_role(1)), (tr("Remove"), self.remove_role)):  # fmt: skip
            one = button(text, act)
            one.setAutoDefault(False)  # Enter keeps, wherever it is pressed
            deeds.append(one)
        column.addWidget(flow_row(*deeds))
        return column

    def _form_side(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.fields = {name: QLineEdit() for name in _TYPED}
        titles = {"name": tr("name"), **FIELDS}
        for name, edit in self.fields.items():
            edit.setAccessibleName(capital(titles[name]))
        self.fields["share_percent"].setToolTip(tr("Of the channel's finished minutes; 0 for one that stands ready"))
        self.fields["retakes_percent"].setPlaceholderText(tr("as in the brief"))
        self.fields["tags"].setPlaceholderText(tr("all passages"))
        self.language = QComboBox()
        self.language.setAccessibleName(capital(FIELDS["language"]))
        tags = dict.fromkeys([*self._state.project.brief.languages,
                              *(one.language for one in self._state.bench.candidates)])  # fmt: skip
        self.language.addItem(tr("the brief's first"), "")
        for tag in tags:
            self.language.addItem(locale_name(tag), tag)
        rows: list[tuple[str, QWidget]] = [
            ("name", self.fields["name"]), ("language", self.language), ("share_percent", self.fields["share_percent"]),
            ("retakes_percent", self.fields["retakes_percent"]), ("tags", self.fields["tags"]),
        ]  # fmt: skip
        form = QFormLayout()
        for name, widget in rows:
            form.addRow(capital(titles[name]), widget)
        column.addLayout(form)
        self.own_musts = QCheckBox(tr("Must-haves of its own"))
        column.addWidget(self.own_musts)
        self._must_names = list(MUST_HAVES)
        self.musts = Ticks(tr("Must-haves"), dict(enumerate(word(one) for one in self._must_names)), lambda: None,
                           ticked=False)  # fmt: skip
        self.own_musts.toggled.connect(self.musts.setVisible)
        column.addWidget(self.musts, 1)
        self._unlike = QHBoxLayout()
        self.unlike: dict[str, Ticks] = {}
        column.addLayout(self._unlike, 1)
        return column

    # -- the list

    def _show_list(self, at: int) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([capital(word(one.name)) for one in self.roles])
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self._show(at)

    def _go_to(self, at: int) -> None:
        """Another role is shown, unless what is typed of this one makes no sense."""
        if at == self._at or at < 0:
            return
        if self._taken():
            self._show_list(at)
        else:
            self.list.blockSignals(True)
            self.list.setCurrentRow(self._at)
            self.list.blockSignals(False)

    def add_role(self) -> None:
        if not self._taken():
            return
        text = self.new.currentText().strip()
        english = {word(name).casefold(): name for name in ROLES}
        try:
            self.roles.append(new_role(self.roles, english.get(text.casefold(), text)))
        except InputError as error:
            self.wrong.setText(str(error))
            return
        self.new.setCurrentText("")
        self._show_list(len(self.roles) - 1)

    def move_role(self, by: int) -> None:
        to = self._at + by
        if self._taken() and 0 <= to < len(self.roles):
            self.roles[self._at], self.roles[to] = self.roles[to], self.roles[self._at]
            self._show_list(to)

    def remove_role(self) -> None:
        """Decisions for it stay readable in the record."""
        if len(self.roles) < 2:
            self.wrong.setText(tr("There is at least one role."))
            return
        gone = self.roles.pop(self._at).id
        self.roles = [
            one.model_copy(update={field: tuple(i for i in getattr(one, field) if i != gone)
                                   for field in ("not_engine_of", "not_voice_of")})
            for one in self.roles
        ]  # fmt: skip
        self._show_list(min(self._at, len(self.roles) - 1))

    # -- one role

    def _show(self, at: int) -> None:
        self._at = at
        role = self.roles[at]
        for name, edit in self.fields.items():
            edit.setText(word(role.name) if name == "name" else typed_as(role, name, self.roles))
        if role.language and self.language.findData(role.language) < 0:
            self.language.addItem(locale_name(role.language), role.language)
        self.language.setCurrentIndex(max(0, self.language.findData(role.language)))
        self.own_musts.setChecked(role.must_haves is not None)
        self.musts.setVisible(role.must_haves is not None)
        wanted = role.must_haves if role.must_haves is not None else self._state.project.brief.must_haves
        self.musts.tick({k for k, one in enumerate(self._must_names) if one in wanted})
        for one in self.unlike.values():
            self._unlike.removeWidget(one)
            one.deleteLater()
        others = {k: capital(word(one.name)) for k, one in enumerate(self.roles) if k != at}
        self.unlike = {}
        for field in ("not_engine_of", "not_voice_of"):
            ticks = Ticks(capital(FIELDS[field]), others, lambda: None, ticked=False)
            ticks.tick({k for k in others if self.roles[k].id in getattr(role, field)})
            ticks.list.setMaximumHeight(theme.px(110))
            self._unlike.addWidget(ticks)
            self.unlike[field] = ticks

    def _taken(self) -> bool:
        """Take what is typed into the role that is shown; what makes no sense is said."""
        self.wrong.setText("")
        role = self.roles[self._at]
        typed = {name: edit.text() for name, edit in self.fields.items()}
        if typed["name"] == word(role.name):
            typed["name"] = role.name  # as it is stored, in English
        typed["language"] = self.language.currentData() or ""
        own = ", ".join(self._must_names[k] for k in self.musts.ticked())
        typed["must_haves"] = own if self.own_musts.isChecked() else AS_THE_BRIEF
        for field, ticks in self.unlike.items():
            typed[field] = ", ".join(self.roles[k].id for k in ticks.ticked())
        try:
            self.roles[self._at] = changed(role, typed, self.roles)
        except InputError as error:
            self.wrong.setText(str(error))
            return False
        return True

    def keep(self) -> bool:
        if not self._taken():
            return False
        before = self._state.project.brief.roles
        set_roles(self._state.project, self.roles)
        if tuple(self.roles) != before:
            self._state.refresh()
        return True
