"""As sent: the exact text or markup each candidate's engine gets, what is billed, and what became of every mark."""

from __future__ import annotations

from typing import Final

from PyQt6.QtGui import QColor, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QTextEdit, QVBoxLayout, QWidget

from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.runs.plan.estimates import cost_of_sending
from zestpanel.core.sending.as_sent import AsSent
from zestpanel.core.sending.choices import CAN_BE_SPELLED, SendingChoices
from zestpanel.core.text.marks.spelling_out import SPELLABLE
from zestpanel.core.texts import tr, trn, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.passages.sent_overview import SentOverview
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import Stack, button, label, show_only
from zestpanel.desk.word_box import add_words, choose_word, chosen_word

_FATES: Final = ("leave out", "spell out")


class AsSentView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._candidates: list[tuple[Candidate, Engine]] = []
        self._stack = Stack()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._stack)
        self.overview = SentOverview(state)
        self.overview.chosen.connect(self.show_one)
        self.one = QWidget()
        across = QHBoxLayout(self.one)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(8)
        self.back = button(tr("‹ All passages and engines"), self.show_all, role="link")
        left.addWidget(self.back)
        self.passage = QComboBox()
        self.passage.setAccessibleName(tr("Passage"))
        self.passage.activated.connect(self._other_passage)
        left.addWidget(self.passage)
        self.table = Table()
        self.table.setAccessibleName(tr("Candidates"))
        self.table.itemSelectionChanged.connect(self._show)
        left.addWidget(self.table, 1)
        across.addLayout(left, 1)
        right = QVBoxLayout()
        right.setSpacing(8)
        self.head = label("", "strong", wrap=True)
        right.addWidget(self.head)
        self.sent = QTextEdit()
        self.sent.setReadOnly(True)
        self.sent.setProperty("role", "code")
        self.sent.setAccessibleName(tr("The text as it is sent"))
        right.addWidget(self.sent, 3)
        self.facts = label("", "quiet", wrap=True)
        right.addWidget(self.facts)
        self.changes = Table()
        self.changes.setAccessibleName(tr("What became of marks and words"))
        right.addWidget(self.changes, 3)
        self.unsupported: dict[str, QComboBox] = {}
        fates = []
        for kind in CAN_BE_SPELLED[:2]:
            box = QComboBox()
            add_words(box, _FATES)
            box.setAccessibleName(tr("{kind} that is not understood", kind=kind))
            box.activated.connect(lambda _: self._save_choices())
            self.unsupported[kind] = box
            fates += [label(tr("{kind}s not taken", kind=kind) if kind == "pause" else tr("say-as not taken")), box]
        right.addWidget(flow_row(*fates))
        boxes: list[QWidget] = [label(tr("Put in words before sending"))]
        self.spell: dict[str, QCheckBox] = {}
        for kind in SPELLABLE:
            check = QCheckBox(word(kind))
            check.toggled.connect(lambda _: self._save_choices())
            self.spell[kind] = check
            boxes.append(check)
        right.addWidget(flow_row(*boxes))
        self.copy = button(tr("Copy as sent"), self.copy_sent)
        right.addWidget(flow_row(right=(self.copy,)))
        across.addLayout(right, 1)
        for part in (self.overview, self.one):
            self._stack.addWidget(part)
        self._filling = False
        self.state.labels_changed.connect(self._labels_changed)

    # -- shown

    def _labels_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def show_all(self) -> None:
        """Passages by engines, at one glance."""
        show_only(self._stack, self.overview)
        self.overview.refresh()
        self.overview.table.setFocus()

    def show_one(self, passage_id: int, candidate_id: int) -> None:
        """One passage as one candidate's engine gets it, in full."""
        show_only(self._stack, self.one)
        self.state.select(candidate_id, passage_id)
        self.refresh()
        row = next((i for i, (c, _) in enumerate(self._candidates) if c.id == candidate_id), None)
        if row is not None:
            self.table.selectRow(row)
            self.table.setFocus()

    def refresh(self) -> None:
        if self._stack.currentWidget() is self.overview:
            self.overview.refresh()
            return
        bench = self.state.bench
        self._filling = True
        self.passage.clear()
        for i, p in enumerate(bench.passages, 1):
            self.passage.addItem(f"{i:02d} {p.title}", p.id)
        self.passage.setCurrentIndex(max(0, self.passage.findData(self.state.passage_id)))
        chosen = self.candidate()
        known = [(c, e) for c in bench.candidates if (e := bench.engines.get(c.engine)) is not None]
        self._candidates = [] if self.state.labels_hidden else known  # what is sent would tell the names
        passage = self._passage()
        rows: list[list[str]] = []
        bad: list[tuple[int, int]] = []
        for c, engine in self._candidates:
            if passage is None:
                break
            sent = self.state.project.sending.of(c, passage, engine)
            voice = engine.voice(c.voice)
            speaks = voice is not None and voice.speaks(passage.language)
            fate = (
                tr("{lost} lost", lost=len(sent.lost))
                if sent.lost
                else tr("all marks kept")
                if sent.changes
                else tr("no marks")
            )
            if sent.lost and speaks:
                bad.append((len(rows), 1))
            rows.append([
                f"{self.state.name(c)}\n{self.state.detail(c)}",
                f"{word(sent.written)}\n{fate}" if speaks else tr("voice of another language\nnothing is sent"),
                f"{sent.billed:,}" if speaks else "–",
                str(len(sent.requests)) if speaks else "–",
            ])  # fmt: skip
        self.table.show_rows(
            [tr("Candidate"), tr("Sent as"), tr("Billed"), tr("Requests")], rows, numbers=[2, 3], bad=bad, wide=0
        )
        at = next((i for i, (c, _) in enumerate(self._candidates) if chosen and c.id == chosen.id), 0)
        self._filling = False
        if rows:
            self.table.selectRow(at)
        self._show()

    def candidate(self) -> Candidate | None:
        rows = {index.row() for index in self.table.selectedIndexes()}
        return self._candidates[min(rows)][0] if rows and min(rows) < len(self._candidates) else None

    def _passage(self) -> Passage | None:
        wanted = self.passage.currentData()
        return next((p for p in self.state.bench.passages if p.id == wanted), None)

    def _other_passage(self) -> None:
        self.state.select(self.state.candidate_id, self.passage.currentData())
        self.refresh()

    def _both(self) -> tuple[Candidate, Engine, Passage] | None:
        passage = self._passage()
        rows = {index.row() for index in self.table.selectedIndexes()}
        if passage is None or not rows or min(rows) >= len(self._candidates):
            return None
        return (*self._candidates[min(rows)], passage)

    def _show(self) -> None:
        if self._filling:
            return
        found = self._both()
        if found is None:
            self.head.setText(
                tr("Labels are hidden, and what is sent would tell them. Show the labels to see it.")
                if self.state.labels_hidden
                else tr("Put a voice on the shortlist to see what its engine would get.")
            )
            self.sent.clear()
            self.facts.clear()
            self.changes.show_rows([], [])
            return
        candidate, engine, passage = found
        sent = self.state.project.sending.of(candidate, passage, engine)
        self.head.setText(tr("{engine} gets {written}", engine=engine.engine, written=word(sent.written)))
        self._fill(sent)
        self.facts.setText(self._money(candidate, engine, sent))
        rows, bad = [], []
        for i, change in enumerate(sent.changes):
            rows.append([change.fate, change.kind, change.words or tr("here"), change.became or change.why,
                         change.why if change.became else ""])  # fmt: skip
            if change.fate in ("left out", "as it stands"):
                bad.append((i, 0))
        self.changes.show_rows([tr("Became"), tr("Mark or word"), "Of", tr("In its place, or why"), ""], rows, bad=bad)
        self.changes.setVisible(bool(rows))
        choices = self.state.project.sending.choices(engine.engine)
        self._filling = True
        for kind, box in self.unsupported.items():
            choose_word(box, choices.fate(kind))
        for kind, check in self.spell.items():
            check.setChecked(kind in choices.spell_out)
        self._filling = False

    def _fill(self, sent: AsSent) -> None:
        """The requests as they go out, parted by a line; what is put in the text by us has a warmer ground."""
        self.sent.clear()
        cursor = self.sent.textCursor()
        plain, quiet, ours = QTextCharFormat(), QTextCharFormat(), QTextCharFormat()
        quiet.setForeground(theme.colour("quiet"))
        ground = QColor(theme.colour("zest-pale"))
        ours.setBackground(ground)
        for i, request in enumerate(sent.requests):
            if len(sent.requests) > 1:
                cursor.insertText(
                    tr(
                        "{x}request {i}, {billed} billed\n",
                        x="" if i == 0 else chr(10),
                        i=i + 1,
                        billed=f"{request.billed:,}",
                    ),
                    quiet,
                )
            put = sorted(
                {c.became for c in sent.changes if c.became and c.fate in ("spelled out", "respelled")}, key=len
            )
            at = 0
            for said, start in _places(request.text, put):
                cursor.insertText(request.text[at:start], plain)
                cursor.insertText(said, ours)
                at = start + len(said)
            cursor.insertText(request.text[at:], plain)
        self.sent.moveCursor(QTextCursor.MoveOperation.Start)

    def _money(self, candidate: Candidate, engine: Engine, sent: AsSent) -> str:
        added = cost_of_sending(self.state.project, candidate, engine, sent)
        count = len(sent.requests)
        money = tr("it would add {cost} this month", cost=added.cost) if added.cost is not None else added.why
        over = (
            tr(", and exceed the allowance by {short_by}", short_by=f"{added.short_by:,.0f}") if added.short_by else ""
        )
        limit = engine.limits_under([candidate.plan]).characters_per_request
        pieces = trn("{count} request", "{count} requests", count, count=count)
        if limit is not None:
            pieces += tr(" of at most {limit} characters", limit=f"{limit:,}")
        said = sum(change.kind == "lexicon" and change.fate != "as it stands" for change in sent.changes)
        words = (
            trn(
                " {said} word said by the pronunciation list.",
                " {said} words said by the pronunciation list.",
                said,
                said=said,
            )
            if said
            else ""
        )
        plan = plan_of(candidate, engine).name
        return tr(
            "{billed} characters counted under {plan}: {money}{over}. {pieces}.{words}",
            billed=f"{sent.billed:,}",
            plan=plan,
            money=money,
            over=over,
            pieces=pieces,
            words=words,
        )

    # -- choices

    def _save_choices(self) -> None:
        found = self._both()
        if self._filling or found is None:
            return
        engine, sending = found[1].engine, self.state.project.sending
        before = sending.choices(engine)
        after = SendingChoices(
            unsupported={kind: chosen_word(box) for kind, box in self.unsupported.items()},  # type: ignore[misc]
            spell_out=tuple(kind for kind, check in self.spell.items() if check.isChecked()),
        )
        if after != before:
            self.state.edit(
                tr("what is sent to {engine}", engine=engine),
                lambda: sending.put_choices(engine, after),
                lambda: sending.put_choices(engine, before),
            )
            self.refresh()

    def copy_sent(self) -> None:
        from PyQt6.QtGui import QGuiApplication

        found, clipboard = self._both(), QGuiApplication.clipboard()
        if found is not None and clipboard is not None:
            candidate, engine, passage = found
            texts = self.state.project.sending.identity(candidate, passage, engine)
            clipboard.setText("\n\n".join(texts))
            self.state.say(tr("Copied as it would be sent."))


def _places(text: str, words: list[str]) -> list[tuple[str, int]]:
    """Where any of the words first stand, in order and without overlap."""
    found: list[tuple[str, int]] = []
    for one in reversed(words):
        at = text.find(one)
        while at >= 0:
            if not any(start < at + len(one) and at < start + len(other) for other, start in found):
                found.append((one, at))
            at = text.find(one, at + len(one))
    return sorted(found, key=lambda pair: pair[1])
