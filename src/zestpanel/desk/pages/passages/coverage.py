"""Coverage: which hard parts, sounds and lengths the set has; and the picker that finds what it lacks."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QInputDialog,
    QScrollArea,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.errors import ZestError
from zestpanel.core.store.scripts import KeptScript
from zestpanel.core.store.texts import NewText
from zestpanel.core.text.difficulty import KINDS
from zestpanel.core.text.picking.coverage import Coverage, coverage
from zestpanel.core.text.picking.matched_sets import matched_sets
from zestpanel.core.text.picking.picker import Cover, Feature, pick
from zestpanel.core.text.picking.unpredictable import unpredictable_sentences
from zestpanel.core.text.splitting import split_paragraphs, split_sentences
from zestpanel.core.texts import tr, trn
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.passages.coverage_meter import Meter
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label

AddTexts = Callable[[list[NewText], str, str, Callable[[], None]], None]  # the last: called once they are added


class CoverageView(QWidget):
    def __init__(self, state: DeskState, add: AddTexts) -> None:
        super().__init__()
        self.state, self._add = state, add
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(8)
        self.head = label("", "strong", wrap=True)
        left.addWidget(self.head)
        self.meter = Meter()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.meter)
        left.addWidget(area, 1)
        across.addLayout(left, 1)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(label(tr("Pick from a script"), "strong"))
        right.addWidget(
            label(
                tr("The fewest sentences that hold what the script holds: its hard parts, its sounds, short and long."),
                "quiet",
                wrap=True,
            )
        )
        self.script = QComboBox()
        self.script.setAccessibleName(tr("Script to pick from"))
        self.script.setMinimumContentsLength(14)
        self.script.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.script.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.most = QSpinBox()
        self.most.setRange(1, 60)
        self.most.setValue(12)
        self.most.setPrefix(tr("at most "))
        self.most.setAccessibleName(tr("Passages to pick, at most"))
        self.go = button(tr("Pick"), self.start_picking, role="main")
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.script, 1)
        row.addWidget(self.most)
        row.addWidget(self.go)
        right.addLayout(row)
        self.result = label("", "quiet", wrap=True)
        right.addWidget(self.result)
        self.table = Table()
        self.table.setAccessibleName(tr("Picked sentences"))
        right.addWidget(self.table, 1)
        self.take = button(tr("Add to the set"), self.take_picked, role="main")
        right.addWidget(
            flow_row(
                button(tr("Twin sets …"), self.make_twins, tip=tr("Two halves of the set, alike in difficulty")),
                button(
                    tr("Unpredictable sentences …"),
                    self.make_unpredictable,
                    tip=tr("For what is understood, not guessed"),
                ),
                right=(self.take,),
            )
        )
        across.addLayout(right, 1)
        self._cover: Cover | None = None
        self._from: KeptScript | None = None
        self._language = "en-GB"

    # -- shown

    def refresh(self) -> None:
        project, passages = self.state.project, self.state.bench.passages
        scripts = project.scripts.all()
        chosen = self.script.currentData()
        self.script.clear()
        for one in scripts:
            self.script.addItem(
                tr(
                    "{name} · {characters} characters · {language}",
                    name=one.name,
                    characters=f"{one.characters:,}",
                    language=one.language,
                ),
                one.number,
            )
        if not scripts:
            self.script.addItem(tr("no script kept yet: import one"), None)
        self.script.setCurrentIndex(max(0, self.script.findData(chosen)))
        self.go.setEnabled(bool(scripts))
        self.take.setEnabled(self._cover is not None and bool(self._cover.picked))
        self.head.setText(tr("Working out what the set covers …"))

        def arrived(found: Coverage) -> None:
            here = sum(bool(ids) for ids in found.kinds.values())
            self.head.setText(
                tr(
                    "{passages} passages hold {here} of {kinds} kinds of hard parts",
                    passages=len(passages),
                    here=here,
                    kinds=len(found.kinds),
                )
            )
            self.meter.show_coverage(found)

        by_language = project.scripts.by_language
        self.state.background.run(
            lambda: coverage(passages, project.hard_parts.of(passages), by_language()),
            arrived,
            self.state.complain,
            topic="coverage",
        )

    # -- the picker

    def start_picking(self) -> None:
        number = self.script.currentData()
        script = next((s for s in self.state.project.scripts.all() if s.number == number), None)
        if script is None:
            return
        language, most = script.language, self.most.value()
        primary = language.split("-")[0]
        have = [p.text for p in self.state.bench.passages if p.language.split("-")[0] == primary]
        scripts = self.state.project.scripts
        self.go.setEnabled(False)
        self.result.setText(tr("Reading the script …"))

        def work() -> Cover:
            sentences = [
                s for part in split_paragraphs(scripts.text(script.number)) for s in split_sentences(part, language)
            ]
            return pick(sentences, language, most=most, have=have)

        def arrived(found: Cover) -> None:
            self.go.setEnabled(True)
            self._cover, self._language, self._from = found, language, script
            self._show_picked(found)

        def failed(error: Exception) -> None:
            self.go.setEnabled(True)
            self.result.setText("")
            self.state.complain(error)

        self.state.background.run(work, arrived, failed, topic="picker")

    def _show_picked(self, found: Cover) -> None:
        added = {f for one in found.picked for f in one.adds}
        covered = len(found.all) - len(found.missing)
        self.result.setText(
            tr(
                "{picked} of {looked_at} sentences. They add {added} things the set has not; the script holds {all}.",
                picked=len(found.picked),
                looked_at=f"{found.looked_at:,}",
                added=len(added),
                all=len(found.all),
            )
            if found.picked
            else tr("The set has all {covered} things that this script's sentences hold.", covered=covered)
        )
        rows = [[f"{i:02d}", one.text, _adds(one.adds)] for i, one in enumerate(found.picked, 1)]
        self.table.show_rows(["", tr("Sentence"), tr("Adds")], rows, wide=1)
        self.table.setColumnWidth(2, theme.px(170))
        self.table.selectAll()
        self.take.setEnabled(bool(found.picked))

    def take_picked(self) -> None:
        """Add the selected sentences to the set."""
        if self._cover is None:
            return
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        name, rights = (self._from.name, self._from.rights) if self._from is not None else ("", "")
        new = [NewText(text=self._cover.picked[row].text, source=name, rights=rights, tags=("picked",)) for row in rows]

        def added() -> None:
            self._cover = None
            self.table.show_rows(["", tr("Sentence"), tr("Adds")], [])
            self.result.setText(trn("{new} passage added.", "{new} passages added.", len(new), new=len(new)))
            self.refresh()

        if new:
            self._add(new, self._language, tr("{new} picked sentences", new=len(new)), added)

    # -- twins and unpredictable sentences

    def make_twins(self) -> None:
        """Tag two halves of the set, alike in difficulty, 'twin A' and 'twin B'."""
        project, passages = self.state.project, list(self.state.bench.passages)
        language = passages[0].language if passages else ""
        passages = [p for p in passages if p.language == language]
        try:
            found = matched_sets([p.text for p in passages], list(project.hard_parts.of(passages).values()))
        except ZestError as error:
            self.state.complain(error)
            return
        before = {p.id: p.tags for p in passages}
        after = {
            p.id: (*(t for t in p.tags if t not in ("twin A", "twin B")),
                   *(("twin A",) if i in found.first else ("twin B",) if i in found.second else ()))
            for i, p in enumerate(passages)
        }  # fmt: skip

        def put(tags: dict[int, tuple[str, ...]]) -> None:
            for passage_id, own in tags.items():
                project.texts.describe(passage_id, tags=own)

        if self.state.edit(tr("twin sets"), lambda: put(after), lambda: put(before)):
            one, other = found.figures["characters"]
            uneven = [k for k, (a, b) in found.figures.items() if k in KINDS and a != b]
            rest = tr(" Not even in: {uneven}.", uneven=", ".join(uneven)) if uneven else tr(" Hard parts are even.")
            self.state.say(
                tr(
                    "{first} passages each in {language}, {one} and {other} characters, tagged 'twin A' and "
                    "'twin B'.{rest}",
                    first=len(found.first),
                    language=language,
                    one=f"{one:,.0f}",
                    other=f"{other:,.0f}",
                    rest=rest,
                )
            )

    def make_unpredictable(self) -> None:
        languages = list(dict.fromkeys([*self.state.project.brief.languages, "en-GB", "fr-FR", "es-ES", "de-DE"]))
        language, good = QInputDialog.getItem(
            self,
            tr("Unpredictable sentences"),
            tr("Ten sentences that are right in grammar and mean nothing, in"),
            languages,
            0,
            False,
        )
        if good:
            self.add_unpredictable(language)

    def add_unpredictable(self, language: str, count: int = 10) -> None:
        seed = sum("unpredictable" in p.tags for p in self.state.bench.passages)
        try:
            sentences = unpredictable_sentences(language, count, seed=seed)
        except ZestError as error:
            self.state.complain(error)
            return
        new = [NewText(text=s, tags=("unpredictable",), rights="ours", source=tr("word lists")) for s in sentences]
        self._add(new, language, tr("unpredictable sentences"), lambda: None)


def _adds(features: tuple[Feature, ...]) -> str:
    hard = [f.name for f in features if f.what == "hard"]
    length = [tr("a {name} one", name=f.name) for f in features if f.what == "length"]
    sounds = [f.name for f in features if f.what == "sound"]
    parts = [", ".join([*hard, *length])] if hard or length else []
    if sounds:
        parts.append(
            trn(
                "{sounds} sound: {sounds2}{x}",
                "{sounds} sounds: {sounds2}{x}",
                len(sounds),
                sounds=len(sounds),
                sounds2=" ".join(sounds[:14]),
                x=" …" if len(sounds) > 14 else "",
            )
        )
    return "; ".join(parts) or tr("once more what is rare")
