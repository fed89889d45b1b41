"""Named recipes of delivery and settings: kept from a passage or a candidate, laid over others, compared."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.domain.mark import KINDS, DeliveryMark
from zestpanel.core.domain.passage import Passage
from zestpanel.core.errors import ZestError
from zestpanel.core.store.recipes import (
    DELIVERY,
    RECIPES,
    Recipe,
    compared,
    delivery_of,
    marks_of,
    recipe,
    recipes,
    with_recipe,
)
from zestpanel.core.text.marks.duration import expected_s
from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class RecipesDialog(Dialog):
    """lay(marks) puts marks over the passage that is being edited."""

    def __init__(
        self, parent: QWidget, state: DeskState, passage: Passage, lay: Callable[[list[DeliveryMark]], None]
    ) -> None:
        super().__init__(parent)
        self.state, self._passage, self._lay = state, passage, lay
        self.setWindowTitle(tr("Recipes"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Recipes"), "name"))
        layout.addWidget(
            label(tr("A recipe is a named way of saying a whole piece, with an engine's settings if wanted. Select "
                  "several to compare them: what differs stands first, in bold."), "quiet", wrap=True)
        )  # fmt: skip
        self.list = Table()
        self.list.setAccessibleName(tr("Recipes"))
        self.list.itemSelectionChanged.connect(self._compare)
        layout.addWidget(self.list, 2)
        self.differences = Table()
        self.differences.setAccessibleName(tr("Recipes compared"))
        layout.addWidget(self.differences, 2)
        self.duration = label("", "small", wrap=True)
        layout.addWidget(self.duration)
        row = QHBoxLayout()
        self.use_here = button(tr("Lay over this passage"), self.lay_here)
        self.use_all = button(
            tr("Lay over all passages"), self.lay_over_all, tip=tr("Each becomes a new version; undo takes all back")
        )
        self.use_settings = button(tr("Add as candidates"), self.add_candidates,
                                   tip=tr("Each candidate of the recipe's engines, with these settings"))  # fmt: skip
        self.remove = button(tr("Remove"), self.remove_chosen)
        for one in (self.use_here, self.use_all, self.use_settings, self.remove):
            row.addWidget(one)
        row.addStretch(1)
        layout.addLayout(row)
        form = QFormLayout()
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("calm narration"))
        form.addRow(tr("New recipe"), self.name)
        values = QHBoxLayout()
        here = delivery_of(passage.text, passage.marks)
        self.values: dict[str, QLineEdit] = {}
        for kind in DELIVERY:
            edit = QLineEdit(here.get(kind, ""))
            edit.setPlaceholderText({"rate": "85 %", "pitch": "+2 st", "volume": "-3 dB", "style": tr("calm")}[kind])
            edit.setToolTip(KINDS[kind].hint)
            edit.setAccessibleName(tr("{kind} of the new recipe", kind=kind))
            self.values[kind] = edit
            values.addWidget(label(kind))
            values.addWidget(edit)
        form.addRow(tr("Delivery"), values)
        self.candidate = QComboBox()
        self.candidate.addItem(tr("no settings"), None)
        for candidate in state.bench.candidates:
            self.candidate.addItem(f"{state.name(candidate)} · {state.detail(candidate)}", candidate.id)
        form.addRow(tr("Settings of"), self.candidate)
        layout.addLayout(form)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Keep as recipe"), self.keep))
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        open_at(self, 760, 600)
        self.refresh()

    def refresh(self) -> None:
        self._recipes = recipes(self.state.project.documents)
        rows = [
            [r.name, ", ".join(f"{k} {v}" for k, v in r.delivery.items()) or "–", ", ".join(r.settings) or "–"]
            for r in self._recipes
        ]
        self.list.show_rows([tr("Recipe"), tr("Delivery"), tr("Settings for")], rows)
        if rows:
            self.list.selectRow(0)
        self._compare()

    def chosen(self) -> list[Recipe]:
        return [self._recipes[i] for i in sorted({index.row() for index in self.list.selectedIndexes()})]

    def _compare(self) -> None:
        chosen = self.chosen()
        rows = compared(chosen) if chosen else []
        bad = [(i, c) for i, (_, values, differs) in enumerate(rows) if differs for c in range(1, len(values) + 1)]
        self.differences.show_rows(["", *(r.name for r in chosen)], [[n, *v] for n, v, _ in rows], bad=bad)
        for one in (self.use_here, self.use_all):
            one.setEnabled(len(chosen) == 1 and bool(chosen[0].delivery))
        self.use_settings.setEnabled(len(chosen) == 1 and bool(chosen[0].settings))
        self.remove.setEnabled(bool(chosen))
        text = self._passage.text
        lines = [
            tr("{name}: about {expected_s} s", name=r.name, expected_s=f"{expected_s(text, marks_of(r, text)):.1f}")
            for r in chosen
        ]
        now = expected_s(text, [])
        self.duration.setText(
            tr(
                "'{title}' lasts about {now} s at normal speed. {lines}.",
                title=self._passage.title,
                now=f"{now:.1f}",
                lines="; ".join(lines),
            )
            if lines
            else ""
        )

    def keep(self) -> None:
        """Keep what is typed, and the chosen candidate's settings, under the name."""
        settings = {}
        found = next((c for c in self.state.bench.candidates if c.id == self.candidate.currentData()), None)
        if found is not None:
            settings[found.engine] = dict(found.settings)
        try:
            one = recipe(self.name.text(), {kind: edit.text() for kind, edit in self.values.items()}, settings)
        except ZestError as error:
            self.state.complain(error)
            return
        documents = self.state.project.documents
        self.state.project.edit_document(
            RECIPES, with_recipe(RECIPES.read(documents), one), label=tr("recipe '{name}'", name=one.name)
        )
        self.state.history_changed.emit()
        self.name.clear()
        self.refresh()

    def remove_chosen(self) -> None:
        names = {r.name for r in self.chosen()}
        left = tuple(r for r in self._recipes if r.name not in names)
        self.state.project.edit_document(RECIPES, left, label=tr("removing recipes"))
        self.state.history_changed.emit()
        self.refresh()

    def lay_here(self) -> None:
        self._lay(marks_of(self.chosen()[0], self._passage.text))
        self.accept()

    def lay_over_all(self) -> None:
        """Give every passage of the set the recipe's delivery, in the place of its own over the whole text."""
        one, texts = self.chosen()[0], self.state.project.texts
        before = list(self.state.bench.passages)

        def do() -> None:
            for p in before:
                rest = [m for m in p.marks if not (m.kind in one.delivery and (m.start, m.end) == (0, len(p.text)))]
                texts.edit(p.id, p.text, [*marks_of(one, p.text), *rest])

        def undo() -> None:
            for p in before:
                texts.edit(p.id, p.text, p.marks)

        if self.state.edit(tr("recipe '{name}' over {before} passages", name=one.name, before=len(before)), do, undo):
            self.accept()

    def add_candidates(self) -> None:
        """A candidate with the recipe's settings beside each one of its engines; the same is not added twice."""
        one, shortlist = self.chosen()[0], self.state.project.shortlist
        made: list[int] = []

        def do() -> None:
            if made:
                shortlist.set_removed(made, False)
                return
            for c in self.state.bench.candidates:
                engine = self.state.bench.engines.get(c.engine)
                if engine is not None and c.engine in one.settings:
                    settings = {**c.settings, **one.settings[c.engine]}
                    added = shortlist.add(
                        engine, voice=c.voice, model=c.model, plan=c.plan, language=c.language, settings=settings
                    )
                    made.extend(a.id for a in added)

        if self.state.edit(
            tr("candidates by recipe '{name}'", name=one.name), do, lambda: shortlist.set_removed(made, True)
        ):
            self.state.say(
                trn("{made} candidate added.", "{made} candidates added.", len(made), made=len(made))
                if made
                else tr("All of them are on the shortlist already.")
            )
            self.accept()
