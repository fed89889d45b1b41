"""The shortlist: candidates with everything that makes them what they are, and what stands in the way of each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.catalogue.candidate import candidate_detail, of_newer_version, superseded_by
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.preflight import Obstacle, remarks, text_obstacles
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.errors import InputError
from zestpanel.core.languages import language_name, locale_name
from zestpanel.core.runs.plan.planning import barred, surroundings
from zestpanel.core.texts import tr, word
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.pages.engines.settings_row import SettingsRow
from zestpanel.desk.pages.what_changed import WhatChanged
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import EmptyState, button, label, open_at


class ShortlistView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._in_the_way: dict[int, tuple[str, ...]] = {}
        self._remarks: dict[int, list[str]] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.summary = label("", "quiet", wrap=True)
        layout.addWidget(self.summary)
        self.table = Table()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setAccessibleName(tr("Shortlist"))
        self.table.itemSelectionChanged.connect(self._offer_version)
        layout.addWidget(self.table, 1)
        self.duplicate = button(
            tr("Duplicate with a change …"), self.make_variant, tip=tr("The same candidate, one thing moved")
        )
        self.off = button(
            tr("Take off the shortlist"), self.take_off, tip=tr("Its takes are kept; undo brings it back")
        )
        self.newer = button("", self.put_newer_beside, tip=tr("The same voice and settings, made with the new version"))
        self.versions = button(tr("Compare versions …"), self.compare_versions, tip=tr("What the new version changed"))
        self.hold = button(
            "", self.hold_to_language, tip=tr("Texts of the other languages its voice speaks are left out")
        )
        layout.addWidget(flow_row(self.duplicate, self.newer, self.versions, self.hold, self.off))
        self.empty = EmptyState(tr("The shortlist is empty. Hear voices and put some on it."), "", lambda: None)
        self.empty.action.hide()
        self.empty.hide()
        layout.addWidget(self.empty)

    def refresh(self) -> None:
        """Show the list at once; what stands in the way is looked up off the interface thread (keys may be slow)."""
        bench = self.state.bench
        self.empty.setVisible(not bench.candidates)
        for widget in (self.table, self.duplicate, self.off):
            widget.setVisible(bool(bench.candidates))
        self._fill()
        self._offer_version()
        candidates, engines, project = list(bench.candidates), dict(bench.engines), self.state.project
        passages = list(bench.passages)

        def look() -> tuple[dict[int, tuple[str, ...]], dict[int, list[str]]]:
            found = barred(project.own_voices, project.notes, candidates, engines)
            here = {name: surroundings(project.own_voices, project.notes, name) for name in engines}
            known = {c.id: remarks(c, engines[c.engine], here[c.engine]) for c in candidates if c.engine in engines}
            for candidate in candidates:
                engine = engines.get(candidate.engine)
                if engine is None or not passages:
                    continue
                stops, others = about_texts(candidate, engine, passages)
                found[candidate.id] = (*found[candidate.id], *stops)
                known[candidate.id] += others
            return found, known

        def arrived(found: tuple[dict[int, tuple[str, ...]], dict[int, list[str]]]) -> None:
            self._in_the_way, self._remarks = found
            self._fill()

        self.state.background.run(look, arrived, self.state.complain, topic="preflight")

    def _fill(self) -> None:
        bench = self.state.bench
        rows, bad = [], []
        for i, c in enumerate(bench.candidates):
            stands = self._in_the_way.get(c.id, ())
            if stands:
                bad.append((i, 4))
            rows.append(
                [
                    str(i + 1),
                    f"{bench.names[c.id]}\n{candidate_detail(c, bench.engines.get(c.engine))}",
                    locale_name(c.language)
                    + (tr(" only") if c.one_language else "")
                    + "\n"
                    + (c.plan or tr("no plan")),
                    tr("version {model_version}\n{route}", model_version=c.model_version, route=word(c.route)),
                    ("; ".join(stands) or tr("nothing")) + "\n" + "; ".join(self._remarks.get(c.id, ())),
                ]
            )
        stopped = len(bad)
        self.summary.setText(
            tr("{stopped} of {rows} candidates have something in their way. It is said here, and in the "
"grid, before anything is sent.", stopped=stopped, rows=len(rows)) if stopped else ""
        )  # fmt: skip
        head = [
            "",
            tr("Candidate"),
            tr("Language and plan"),
            tr("Version and route"),
            tr("What stands in the way, and what is worth knowing"),
        ]
        self.table.show_rows(head, rows, bad=bad)

    def selected(self) -> list[Candidate]:
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        return [self.state.bench.candidates[r] for r in rows if r < len(self.state.bench.candidates)]

    # -- a new version of a model

    def _offer_version(self) -> None:
        """What can be done about the one selected candidate, whose model is of a newer version now, or whose voice
        speaks several languages."""
        chosen, bench = self.selected(), self.state.bench
        one = chosen[0] if len(chosen) == 1 else None
        engine = bench.engines.get(one.engine) if one is not None else None
        stated = superseded_by(one, engine) if one is not None else ""
        beside = of_newer_version(one, engine, bench.candidates) if one is not None else None
        voice = engine.voice(one.voice) if one is not None and engine is not None else None
        several = voice is not None and len({tag.split("-")[0].lower() for tag in voice.languages}) > 1
        self.hold.setVisible(several)
        if one is not None and several:
            words = tr("Hold to {language_name}", language_name=language_name(one.language))
            self.hold.setText(tr("Let it read all it speaks") if one.one_language else words)
        self.newer.setText(tr("Put version {stated} beside", stated=stated))
        self.newer.setVisible(bool(stated) and beside is None)
        self.versions.setVisible(beside is not None)

    def hold_to_language(self) -> None:
        """A voice of several languages is a candidate for one of them, or for all again."""
        [one] = self.selected()
        shortlist, held = self.state.project.shortlist, not one.one_language
        self.state.edit(
            tr("languages of {get}", get=self.state.bench.names.get(one.id, one.voice)),
            lambda: shortlist.hold_to_language([one.id], held), lambda: shortlist.hold_to_language([one.id], not held),
        )  # fmt: skip
        self.refresh()

    def put_newer_beside(self) -> None:
        """The selected candidate again, under the version that is stated now; the old one and its takes stay."""
        [one] = self.selected()
        shortlist, engine, made = self.state.project.shortlist, self.state.bench.engines[one.engine], list[Candidate]()

        def do() -> None:
            if made:
                shortlist.set_removed([c.id for c in made], False)
            else:
                made.extend(shortlist.add(engine, voice=one.voice, model=one.model, plan=one.plan,
                                          language=one.language, settings=dict(one.settings)))  # fmt: skip

        version = superseded_by(one, engine)
        if self.state.edit(
            tr("version {version} beside", version=version),
            do,
            lambda: shortlist.set_removed([c.id for c in made], True),
        ):
            self.state.say(
                tr(
                    "{get} stands on the shortlist as version {version}, too. Render it, then compare the "
                    "versions here.",
                    get=self.state.bench.names.get(one.id, one.voice),
                    version=version,
                )
            )
            self.refresh()

    def compare_versions(self) -> None:
        [one] = self.selected()
        new = of_newer_version(one, self.state.bench.engines.get(one.engine), self.state.bench.candidates)
        if new is not None:
            VersionsDialog(self, self.state, one, new).show()

    def take_off(self) -> None:
        ids = [c.id for c in self.selected()]
        if ids:
            shortlist = self.state.project.shortlist
            self.state.edit(
                tr("taking off the shortlist"),
                lambda: shortlist.set_removed(ids, True),
                lambda: shortlist.set_removed(ids, False),
            )
            self.refresh()

    def make_variant(self) -> None:
        chosen = self.selected()
        if len(chosen) != 1:
            self.state.say(tr("Select one candidate to duplicate."))
            return
        if chosen[0].engine not in self.state.bench.engines:
            self.state.complain(tr("{engine} is not in the catalogue any more.", engine=chosen[0].engine))
            return
        VariantDialog(self, self.state, chosen[0], self.refresh).show()


class VersionsDialog(Dialog):
    """What a new version of a model changed for a voice."""

    def __init__(self, parent: QWidget, state: DeskState, old: Candidate, new: Candidate) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("{get}: two versions", get=state.bench.names.get(new.id, new.voice)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 12, 20, 16)
        self.found = WhatChanged(state)
        layout.addWidget(self.found, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        self.found.show_versions(old, new)
        open_at(self, 980, 520)


class VariantDialog(FormDialog):
    """The same candidate with another model, plan or setting; says how many things differ."""

    def __init__(self, parent: QWidget, state: DeskState, candidate: Candidate, done: Any) -> None:
        name = state.bench.names[candidate.id]
        super().__init__(
            parent,
            tr("Duplicate {name}", name=name),
            tr("Move one thing and hold the rest still."),
            done,
            tr("Put on the list"),
        )
        self._state, self._candidate = state, candidate
        self._engine = state.bench.engines[candidate.engine]
        self.model_choice, self.plan_choice = QComboBox(), QComboBox()
        for model in self._engine.models:
            self.model_choice.addItem(f"{model.label} {model.version}", model.id)
        for plan in self._engine.plans:
            self.plan_choice.addItem(plan.name, plan.name)
        self.model_choice.setCurrentIndex(max(0, self.model_choice.findData(candidate.model)))
        self.plan_choice.setCurrentIndex(max(0, self.plan_choice.findData(candidate.plan)))
        self.settings = SettingsRow()
        self.differs = label("", "small")
        self.form.addRow(tr("Model"), self.model_choice)
        self.form.addRow(tr("Plan"), self.plan_choice)
        self.form.addRow(tr("Settings"), self.settings)
        self.form.addRow("", self.differs)
        self._show_settings()
        self.settings.set_values(candidate.settings)
        self.model_choice.currentIndexChanged.connect(lambda _: self._show_settings())
        self.plan_choice.currentIndexChanged.connect(lambda _: self._count())
        self.settings.changed.connect(self._count)
        self._count()

    def _show_settings(self) -> None:
        voice = self._engine.voice(self._candidate.voice)
        self.settings.show_controls(self._engine, voice, str(self.model_choice.currentData()))
        self._count()

    def changes(self) -> list[str]:
        """What differs from the candidate it is made from."""
        before = self._candidate
        out = [name for name, value in self.settings.values().items() if before.settings.get(name) != value]
        if self.model_choice.currentData() != before.model:
            out.insert(0, "model")
        if self._engine.plans and self.plan_choice.currentData() != before.plan:
            out.insert(0, "plan")
        return out

    def _count(self) -> None:
        changes = self.changes()
        text = tr("Differs in {changes}.", changes=", ".join(changes)) if changes else tr("Nothing differs yet.")
        if len(changes) > 1:
            text += tr(" Several things moved together cannot be told apart by ear.")
        self.differs.setText(text)

    def keep(self) -> bool:
        if not self.changes():
            raise InputError(tr("Nothing differs from the candidate it is made from."), kept=tr("Nothing was added."))
        shortlist, made = self._state.project.shortlist, list[Candidate]()
        settings = {**self._candidate.settings, **self.settings.values()}

        def do() -> None:
            if made:
                shortlist.set_removed([c.id for c in made], False)
                return
            made.extend(
                shortlist.add(
                    self._engine,
                    voice=self._candidate.voice,
                    model=str(self.model_choice.currentData()),
                    plan=self.plan_choice.currentData(),
                    language=self._candidate.language,
                    settings=settings,
                )
            )
            if not made:
                raise InputError(tr("This candidate is on the shortlist already."), kept=tr("Nothing was added."))

        return self._state.edit(tr("shortlist"), do, lambda: shortlist.set_removed([c.id for c in made], True))


def about_texts(candidate: Candidate, engine: Engine, passages: Sequence[Passage]) -> tuple[list[str], list[str]]:
    """(what stands in the way of texts, what is worth knowing): passages in another language than the voice's are
    somebody else's to read, unless it speaks none of them."""
    counts: dict[Obstacle, int] = {}
    for passage in passages:
        for one in text_obstacles(candidate, engine, passage.text, passage.language):
            counts[one] = counts.get(one, 0) + 1
    foreign = sum(n for one, n in counts.items() if one.kind == "language")
    stops = [
        tr("{words} ({n} of {passages} passages)", words=one.words, n=n, passages=len(passages))
        for one, n in counts.items()
        if one.kind != "language" or foreign == len(passages)
    ]
    others = []
    if 0 < foreign < len(passages):
        others.append(
            tr(
                "reads {passages} of {passages2} passages; the others are in other languages",
                passages=len(passages) - foreign,
                passages2=len(passages),
            )
        )
    return stops, others
