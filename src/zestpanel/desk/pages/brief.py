"""Step 1, the brief: a form that keeps every change at once; undo takes it back."""

from __future__ import annotations

from decimal import Decimal
from functools import partial
from typing import Any, Final

from pydantic import ValidationError
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.brief import MUST_HAVES, Brief
from zestpanel.core.errors import InputError
from zestpanel.core.money.typed_rates import rates_from_words, rates_in_words
from zestpanel.core.texts import tr
from zestpanel.core.typed import (
    months_in_words,
    typed_currency,
    typed_language,
    typed_months,
    typed_number,
    typed_whole,
)
from zestpanel.desk.pages.page import Page
from zestpanel.desk.remembered import recent
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, set_role

_KEPT: Final = tr("Nothing was changed.")


class BriefPage(Page):
    title = tr("Brief")
    about = tr("What the channel needs: the yardstick for prices, gates and voices.")
    demo_wanted = pyqtSignal()
    open_wanted = pyqtSignal()
    lately_wanted = pyqtSignal(object)  # a project's folder

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        form = QFormLayout()
        form.setVerticalSpacing(10)
        form.setHorizontalSpacing(20)
        self._fields: dict[str, QLineEdit] = {}
        self._line(form, "channel", tr("Channel"), tr("name of the channel"))
        self._line(form, "about", tr("About"), tr("what it tells, in a sentence"))
        self._line(form, "languages", tr("Languages"), tr("such as en-GB, fr-FR; the main one first"))
        self._line(form, "accent", tr("Accent and tone"), tr("such as British, unhurried"))
        self._line(form, "audience", tr("Audience"), tr("who listens"))
        self.episodes = QSpinBox()
        self.episodes.setRange(0, 10_000)
        self.episodes.setMaximumWidth(theme.px(110))
        self.episodes.editingFinished.connect(self._save)
        form.addRow(tr("Episodes a month"), self.episodes)
        self._line(form, "episode_minutes", tr("Minutes an episode"), tr("finished minutes"), narrow=True)
        self._line(form, "minutes_in_months", tr("Other months, in minutes"),
                   tr("such as 3: 120, 7: 0 for March and July; the others are alike"))  # fmt: skip
        self._line(form, "currency", tr("Currency"), tr("three letters, such as EUR"), narrow=True)
        self._line(form, "budget_per_month", tr("Budget a month"), tr("empty: no limit"), narrow=True)
        self._line(form, "longest_wait_s", tr("Longest wait for a retake, s"), tr("empty: no limit"), narrow=True)
        self._line(
            form, "equal_within", tr("Scores are equal within"), tr("categories of the 5-point scale"), narrow=True
        )
        self._line(form, "human_price_per_minute", tr("A human narrator, a minute"), tr("for comparison"), narrow=True)
        self.days = QSpinBox()
        self.days.setRange(1, 31)
        self.days.setMaximumWidth(theme.px(110))
        self.days.setToolTip(tr("Days a month on which texts are rendered: what a daily allowance is good for"))
        self.days.editingFinished.connect(self._save)
        form.addRow(tr("Days of work a month"), self.days)
        self._line(form, "one_off_months", tr("One-off purchases over, months"), tr("empty: not compared"), narrow=True)
        self._line(
            form, "retakes_percent", tr("Rendered again, of 100 minutes"), tr("retakes and auditions"), narrow=True
        )
        self._line(form, "seats", tr("People with a seat"), tr("for plans by the seat"), narrow=True)
        self._line(
            form,
            "hours_per_month",
            tr("Hours of people a month"),
            tr("at the engine, retakes included"),
            narrow=True,
        )
        self._line(form, "hourly_rate", tr("An hour of theirs costs"), tr("empty: not counted"), narrow=True)
        self._line(
            form, "rates", tr("Exchange rates"), tr("such as USD 0.92 2026-11-02 the bank; several are parted by |")
        )
        self._line(
            form, "line_en", tr("Audition line"), tr("your own line, read by every voice; several are parted by |")
        )
        self._line(form, "line_other", tr("Audition line, second language"), tr("the same for the second language"))
        self._musts: dict[str, QCheckBox] = {}
        musts = QWidget()
        column = QGridLayout(musts)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for place, (name, words) in enumerate(MUST_HAVES.items()):
            box = QCheckBox(words)
            box.clicked.connect(self._save)
            column.addWidget(box, place // 2, place % 2)
            self._musts[name] = box
        form.addRow(tr("Must-haves"), musts)
        self.doors = self._make_doors()
        self.body.addWidget(self.doors)
        holder = QWidget()
        holder.setMaximumWidth(theme.px(760))
        holder.setLayout(form)
        self.body.addWidget(holder)
        self._volume, self._problem = label("", "quiet"), label("", "bad", wrap=True)
        self.body.addWidget(self._volume)
        self.body.addWidget(self._problem)
        self.body.addStretch(1)

    def _make_doors(self) -> QFrame:
        """Shown while the project is empty: write the brief, or begin elsewhere."""
        doors = QFrame()
        doors.setObjectName("doors")
        column = QVBoxLayout(doors)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(label(tr("Three ways to begin"), "strong"))
        row = QHBoxLayout()
        for words, what, call in (
            (
                tr("Write the brief"),
                tr("Below: a channel's name and languages are enough to go on."),
                lambda: self._fields["channel"].setFocus(),
            ),
            (
                tr("Open the demo"),
                tr("A finished bench to look around in; it fills while you watch."),
                self.demo_wanted.emit,
            ),
            (tr("Open a project …"), tr("One that was made before."), self.open_wanted.emit),
        ):
            one = QVBoxLayout()
            one.addWidget(button(words, call))
            one.addWidget(label(what, "small", wrap=True))
            row.addLayout(one, 1)
        column.addLayout(row)
        self._lately = QHBoxLayout()
        column.addLayout(self._lately)
        return doors

    def _show_doors(self) -> None:
        bench = self.state.bench
        fresh = not bench.candidates and not bench.passages
        self.doors.setVisible(fresh)
        if not fresh:
            return
        while (item := self._lately.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        others = [folder for folder in recent() if folder != self.state.project.folder.absolute()]
        if others:
            self._lately.addWidget(label(tr("Opened lately:"), "quiet"))
            for folder in others[:4]:
                self._lately.addWidget(button(folder.stem, partial(self.lately_wanted.emit, folder), role="link"))
            self._lately.addStretch(1)

    def _line(self, form: QFormLayout, name: str, title: str, hint: str, *, narrow: bool = False) -> None:
        field = QLineEdit()
        field.setPlaceholderText(hint)
        if narrow:
            field.setMaximumWidth(theme.px(190))
        field.editingFinished.connect(self._save)
        self._fields[name] = field
        form.addRow(title, field)

    def field(self, name: str) -> QLineEdit:
        return self._fields[name]

    def refresh(self) -> None:
        self._show_doors()
        brief = self.state.project.brief
        values = {
            "channel": brief.channel,
            "about": brief.about,
            "languages": ", ".join(brief.languages),
            "accent": brief.accent,
            "audience": brief.audience,
            "currency": brief.currency,
            "episode_minutes": _shown(brief.episode_minutes),
            "minutes_in_months": months_in_words(brief.minutes_in_months),
            "budget_per_month": _shown(brief.budget_per_month),
            "longest_wait_s": _shown(brief.longest_wait_s),
            "equal_within": _shown(brief.equal_within),
            "human_price_per_minute": _shown(brief.human_price_per_minute),
            "one_off_months": "" if brief.one_off_months is None else str(brief.one_off_months),
            "retakes_percent": _shown(brief.retakes_percent) if brief.retakes_percent else "",
            "seats": str(brief.seats) if brief.seats > 1 else "",
            "hours_per_month": _shown(brief.hours_per_month) if brief.hours_per_month else "",
            "hourly_rate": _shown(brief.hourly_rate),
            "rates": rates_in_words(brief.exchange_rates),
            "line_en": _on_one_line(brief.audition_line(brief.languages[0])) if brief.languages else "",
            "line_other": _on_one_line(brief.audition_line(brief.languages[1])) if len(brief.languages) > 1 else "",
        }
        for name, text in values.items():
            self._fields[name].setText(text)
        self._fields["line_other"].setEnabled(len(brief.languages) > 1)
        self.episodes.setValue(brief.episodes_per_month)
        self.days.setValue(brief.days_of_work)
        for name, box in self._musts.items():
            box.setChecked(name in brief.must_haves)
        minutes = brief.minutes_per_month
        uneven = tr(", in the mean of the year") if brief.minutes_in_months else ""
        self._volume.setText(
            tr(
                "{shown} finished minutes a month{uneven}, about {minutes} characters (1,000 a minute assumed; "
                "each candidate's own pace is used once it is measured).",
                shown=_shown(minutes),
                uneven=uneven,
                minutes=f"{minutes * 1000:,.0f}",
            )
        )

    def _save(self) -> None:
        before = self.state.project.brief
        text = {name: field.text().strip() for name, field in self._fields.items()}
        languages = [part.strip() for part in text["languages"].replace(";", ",").split(",") if part.strip()]
        lines = dict(before.audition_lines)
        for tag, name in zip(languages, ("line_en", "line_other"), strict=False):
            if text[name] != _on_one_line(before.audition_line(tag)):
                lines[tag] = "\n".join(part.strip() for part in text[name].split("|") if part.strip())
        values: dict[str, Any] = {
            **before.model_dump(),
            **{k: text[k] for k in ("channel", "about", "accent", "audience")},
            "audition_lines": lines,
            "episodes_per_month": self.episodes.value(),
            "days_of_work": self.days.value(),
            "must_haves": [name for name, box in self._musts.items() if box.isChecked()],
        }
        try:
            values["languages"] = [
                tag if tag in before.languages else typed_language(tag) for tag in languages
            ]  # what an earlier version let pass stays
            values["currency"] = before.currency if text["currency"] == before.currency else typed_currency(
                text["currency"])  # fmt: skip
            values["episode_minutes"] = _number(text["episode_minutes"], tr("Minutes an episode")) or Decimal(0)
            values["minutes_in_months"] = typed_months(text["minutes_in_months"], tr("Other months"))
            values["budget_per_month"] = _number(text["budget_per_month"], tr("The budget"))
            values["longest_wait_s"] = _number(text["longest_wait_s"], tr("The longest wait"))
            values["equal_within"] = _number(text["equal_within"], tr("Equal within")) or before.equal_within
            values["human_price_per_minute"] = _number(text["human_price_per_minute"], tr("The human price"))
            values["one_off_months"] = _whole(text["one_off_months"], tr("The months of one-off purchases"))
            values["retakes_percent"] = _number(text["retakes_percent"], tr("Rendered again")) or Decimal(0)
            values["seats"] = _whole(text["seats"], tr("People with a seat")) or 1
            values["hours_per_month"] = _number(text["hours_per_month"], tr("Hours of people")) or Decimal(0)
            values["hourly_rate"] = _number(text["hourly_rate"], tr("An hour of theirs"))
            values["exchange_rates"] = rates_from_words(text["rates"], values["currency"])
            brief = Brief.model_validate(values)
        except ValidationError as error:
            first = error.errors()[0]
            self._say(
                tr(
                    "{capitalize}: {first}. Nothing was changed.",
                    capitalize=str(first["loc"][0]).replace("_", " ").capitalize(),
                    first=first["msg"],
                )
            )
            return
        except InputError as error:
            self._say(str(error))
            return
        self._say("")
        if brief != before:
            self.state.project.set_brief(brief)
            self.state.refresh()

    def _say(self, text: str) -> None:
        self._problem.setText(text)
        set_role(self._problem, "bad")


def _shown(value: Decimal | None) -> str:
    return "" if value is None else f"{value.normalize():f}"


def _number(text: str, what: str) -> Decimal | None:
    return typed_number(text, what, least=0) if text else None


def _whole(text: str, what: str) -> int | None:
    return typed_whole(text, what, least=1) if text else None


def _on_one_line(lines: str) -> str:
    """Several lines of one's own, parted by a bar, as the field shows them."""
    return " | ".join(line for line in lines.split("\n") if line.strip())
