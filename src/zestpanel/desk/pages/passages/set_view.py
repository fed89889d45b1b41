"""The set: all passages in a list, the chosen one in its editor, and what it becomes under each plan."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Final

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.connectors.preflight import marks_in
from zestpanel.core.domain.mark import KINDS
from zestpanel.core.domain.passage import RIGHTS, Passage, words_with_places
from zestpanel.core.languages import locale_name
from zestpanel.core.text.difficulty import KINDS as HARD_KINDS
from zestpanel.core.text.difficulty import Difficulty, find_difficulties
from zestpanel.core.texts import capital, tr, trn, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.passages.mark_popup import MarkPopup
from zestpanel.desk.pages.passages.marks_editor import MarksEditor
from zestpanel.desk.pages.passages.passage_keeping import PassageKeeping
from zestpanel.desk.pages.passages.plans_table import PlansTable
from zestpanel.desk.pages.passages.set_edits import SetEdits
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.turns import next_turn
from zestpanel.desk.widgets import button, label

# the marks that have a button of their own; the others are in the menu behind them
_QUICK = ("pause", "emphasis", "rate", "phoneme")


AT_ONCE: Final = 4_000  # characters looked through on the interface thread
_FEW: Final = 40  # passages
_SHORT: Final = 1_500  # characters, which an editor lays out within some milliseconds


class SetView(PassageKeeping):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.edits = SetEdits(state, self._edited)
        self.go_to_sent: Callable[[], object] = lambda: None
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(20)
        across.addLayout(self._list_side(), 1)
        across.addWidget(self._text_side(), 1)
        self._shown: Passage | None = None
        self._counted: tuple[object, object, object, Passage | None] = (None, None, None, None)
        self._popup: MarkPopup | None = None
        # typing is kept after a moment's rest, so that nothing is lost when the program ends
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(2_000)
        self._rest.timeout.connect(self.keep_draft)
        # what it becomes is worked out when typing pauses for a moment
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)
        self._soon.timeout.connect(self._count)

    def _list_side(self) -> QVBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(8)
        self.table = Table()
        self.table.setAccessibleName(tr("Passages"))
        self.table.itemSelectionChanged.connect(self._chosen)
        left.addWidget(self.table, 1)
        self.coverage = label("", "small", wrap=True)
        left.addWidget(self.coverage)
        self.up = button(tr("Up"), lambda: self.move_chosen(-1), tip=tr("Earlier in the set"))
        self.down = button(tr("Down"), lambda: self.move_chosen(1), tip=tr("Later in the set"))
        self.merge = button(
            tr("Merge"), lambda: self.edits.merge(self.selected()), tip=tr("Make one passage of those selected")
        )
        self.double = button(tr("Duplicate"), lambda: self.edits.duplicate(self.selected()))
        self.remove = button(tr("Remove"), lambda: self.edits.remove(self.selected()), tip=tr("Undo brings it back"))
        left.addWidget(flow_row(self.up, self.down, self.merge, self.double, self.remove))
        return left

    def _text_side(self) -> QWidget:
        right = QVBoxLayout()
        right.setSpacing(8)
        right.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Title of the passage"))
        self.name.editingFinished.connect(self._save_name)
        self.language = QComboBox()
        self.language.setAccessibleName(tr("Language of the passage"))
        self.language.activated.connect(self._save_language)
        row.addWidget(self.name, 1)
        row.addWidget(self.language)
        right.addLayout(row)
        tools = []
        for kind in _QUICK:
            keys = f"Ctrl+Shift+{KINDS[kind].key}"
            tools.append(button(capital(word(kind)), partial(self.add_mark, kind), tip=f"{KINDS[kind].hint} ({keys})"))
        self.more = button(tr("Mark …"), self._mark_menu, tip=tr("All delivery marks, with their keys"))
        self.recipes = button(tr("Recipes …"), self.open_recipes, tip=tr("Named ways of delivery, to copy and compare"))
        right.addWidget(flow_row(*tools, self.more, self.recipes))
        self.text = MarksEditor()
        self.text.setAccessibleName(tr("Text of the passage"))
        self.text.setTabChangesFocus(True)
        self.text.setAcceptDrops(False)  # files dropped here are imported, not pasted as their names
        self.text.textChanged.connect(self._typed)
        self.text.chip_clicked.connect(self._open_popup)
        self.text.refused.connect(self.state.complain)
        right.addWidget(self.text, 3)
        self._counts = label("", "quiet", wrap=True)
        right.addWidget(self._counts)
        self.hard = label("", "small", wrap=True)
        right.addWidget(self.hard)
        self.plans = PlansTable(self.state)
        self.plans.row_chosen.connect(lambda _: self.go_to_sent())
        right.addWidget(self.plans, 2)
        self.correct = button(
            tr("Hard parts …"), self._correct_menu, tip=tr("Found by rule; say what is there and what is not")
        )
        self.split = button(tr("Split …"), self._split_menu, tip=tr("At sentences, paragraphs or the cursor"))
        self.about = button(tr("About …"), self.open_about, tip=tr("Tags, rights, source, translation"))
        self.tags_to_marks = button(tr("Turn tags into marks"), self.turn_tags_into_marks, role="main")
        self.keep = button(tr("Keep as new version"), self.save_text, role="main")
        right.addWidget(flow_row(self.split, self.correct, self.about, right=(self.tags_to_marks, self.keep)))
        holder = QWidget()
        holder.setLayout(right)
        return holder

    # -- shown

    def forget(self) -> None:
        """Whatever is in the editor is not the shown passage any more."""
        self._shown = None

    def write(self) -> None:
        self.text.setFocus(Qt.FocusReason.OtherFocusReason)
        self.text.selectAll()

    def refresh(self) -> None:
        passages = self.state.bench.passages
        hard = self.state.project.hard_parts
        known = self._look_for_hard_parts(passages)
        kinds = hard.of([p for p in passages if p in known])
        takes = Counter[int]()
        for (_, passage_id), cell in self.state.bench.cells.items():
            takes[passage_id] += cell.takes
        self.table.blockSignals(True)
        self.table.show_rows(
            ["", tr("Passage and its hard parts"), tr("Language"), tr("Char."), tr("Takes")],
            [
                [
                    f"{i:02d}",
                    f"{p.title}\n{_kinds(kinds[p.version_id]) if p in known else '…'}",
                    p.language + (f"\n{word(p.rights)}" if p.rights == "testing only" else ""),
                    f"{p.characters:,}",
                    str(takes[p.id]),
                ]
                for i, p in enumerate(passages, 1)
            ],
            numbers=[3, 4],
            wide=1,
        )
        self.table.blockSignals(False)
        present = {kind for found in kinds.values() for kind in found}
        lacking = [kind for kind in HARD_KINDS if kind not in present]
        shown = ", ".join(map(word, lacking[:6])) + (" …" if len(lacking) > 6 else ".")
        self.coverage.setText(
            tr("{present} of {hard_kinds} kinds of hard parts.", present=len(present), hard_kinds=len(HARD_KINDS))
            + (tr(" Lacking: {shown}", shown=shown) if lacking else "")
        )
        if not passages:
            self.forget()
            self.name.clear()
            self.text.set_marked("", [])
        else:
            at = next((i for i, p in enumerate(passages) if p.id == self.state.passage_id), 0)
            self.table.blockSignals(True)  # what follows from it is done once, below
            self.table.selectRow(at)
            self.table.blockSignals(False)
        if len(passages) > _FEW or any(len(p.text) > _SHORT for p in self.selected()[:1]):
            next_turn(self, self._chosen, painted=True)  # to fill the table is enough for one turn
        else:
            self._chosen()

    def _look_for_hard_parts(self, passages: Sequence[Passage]) -> set[Passage]:
        """The passages whose hard parts are known; a few texts are looked through at once, many off this thread."""
        hard = self.state.project.hard_parts
        unknown = [p for p in passages if not hard.is_known(p)]
        if sum(len(p.text) for p in unknown) <= AT_ONCE:
            return set(passages)

        def work() -> None:
            hard.of(unknown)

        self.state.background.run(work, lambda _: self.refresh(), self.state.complain, topic="hard parts")
        return set(passages) - set(unknown)

    def selected(self) -> list[Passage]:
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        return [self.state.bench.passages[row] for row in rows if row < len(self.state.bench.passages)]

    def _chosen(self) -> None:
        chosen = self.selected()
        self.merge.setEnabled(len(chosen) > 1)
        if not chosen:
            return
        passage = chosen[0]
        self.keep_draft()
        if self._shown is not None and passage == self._shown:
            self._count()
            return
        self._shown = passage
        self.name.setText(passage.title)
        tags = list(
            dict.fromkeys([*self.state.project.brief.languages, *(p.language for p in self.state.bench.passages)])
        )
        self.language.clear()
        for tag in tags:
            self.language.addItem(locale_name(tag), tag)
        self.language.setCurrentIndex(max(0, self.language.findData(passage.language)))
        text, marks = self._draft(passage) or (passage.text, passage.marks)
        self.state.background.stand_aside()  # until the text is laid out and painted
        self.text.blockSignals(True)
        self.text.set_marked(text, marks)
        self.text.blockSignals(False)
        if len(text) > _SHORT:
            self._counts.clear()
            self.hard.clear()
            self._counted = (None, None, None, None)  # what was counted last is not shown any more
            next_turn(self, self._count)
        else:
            self._count()
        self._rest.stop()
        if self.state.passage_id != passage.id and self.state.bench.candidates:
            self.state.select(self.state.candidate_id or self.state.bench.candidates[0].id, passage.id)

    def _typed(self) -> None:
        self._soon.start()
        if self._changed():
            self.keep.setEnabled(True)
            self._rest.start()

    def _changed(self) -> bool:
        if self._shown is None:
            return False
        text, marks = self.text.marked()
        return (text.strip(), tuple(marks)) != (self._shown.text, tuple(self._shown.marks))

    def as_typed(self) -> Passage | None:
        """The passage with the text and marks that are in the editor."""
        if self._shown is None:
            return None
        text, marks = self.text.marked()
        return replace(self._shown, text=text, marks=tuple(marks))

    def _count(self) -> None:
        self._soon.stop()
        passage = self.as_typed()
        if passage is None:
            return
        before, self._counted = self._counted, (self.state.bench, self.state.evaluation, self._shown, passage)
        if all(a is b for a, b in zip(before[:3], self._counted[:3], strict=True)) and before[3] == passage:
            return  # a table that is filled anew chooses its row more than once
        changed = (passage.text.strip(), passage.marks) != (self._shown.text, tuple(self._shown.marks))
        if len(passage.text) <= AT_ONCE:
            self._show_counts(passage, changed, len(words_with_places(passage.text)))
            self._show_hard(find_difficulties(passage.text, passage.language))
        else:
            self._counts.clear()
            self.hard.setText(tr("Looking for hard parts …"))

            def arrived(found: tuple[int, list[Difficulty]]) -> None:
                self._show_counts(passage, changed, found[0])
                self._show_hard(found[1])

            self.state.background.run(
                lambda: (
                    len(words_with_places(passage.text)), find_difficulties(passage.text, passage.language)
                ),
                arrived, self.state.complain, topic="hard parts of one",
            )  # fmt: skip
        self.plans.show_passage(passage)
        self.keep.setEnabled(changed)
        typed = bool(marks_in(passage.text))
        self.tags_to_marks.setVisible(typed)
        if changed:
            self._rest.start()

    def _show_counts(self, passage: Passage, changed: bool, spoken: int) -> None:
        self._counts.setText(
            tr(
                "version {number} · {words} characters · {words_with_places} words",
                number=passage.number,
                words=f"{len(passage.text):,}",
                words_with_places=f"{spoken:,}",
            )
            + (
                trn(" · {marks} mark", " · {marks} marks", len(passage.marks), marks=len(passage.marks))
                if passage.marks
                else ""
            )
            + (f" · {RIGHTS[passage.rights]}" if passage.rights else "")
            + (f" · {', '.join(passage.tags)}" if passage.tags else "")
            + (tr(" · not kept yet") if changed else "")
        )

    def _show_hard(self, parts: Sequence[Difficulty]) -> None:
        """What the rules find in the text as typed, each kind with its words; notes on readings behind them."""
        found: dict[str, list[str]] = {}
        for part in parts:
            shown = part.words if len(part.words) <= 28 else part.words[:26] + "…"
            found.setdefault(part.kind, []).append(f"{shown} ({part.note})" if part.note else shown)
        lines = [f"{word(kind)}: {', '.join(dict.fromkeys(words))}" for kind, words in found.items()]
        text = " · ".join(lines)
        self.hard.setText((text if len(text) <= 260 else text[:258] + "…") or tr("No hard part found by rule."))
        self.hard.setToolTip(plain_tip(text if len(text) > 260 else ""))

    # -- drafts and versions

    # -- whole passages

    def _edited(self, passage_id: int | None) -> None:
        if passage_id is not None:
            self.state.passage_id = passage_id
        self._shown = None
        self.refresh()

    def move_chosen(self, by: int) -> None:
        chosen = {p.id for p in self.selected()}
        self.edits.move(chosen, by)
        self.table.clearSelection()
        mode = self.table.selectionMode()
        self.table.setSelectionMode(Table.SelectionMode.MultiSelection)
        for row, passage in enumerate(self.state.bench.passages):
            if passage.id in chosen:
                self.table.selectRow(row)
        self.table.setSelectionMode(mode)


def _kinds(found: Sequence[str]) -> str:
    return ", ".join(map(word, found)) or tr("no hard part")
