"""Small dialogs: a note on a voice, a consent, a statement of a fact, a line of the set-up log."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.catalogue.fact_list import FACTS, About
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.clock import today
from zestpanel.core.errors import InputError
from zestpanel.core.store.notes import TIME_SPENT_ON, VoiceNote
from zestpanel.core.store.own_voices import Consent, Recording
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_date, typed_number
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label
from zestpanel.desk.word_box import add_words, chosen_word


class KeepingDialog(Dialog):
    """What is typed is kept and the dialog closes, or what is wrong is said and it stays."""

    def __init__(self, parent: QWidget, done: Callable[[], None]) -> None:
        super().__init__(parent)
        self._done = done
        self.wrong = label("", "bad", wrap=True)

    def keep(self) -> bool:
        """Whether it worked. Raises InputError."""
        raise NotImplementedError

    def _keep(self) -> None:
        try:
            kept = self.keep()
        except InputError as error:
            self.wrong.setText(str(error))
            return
        if kept:
            self.accept()
            self._done()


class FormDialog(KeepingDialog):
    """A form with a title, a sentence, fields, and a place for what is wrong."""

    def __init__(self, parent: QWidget, title: str, about: str, done: Callable[[], None], keep: str = "") -> None:
        super().__init__(parent, done)
        self.setWindowTitle(title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(title, "name"))
        layout.addWidget(label(about, "quiet", wrap=True))
        self.form = QFormLayout()
        self.form.setSpacing(8)
        self.form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        layout.addLayout(self.form)
        layout.addWidget(self.wrong)
        layout.addStretch(1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.keep_button = button(keep or tr("Keep"), self._keep, role="main")
        self.keep_button.setDefault(True)
        foot.addWidget(self.keep_button)
        layout.addLayout(foot)
        self.setMinimumWidth(theme.px(480))


class NoteDialog(FormDialog):
    """Tags and a note on one voice; impressions, which have a day each, are apart."""

    def __init__(self, parent: QWidget, state: DeskState, engine: str, voice: Voice, done: Callable[[], None]) -> None:
        super().__init__(
            parent, tr("Note on {label}", label=voice.label), tr("People recall voices by their character."), done
        )
        self._state, self._key = state, (engine, voice.id)
        known = state.project.notes.voices().get(self._key)
        self._before = known or VoiceNote(engine=engine, voice=voice.id)
        self.tags = QLineEdit(", ".join(self._before.tags))
        self.tags.setPlaceholderText(tr("mature, calm, deep"))
        self.words = QPlainTextEdit(self._before.words)
        self.words.setFixedHeight(theme.px(80))
        self.form.addRow(tr("Tags"), self.tags)
        self.form.addRow(tr("Note"), self.words)

    def keep(self) -> bool:
        tags = tuple(dict.fromkeys(t.strip() for t in self.tags.text().split(",") if t.strip()))
        before = self._before
        note = VoiceNote(engine=before.engine, voice=before.voice, favourite=before.favourite, tags=tags,
                         words=" ".join(self.words.toPlainText().split()))  # fmt: skip
        notes = self._state.project.notes
        return self._state.edit(
            tr("note on a voice"), lambda: notes.put_voices([note]), lambda: notes.put_voices([before])
        )


class StatementDialog(FormDialog):
    """A fact stated by the user, with its source and date; it may settle what sources disagree on."""

    def __init__(
        self, parent: QWidget, state: DeskState, engine: Engine, done: Callable[[], None],
        wanted: tuple[About, str, str] | None = None,
    ) -> None:  # fmt: skip
        """wanted: the fact that is to be stated: about what, of which one, its name."""
        about = tr("What you found out yourself, with where and when. Other sources stay listed beside it.")
        super().__init__(parent, tr("State a fact about {engine}", engine=engine.engine), about, done)
        self._state, self._engine = state, engine
        self.subject, self.fact = QComboBox(), QComboBox()
        things: list[tuple[str, About, str]] = [(tr("the engine {engine}", engine=engine.engine), "engine", "")]
        things += [(tr("model {label}", label=m.label), "model", m.id) for m in engine.models]
        things += [(tr("plan {name}", name=p.name), "plan", p.name) for p in engine.plans]
        things += [(tr("voice {label}", label=v.label), "voice", v.id) for v in engine.voices[:500]]
        for text, kind, item in things:
            self.subject.addItem(text, (kind, item))
        self.value, self.source, self.dated = QLineEdit(), QLineEdit(), QLineEdit(today().isoformat())
        self.value.setPlaceholderText(tr("yes, no, a number, or words"))
        self.settles = QCheckBox(tr("This settles it where sources disagree"))
        for text, widget in ((tr("About"), self.subject), (tr("Fact"), self.fact), (tr("Value"), self.value),
                             (tr("Source"), self.source), (tr("Date"), self.dated), ("", self.settles)):  # fmt: skip
            self.form.addRow(text, widget)
        self.subject.currentIndexChanged.connect(self._fill)
        self._fill()
        if wanted is not None:
            at = next((k for k, (_, kind, item) in enumerate(things) if (kind, item) == wanted[:2]), 0)
            self.subject.setCurrentIndex(at)
            self.fact.setCurrentIndex(max(0, self.fact.findData(wanted[2])))
            self.value.setFocus()

    def _fill(self) -> None:
        about = self.subject.currentData()[0]
        self.fact.clear()
        for fact in FACTS:
            if fact.about == about:
                self.fact.addItem(fact.name + (tr(", in {unit}", unit=fact.unit) if fact.unit else ""), fact.name)

    def keep(self) -> bool:
        about, item = self.subject.currentData()
        fact, text = self.fact.currentData(), self.value.text().strip()
        if not text:
            raise InputError(tr("The value is missing."), kept=tr("Nothing was changed."))
        kind = next(f.kind for f in FACTS if (f.about, f.name) == (about, fact))
        value: object = text
        if kind == "number":
            number = typed_number(text, fact)
            value = float(number) if "." in text else int(number)
        elif kind == "list":
            value = [part.strip() for part in text.split(",") if part.strip()]
        dated = typed_date(self.dated.text(), tr("The date"), past=True)
        notes, made = self._state.project.notes, list[int]()
        # checked before it enters the history, so that the sentence stands in this dialog
        made.append(notes.state(self._engine.engine, about, item, fact, value, source=self.source.text().strip(),
                                dated=dated, settles=self.settles.isChecked()))  # fmt: skip
        return self._state.edit(
            tr("a stated fact"),
            lambda: notes.set_statement_removed(made[0], False),
            lambda: notes.set_statement_removed(made[0], True),
        )


class SetupDialog(FormDialog):
    """A line of the log of a person's time: on what, how many minutes, and what was done."""

    def __init__(self, parent: QWidget, state: DeskState, engine: str, done: Callable[[], None]) -> None:
        about = tr("A person's time is a cost that no bill shows; what was done makes it repeatable.")
        super().__init__(parent, tr("Time spent on {engine}", engine=engine), about, done, tr("Add to the log"))
        self._state, self._engine = state, engine
        self.minutes = QDoubleSpinBox()
        self.minutes.setRange(0, 43_200)
        self.minutes.setDecimals(0)
        self.words = QPlainTextEdit()
        self.words.setFixedHeight(theme.px(90))
        self.words.setPlaceholderText(tr("Commands, versions, fixes, warnings"))
        self.kind = QComboBox()
        add_words(self.kind, TIME_SPENT_ON)
        self.kind.setAccessibleName(tr("What the time went into"))
        self.form.addRow(tr("Spent on"), self.kind)
        self.form.addRow(tr("Minutes"), self.minutes)
        self.form.addRow(tr("What was done"), self.words)

    def keep(self) -> bool:
        notes, made = self._state.project.notes, list[int]()
        words, minutes, kind = self.words.toPlainText().strip(), self.minutes.value(), chosen_word(self.kind)
        if not words:
            raise InputError(tr("Say what was done."), kept=tr("Nothing was changed."))

        def do() -> None:
            if made:
                notes.set_setup_removed(made[0], False)
            else:
                made.append(notes.log_setup(self._engine, minutes, words, kind=kind))

        return self._state.edit(tr("the set-up log"), do, lambda: notes.set_setup_removed(made[0], True))


