"""Everything that is wrong in the takes, found by machines or marked by ear: listed, heard one after another,
confirmed, refused, put in words or taken away."""

from __future__ import annotations

from functools import partial
from html import escape

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QHideEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.errors import ZestError
from zestpanel.core.runs.execute.auditioning import line_for
from zestpanel.core.text.plain_text import in_plain_signs
from zestpanel.core.texts import tr
from zestpanel.desk.flow import flow_row
from zestpanel.desk.hearing import hear_take
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.try_it import TryIt
from zestpanel.desk.viewmodels.faults import LIST_HEAD, RATES_HEAD, STATES, FaultsSeen, Line, look_at_faults
from zestpanel.desk.widgets import button, label

BEFORE_S, AFTER_S = 1.0, 2.0  # heard around a fault
_APART_S = 0.03  # words whose times only touch are two
_ROOM_FOR_RATES = 380  # pixels at 100 %
_MOST_OF_TEXT = 320  # characters around the place


class FaultsView(QWidget):
    """Enter plays one, from a second before it; Y and N give a person's word on what a machine found; Delete takes a
    mark away."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._seen = FaultsSeen((), (), ())
        self.shown: list[Line] = []
        self._queue: list[Line] = []
        self._played = False
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.timeout.connect(self._play_next)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 8)
        layout.setSpacing(8)
        self.says = label("", "lead", wrap=True)
        layout.addWidget(self.says)
        self.rates = Table()
        self.rates.setAccessibleName(tr("Faults to the minute"))
        layout.addWidget(self.rates)
        layout.addLayout(self._filters())
        self.table = Table()
        self.table.setAccessibleName(tr("Faults"))
        self.table.row_chosen.connect(self.play)
        self.table.itemSelectionChanged.connect(self._row_changed)
        self.table.installEventFilter(self)  # letters would look for a row that begins with them
        layout.addWidget(self.table, 1)
        self.text = label("", "reading", wrap=True)
        self.text.setTextFormat(Qt.TextFormat.RichText)
        layout.addWidget(self.text)
        self.hear = button(tr("Hear it"), lambda: self.play(self.table.currentRow()), tip=tr("Enter"))
        self.all = button(tr("Hear one after another"), self.play_all)
        self.real = button(tr("Real"), lambda: self.judge(True), tip=tr("Y in the list"))
        self.nothing = button(tr("Nothing wrong"), lambda: self.judge(False), tip=tr("N in the list"))
        self.note = button(tr("Note …"), self.ask_for_note)
        self.away = button(tr("Take away"), self.remove, tip=tr("Delete"))
        self.plain = button(tr("Try with plain text …"), self.try_plain,
                            tip=tr("The same voice and settings, without signs that may cause it"))  # fmt: skip
        layout.addWidget(flow_row(self.hear, self.all, self.real, self.nothing, self.note, self.away, self.plain))
        state.tray.marks_changed.connect(self._again)
        state.evaluation_changed.connect(self._again)

    def _filters(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(10)
        self.whose, self.kind, self.in_state = QComboBox(), QComboBox(), QComboBox()
        for box, name, everything in (
            (self.whose, tr("Whose faults"), tr("of all candidates")), (self.kind, tr("Which kind"), tr("all kinds")),
            (self.in_state, tr("In which state"), tr("in all states")),
        ):  # fmt: skip
            box.setAccessibleName(name)
            box.addItem(everything, None)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(16)
            box.currentIndexChanged.connect(self._show)
            row.addWidget(box)
        for state, words in STATES.items():
            self.in_state.addItem(words, state)
        self.count = label("", "small")
        row.addWidget(self.count)
        row.addStretch(1)
        return row

    # -- what is shown

    def refresh(self) -> None:
        project, evaluation = self.state.project, self.state.evaluation
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        self.state.background.run(lambda: look_at_faults(project, evaluation, names), self._take, self.state.complain,
                                  topic="faults")  # fmt: skip

    def _again(self) -> None:
        if self.isVisible():
            self.refresh()

    def _take(self, seen: FaultsSeen) -> None:
        self._seen = seen
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        self.says.setText(seen.says(names))
        self.rates.show_rows(list(RATES_HEAD), [list(row) for row in seen.rates], numbers=[1, 2, 3, 4, 5, 6], wide=7)
        self._fit()
        kinds = {line.kind: line.kind_words for line in seen.lines}
        here = [who for who in seen.candidate_ids if any(line.candidate_id == who for line in seen.lines)]
        self._fill(self.whose, {who: names[who] for who in here if who in names})
        self._fill(self.kind, dict(sorted(kinds.items(), key=lambda one: one[1])))
        self._show()

    def _fit(self) -> None:
        """The rates take a part of the height, and none where there is little: the list is what one works on."""
        part = round(0.28 * self.height())
        self.rates.setVisible(self.height() >= theme.px(_ROOM_FOR_RATES))
        self.rates.setFixedHeight(max(self.rates.height_for_rows(2), min(self.rates.height_for_rows(5), part)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    @staticmethod
    def _fill(box: QComboBox, found: dict[int, str] | dict[str, str]) -> None:
        """As it was chosen, where that is still there."""
        if [box.itemData(k) for k in range(1, box.count())] == list(found):
            return
        now = box.currentData()
        box.blockSignals(True)
        while box.count() > 1:
            box.removeItem(1)
        for data, words in found.items():
            box.addItem(words, data)
        box.setCurrentIndex(max(0, box.findData(now)))
        box.blockSignals(False)

    def _show(self) -> None:
        whose, kind, state = (box.currentData() for box in (self.whose, self.kind, self.in_state))
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        self.shown = [
            line for line in self._seen.lines
            if whose in (None, line.candidate_id) and kind in (None, line.kind) and state in (None, line.state)
        ]  # fmt: skip
        at = self.table.currentRow()
        rows = [[names.get(line.candidate_id, "?"), line.passage.title, line.where, line.kind_words, line.says,
                 STATES[line.state]] for line in self.shown]  # fmt: skip
        bad = [(k, 5) for k, line in enumerate(self.shown) if line.state == "real"]
        self.table.show_rows(list(LIST_HEAD), rows, numbers=[2], wide=4, bad=bad)
        if self.shown:
            self.table.selectRow(min(max(0, at), len(self.shown) - 1))
        self.count.setText(tr("{n} of {all}", n=len(self.shown), all=len(self._seen.lines)))
        self._row_changed()

    @property
    def line(self) -> Line | None:
        """The one that is chosen."""
        row = self.table.currentRow()
        return self.shown[row] if 0 <= row < len(self.shown) else None

    def _row_changed(self) -> None:
        line = self.line
        by_machine = line is not None and line.fault is not None
        for one, on in ((self.hear, line is not None), (self.all, bool(self.shown)), (self.real, by_machine),
                        (self.nothing, by_machine), (self.note, line is not None and not by_machine),
                        (self.away, line is not None and not by_machine), (self.plain, line is not None)):  # fmt: skip
            one.setEnabled(on)
        self.text.setVisible(line is not None)
        if line is None:
            return
        takes, take = self.state.project.takes, line.take.id

        def arrived(times: tuple[tuple[str, float, float, bool], ...]) -> None:
            if self.line is line:
                self.text.setText(_around(line, times))

        self.text.setText("")
        self.state.background.run(lambda: found.words if (found := takes.measured([take]).get(take)) else (), arrived,
                                  self.state.complain, topic="words of a fault")  # fmt: skip

    # -- hearing

    def play(self, row: int) -> None:
        self._queue = []
        if 0 <= row < len(self.shown):
            self._hear(self.shown[row])

    def play_all(self) -> None:
        at = max(0, self.table.currentRow())
        self._queue = self.shown[at:]
        self._play_next()

    def _play_next(self) -> None:
        if self._queue:
            first = self._queue.pop(0)
            if first in self.shown:
                self.table.selectRow(self.shown.index(first))
                self._hear(first)

    def _hear(self, line: Line) -> None:
        start, end = line.span_s
        lasts = min(end - start, 10.0)

        def begun() -> None:
            if self._queue:
                self._next.start(round(1000 * (BEFORE_S + lasts + AFTER_S)))

        self._played = True
        hear_take(self.state, line.take, at_s=max(0.0, start - BEFORE_S), then=begun)

    def leave(self) -> None:
        """The tray is laid out again as it was."""
        self._queue = []
        self._next.stop()
        if self._played:
            self._played = False
            self.state.player.pause()
            self.state.tray.load()

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.leave()
        super().hideEvent(event)

    def try_plain(self) -> None:
        """A gap or a wrong word may be the text's doing or the setting's: the same is asked for once more with nothing
        but words and plain stops, and heard beside the take."""
        line, project = self.line, self.state.project
        candidate = next((c for c in self.state.bench.candidates if line and c.id == line.candidate_id), None)
        engine = project.shortlist.engines().get(candidate.engine) if candidate is not None else None
        if line is None or candidate is None or engine is None:
            return
        text = in_plain_signs(line.passage.text)
        if text == line.passage.text:
            about = tr("The text has nothing but words and plain stops already: what is wrong is not the text's signs. "
                       "Asked once more, it tells whether it comes again.")  # fmt: skip
        else:
            about = tr(
                "Where it is gone now, the text's signs were the cause; where it is still there, voice or setting."
            )
        try:
            asked = line_for(project.sending, project.own_voices, engine, text, voice=candidate.voice,
                             model=candidate.model, plan=candidate.plan, settings=candidate.settings,
                             language=line.passage.language)  # fmt: skip
        except ZestError as error:
            self.state.complain(error)
            return
        TryIt(self, self.state, asked, beside=line.take, about=about).show()

    # -- a person's word

    def judge(self, real: bool) -> None:
        """On what a machine found; the next one is chosen. The same word again takes it back."""
        line = self.line
        if line is None or line.fault is None:
            return
        takes, fault = self.state.project.takes, line.fault
        made: list[int] = []

        def do() -> None:
            if made:
                takes.set_verdict_removed(made[0], False)
            elif fault.real is real:
                takes.set_verdict_removed(fault.verdict, True)
            else:
                made.append(takes.add_verdict(line.take.id, fault.of, real=real))

        def undo() -> None:
            if made:
                takes.set_verdict_removed(made[0], True)
            else:
                takes.set_verdict_removed(fault.verdict, False)

        words = tr("a fault is real") if real else tr("nothing is wrong there")
        at = self.table.currentRow()
        self.state.edit(words, do, undo)
        if at + 1 < len(self.shown):
            self.table.selectRow(at + 1)

    def ask_for_note(self) -> None:
        line = self.line
        if line is None or line.defect is None:
            return
        text, good = QInputDialog.getText(self, tr("Note"), f"{line.kind_words}, {line.passage.title}",
                                          text=line.defect.mark.note)  # fmt: skip
        if good:
            self.put_note(line, text)

    def put_note(self, line: Line, text: str) -> None:
        assert line.defect is not None
        takes, mark = self.state.project.takes, line.defect.mark
        self.state.edit(tr("note on a defect"), partial(takes.put_mark_note, mark.id, text.strip()),
                        partial(takes.put_mark_note, mark.id, mark.note))  # fmt: skip
        self.refresh()

    def remove(self) -> None:
        line = self.line
        if line is None or line.defect is None:
            return
        takes, mark = self.state.project.takes, line.defect.mark
        self.state.edit(tr("taking away '{kind}'", kind=mark.kind), partial(takes.set_mark_removed, mark.id, True),
                        partial(takes.set_mark_removed, mark.id, False))  # fmt: skip
        self.refresh()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.table and isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.ShortcutOverride and event.text().lower() in ("y", "n"):
                event.accept()  # in this list they are a person's word, and no key of the window's
                return True
            if event.type() == QEvent.Type.KeyPress:
                return self._took(event)
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._took(event):
            super().keyPressEvent(event)

    def _took(self, event: QKeyEvent) -> bool:
        """Whether the key meant something."""
        key = event.text().lower()
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key in ("y", "n") and not event.modifiers():
            self.judge(key == "y")
        else:
            return False
        return True


def _around(line: Line, times: tuple[tuple[str, float, float, bool], ...]) -> str:
    """The text with the place set off, as rich text; the whole where the place is not known."""
    text, (start, end) = line.passage.text, line.span_s
    words = words_with_places(text)
    near = 0.0 if end - start > 2 * _APART_S else _APART_S  # of a moment, the word it lies in or beside
    inside = [k for k, (_, begin, stop, _) in enumerate(times)
              if stop > start + _APART_S - 2 * near and begin < end - _APART_S + 2 * near]  # fmt: skip
    if len(words) != len(times) or not inside or end - start > line.take.duration_s / 2:
        return escape(text if len(text) <= _MOST_OF_TEXT else text[:_MOST_OF_TEXT].rstrip() + "…")
    first, last = words[inside[0]][1], words[inside[-1]][2]
    left, right = max(0, first - _MOST_OF_TEXT // 2), min(len(text), last + _MOST_OF_TEXT // 2)
    before = ("…" if left else "") + text[left:first]
    after = text[last:right] + ("…" if right < len(text) else "")
    return f"{escape(before)}<b><u>{escape(text[first:last])}</u></b>{escape(after)}"
