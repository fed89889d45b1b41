"""All takes of one cell and the requests that failed: with everything needed to make each again."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.catalogue.candidate import describe_settings
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.domain.take import Measured, Take
from zestpanel.core.errors import FAILURE_KINDS, ZestError
from zestpanel.core.measures.drift import drift_words, from_values
from zestpanel.core.runs.files.clip_names import export_clips
from zestpanel.core.texts import tr, word
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.when import day_and_hour
from zestpanel.desk.widgets import button, label, open_at


class CellHistory(Dialog):
    def __init__(self, parent: QWidget, state: DeskState, candidate: Candidate, passage: Passage) -> None:
        super().__init__(parent)
        self.state, self._candidate, self._passage = state, candidate, passage
        self.takes: list[Take] = []
        self.setWindowTitle(tr("Takes"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("{name} on '{title}'", name=state.name(candidate), title=passage.title), "name"))
        about = tr("Every take of this cell, and every request that failed. Nothing is lost: undo brings a take back.")
        layout.addWidget(label(about, "quiet", wrap=True))
        self.table = Table()
        self.table.setAccessibleName(tr("Takes of this cell"))
        self.table.itemSelectionChanged.connect(self._show_chosen)
        layout.addWidget(self.table, 3)
        self.detail = label("", wrap=True)
        self.detail.setMinimumHeight(theme.px(110))
        layout.addWidget(self.detail, 1)
        note = QHBoxLayout()
        self.note = QLineEdit()
        self.note.setPlaceholderText(tr("a note on this take"))
        self.note.setAccessibleName(tr("Note on the selected take"))
        self.note.editingFinished.connect(self.keep_note)
        note.addWidget(self.note, 1)
        layout.addLayout(note)
        row = QHBoxLayout()
        self.hear = button(
            tr("Compare by ear"), self.compare, role="main", tip=tr("All takes on the tray: digit keys swap them")
        )
        self.star = button(tr("Prefer"), self.prefer, tip=tr("The take that is shown, heard and tested"))
        self.count = button(tr("Let it count"), self.let_count, tip=tr("It was found odd on arrival and is not scored"))
        self.remove = button(tr("Remove"), self.remove_chosen)
        self.export = button(tr("Save clips …"), self.ask_where)
        for one in (self.hear, self.star, self.count, self.remove, self.export):
            row.addWidget(one)
        row.addStretch(1)
        row.addWidget(button(tr("Close"), self.accept))
        layout.addLayout(row)
        open_at(self, 860, 560)
        state.bench_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        project = self.state.project
        chosen = self._chosen()
        of_cell = project.takes.all(candidate_id=self._candidate.id)
        self.takes = sorted(
            (t for t in of_cell if t.passage_version_id == self._passage.version_id), key=lambda t: (t.repeat, t.id)
        )
        failed = [
            r
            for r in project.journal.rows(state="failed")
            if (r.candidate_id, r.passage_version_id) == (self._candidate.id, self._passage.version_id)
        ]
        hidden = self.state.labels_hidden
        rows = [[*_row(t), "" if hidden else t.voice_used] for t in self.takes] + [_failed(r) for r in failed]
        head = [
            tr("take"),
            tr("made"),
            tr("length s"),
            tr("wait s"),
            tr("billed"),
            tr("odd, or why it failed"),
            tr("note"),
            tr("voice that answered"),
        ]
        odd = [(i, 5) for i, t in enumerate(self.takes) if t.doubts and not t.accepted]
        self.table.show_rows(head, rows, numbers=(0, 2, 3, 4), bad=odd, wide=5)
        at = next((i for i, t in enumerate(self.takes) if chosen and t.id == chosen.id), 0)
        if rows:
            self.table.selectRow(at)
        self._show_chosen()

    def _chosen(self) -> Take | None:
        at = self.table.currentRow()
        return self.takes[at] if 0 <= at < len(self.takes) else None

    def _show_chosen(self) -> None:
        take = self._chosen()
        self.hear.setEnabled(len(self.takes) > 1)
        self.export.setEnabled(bool(self.takes))
        for one in (self.star, self.remove, self.note):
            one.setEnabled(take is not None)
        self.count.setVisible(take is not None and bool(take.doubts))
        if take is None:
            self.detail.setText("")
            self.note.setText("")
            return
        self.count.setText(tr("Do not let it count") if take.accepted else tr("Let it count"))
        self.star.setText(tr("No longer prefer") if take.starred else tr("Prefer"))
        self.note.setText(take.note)
        self.detail.setText(self._how_it_came(take))

    def _how_it_came(self, take: Take) -> str:
        """Everything needed to make it again, one sentence each."""
        c, run = self._candidate, self.state.project.journal.runs().get(take.run_id or -1)
        engine = self.state.bench.engines.get(c.engine)
        parts = [" ".join(take.doubts)] if take.doubts else []
        if self.state.labels_hidden:
            parts.append(tr("How it was made stays covered while labels are hidden."))
        else:
            parts.append(
                tr(
                    "{engine}, model {model} {model_version}, voice {voice}, {language}, plan {plan}, "
                    "{route}, {describe_settings}.",
                    engine=c.engine,
                    model=c.model,
                    model_version=c.model_version,
                    voice=c.voice,
                    language=c.language,
                    plan=c.plan or tr("none"),
                    route=word(c.route),
                    describe_settings=describe_settings(c, engine),
                )
            )
        if take.copied_from:
            parts.append(tr("Served from the store: an identical request had been made before, so nothing was sent."))
        elif run is not None:
            seed = tr("seed {seed}", seed=take.seed) if take.seed is not None else tr("no seed")
            load = tr("{at_once} at once", at_once=run.at_once) if run.at_once else tr("the engine's own limit at once")
            network = tr(", network {network}", network=run.network) if run.network else ""
            parts.append(
                tr(
                    "Run {id} ({kind}), {seed}, {load}. {machine}{network}.",
                    id=run.id,
                    kind=run.kind,
                    seed=seed,
                    load=load,
                    machine=run.machine,
                    network=network,
                )
            )
        measured = self.state.project.takes.measured([take.id]).get(take.id)
        if measured is not None:
            parts += [words for words in (_heard(measured), drift_words(from_values(measured.values))) if words]
        if take.timing is not None and take.timing.slept:
            parts.append(tr("The computer slept during this request: its wait counts nowhere."))
        if take.sent:
            text = " | ".join(take.sent)
            parts.append(tr("Sent: {words}", words=text if len(text) < 400 else text[:400] + " …"))
        if take.brought:
            parts.append(tr("Brought in: {get}.", get=take.brought.get("file", "")))
        return "\n".join(parts)

    # -- deeds

    def compare(self) -> None:
        """Lay the takes on the tray and close, so that the keys are free for listening."""
        self.state.tray.lay_out_repeats(self.takes, self._candidate.id, self._passage.id)
        self.accept()

    def prefer(self) -> None:
        if take := self._chosen():
            takes, others = self.state.project.takes, [t for t in self.takes if t.starred and t.id != take.id]

            def do() -> None:
                for other in others:
                    takes.star(other.id, False)
                takes.star(take.id, not take.starred)

            def undo() -> None:
                takes.star(take.id, take.starred)
                for other in others:
                    takes.star(other.id, True)

            self.state.edit(tr("preferred take"), do, undo)

    def let_count(self) -> None:
        if take := self._chosen():
            accept = self.state.project.takes.accept
            self.state.edit(
                tr("whether a take counts"),
                lambda: accept(take.id, not take.accepted),
                lambda: accept(take.id, take.accepted),
            )

    def keep_note(self) -> None:
        take, text = self._chosen(), self.note.text().strip()
        if take is not None and text != take.note:
            put = self.state.project.takes.put_note
            self.state.edit(tr("note on a take"), lambda: put(take.id, text), lambda: put(take.id, take.note))

    def remove_chosen(self) -> None:
        if take := self._chosen():
            remove = self.state.project.takes.set_removed
            self.state.edit(tr("removed take"), lambda: remove(take.id, True), lambda: remove(take.id, False))

    def ask_where(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Save clips to a folder"))
        if name:
            self.save_to(Path(name))

    def save_to(self, folder: Path) -> None:
        """Write the takes as they were delivered, under telling names."""
        bench = self.state.bench
        try:
            written = export_clips(self.state.project, self.takes, bench.candidates, self.state.shown_names(), folder)
        except ZestError as error:
            self.state.complain(error)
        else:
            self.state.say(
                tr(
                    "{written} clips written to {name}, the first as {name2}.",
                    written=len(written),
                    name=folder.name,
                    name2=written[0].name,
                )
            )


def _row(take: Take) -> list[str]:
    wait = (
        "–" if take.timing is None else f"{take.timing.last_byte_s:.2f}" + (tr(" typed") if take.timing.typed else "")
    )
    state = tr("preferred") if take.starred else ""
    if take.doubts:
        state = (tr("counts all the same: ") if take.accepted else tr("odd: ")) + " ".join(take.doubts)
    elif take.copied_from:
        state = (state + ", " if state else "") + tr("from the store")
    if take.how_obtained:
        state = ", ".join(part for part in (state, take.how_obtained) if part)
    billed = take.typed_credits or ("–" if take.characters_billed is None else f"{take.characters_billed:,}")
    if take.copied_from:
        billed = "0"
    return [str(take.repeat), day_and_hour(take.created), f"{take.duration_s:.2f}", wait, billed, state, take.note]


def _failed(row: JournalRow) -> list[str]:
    kind = word(FAILURE_KINDS.get(row.failure_kind, row.failure_kind))
    return [
        str(row.repeat),
        day_and_hour(row.opened),
        "–",
        "–",
        "–",
        tr(
            "failed, {failure_kind}: {failure_text}",
            failure_kind=kind,
            failure_text=row.failure_text,
        ),
        "",
        "",
    ]


def _heard(measured: Measured) -> str:
    """What the recogniser wrote down, where it differs from the text."""
    wrong, heard = measured.values.get("words_wrong"), measured.values.get("heard")
    if not isinstance(wrong, float) or not wrong:
        return ""
    said = str(heard) or tr("nothing")
    return tr(
        "Words wrong {wrong} %, by {get}, which heard: {said}",
        wrong=f"{wrong:.0f}",
        get=measured.values.get("heard_by"),
        said=said,
    )