class ConsentDialog(FormDialog):
    """Who agreed, when, to what use, until when, and where the evidence is."""

    def __init__(self, parent: QWidget, state: DeskState, recording: Recording, done: Callable[[], None]) -> None:
        about = tr("A voice made from a recording speaks only while the consent of the person holds.")
        super().__init__(parent, tr("Consent for '{name}'", name=recording.name), about, done)
        self._state, self._recording = state, recording
        known = recording.consent
        self.who = QLineEdit(known.who if known else "")
        self.given = QLineEdit((known.given if known else today()).isoformat())
        self.use = QLineEdit(known.use if known else "")
        self.use.setPlaceholderText(tr("narration of this channel"))
        self.until = QLineEdit(known.until.isoformat() if known and known.until else "")
        self.until.setPlaceholderText(tr("no end"))
        self.evidence = QLineEdit(known.evidence if known else "")
        self.evidence.setPlaceholderText(tr("signed form, where it is kept"))
        for text, widget in ((tr("Who agreed"), self.who), (tr("When"), self.given), (tr("To what use"), self.use),
                             (tr("Until"), self.until), (tr("Evidence"), self.evidence)):  # fmt: skip
            self.form.addRow(text, widget)

    def keep(self) -> bool:
        given = typed_date(self.given.text(), tr("The day of the consent"))
        if given is None:
            raise InputError(tr("The day of the consent is missing."), kept=tr("Nothing was changed."))
        consent = Consent(
            who=self.who.text().strip(),
            given=given,
            use=self.use.text().strip(),
            until=typed_date(self.until.text(), tr("The end")),
            evidence=self.evidence.text().strip(),
        )
        voices, recording = self._state.project.own_voices, self._recording
        if not (consent.who and consent.use):
            raise InputError(tr("A consent says who agreed, and to what use."), kept=tr("Nothing was changed."))
        return self._state.edit(
            tr("a consent"),
            lambda: voices.set_consent(recording.id, consent),
            lambda: voices.set_consent(recording.id, recording.consent),
        )
