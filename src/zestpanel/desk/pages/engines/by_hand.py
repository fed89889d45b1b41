"""What a person states of an engine, entered where it is seen: about it, limits, models, voices, claims, rankings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final, Literal

from PyQt6.QtWidgets import QComboBox, QLineEdit, QWidget

from zestpanel.core.catalogue.by_hand import LISTED, ByHand, entry_of, limits_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.outside import MEASURED
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_date, typed_number, typed_whole
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button

What = Literal["about", "limits", "models", "voices", "claims", "outside"]


@dataclass(frozen=True, slots=True)
class Field:
    """name: of the model's field. kind: how what is typed is read."""

    name: str
    words: str
    kind: Literal["text", "whole", "number", "date", "list", "choice"] = "text"
    hint: str = ""
    choices: tuple[str, ...] = ()


TITLES: Final[dict[What, str]] = {
    "about": tr("About the engine"),
    "limits": tr("Limits"),
    "models": tr("A model"),
    "voices": tr("A voice"),
    "claims": tr("A claim"),
    "outside": tr("A place in a ranking"),
}
_SOURCE: Final = (
    Field("source", tr("Source"), hint=tr("who says so, and where")),
    Field("dated", "Of", "date", "2026-11-25"),
    Field("interest", tr("What they gain by it"), hint=tr("such as: sells it")),
)
FORMS: Final[dict[What, tuple[Field, ...]]] = {
    "about": (
        Field("vendor", tr("Vendor")),
        Field("link", tr("Described at"), hint=tr("a link or the name of a document")),
        Field("recommended_by", tr("Recommended by")),
        Field("found", tr("Found on"), "date", "2026-11-25"),
        Field("note", tr("Note")),
    ),
    "limits": (
        Field("characters_per_request", tr("Characters a request, at most"), "whole"),
        Field("requests_at_once", tr("Requests at once"), "whole"),
        Field("requests_per_minute", tr("Requests a minute"), "whole"),
        *_SOURCE[:2],
    ),
    "models": (
        Field("id", tr("Name towards the engine")),
        Field("name", tr("Name")),
        Field("version", tr("Version")),
        Field("released", tr("Released on"), "date", "2026-11-25"),
    ),
    "voices": (
        Field("id", tr("Name towards the engine")),
        Field("name", tr("Name")),
        Field("languages", tr("Languages"), "list", tr("en-GB, fr-FR")),
        Field("gender", tr("Gender")),
        Field("age", tr("Age")),
        Field("tier", tr("Unlocked by the tier"), hint=tr("empty: by every plan")),
        Field("styles", tr("Styles"), "list", tr("calm, news")),
        Field("character", tr("Character"), "list", tr("warm, clear")),
        Field("grade", tr("The vendor's grade")),
    ),
    "claims": (
        Field("says", tr("What is claimed")),
        Field("about", tr("Our figure that answers it"), "choice", choices=("", *MEASURED)),
        Field("at_most", tr("at most"), "number"),
        Field("at_least", tr("at least"), "number"),
        *_SOURCE,
    ),
    "outside": (
        Field("board", tr("Ranking")),
        Field("rank", tr("Place"), "whole"),
        Field("of", tr("of so many"), "whole"),
        Field("votes", tr("Votes"), "whole"),
        Field("basis", tr("What it rests on")),
        *_SOURCE,
    ),
}


class ByHandDialog(FormDialog):
    """at: which of those entered before is changed; None for a new one. start: values to begin with."""

    def __init__(
        self, parent: QWidget, state: DeskState, engine: Engine, what: What, done: Callable[[], None],
        at: int | None = None,
    ) -> None:  # fmt: skip
        super().__init__(
            parent, f"{TITLES[what]}: {engine.engine}", tr("Kept beside the file, which stays as it is."), done
        )
        self._state, self._engine, self._what, self._at = state, engine, what, at
        self._stated = state.project.shortlist.by_hand(engine.engine)
        now = self._now()
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        for one in FORMS[what]:
            self.fields[one.name] = self._field(one, now.get(one.name))
            self.form.addRow(one.words, self.fields[one.name])
        if at is not None:
            self.form.addRow(button(tr("Remove it"), self._remove, role="link"))

    def _now(self) -> dict[str, Any]:
        if self._what == "about":
            return self._stated.model_dump()
        if self._what == "limits":
            return self._stated.limits.model_dump(exclude_unset=True) if self._stated.limits else {}
        if self._at is None:
            return {}
        shown: dict[str, Any] = getattr(self._stated, self._what)[self._at].model_dump()
        return shown

    @staticmethod
    def _field(one: Field, now: Any) -> QLineEdit | QComboBox:
        if one.kind == "choice":
            box = QComboBox()
            for choice in one.choices:
                box.addItem(choice or tr("none"), choice)
            box.setCurrentIndex(max(0, box.findData(now)))
            return box
        text = ", ".join(now) if isinstance(now, tuple | list) else "" if now is None else str(now)
        edit = QLineEdit(text)
        edit.setPlaceholderText(one.hint)
        return edit

    def _typed(self) -> dict[str, Any]:
        """Values of the fields that something stands in. Raises InputError."""
        out: dict[str, Any] = {}
        for one in FORMS[self._what]:
            field = self.fields[one.name]
            text = field.currentData() if isinstance(field, QComboBox) else field.text().strip()
            if text:
                out[one.name] = _read(one, text)
        return out

    def keep(self) -> bool:
        values, stated = self._typed(), self._stated
        if self._what == "about":
            blank = {one.name: None if one.kind == "date" else "" for one in FORMS["about"]}
            after = stated.model_copy(update={**blank, **values})
        elif self._what == "limits":
            after = stated.model_copy(update={"limits": limits_of(values) if values else None})
        else:
            entry = entry_of(self._what, values)
            entries = list(getattr(stated, self._what))
            if self._what in ("models", "voices") and any(
                one.id == entry.id for k, one in enumerate(entries) if k != self._at
            ):
                raise InputError(tr("'{id}' was entered before.", id=entry.id), kept=tr("Nothing was changed."))
            if self._at is None:
                entries.append(entry)
            else:
                entries[self._at] = entry
            after = stated.model_copy(update={self._what: tuple(entries)})
        return self._put(after)

    def _remove(self) -> None:
        assert self._at is not None
        entries = [one for k, one in enumerate(getattr(self._stated, self._what)) if k != self._at]
        if self._put(self._stated.model_copy(update={self._what: tuple(entries)})):
            self.accept()
            self._done()

    def _put(self, after: ByHand) -> bool:
        return put(self._state, self._engine.engine, self._stated, after, TITLES[self._what].lower())


def put(state: DeskState, engine: str, before: ByHand, after: ByHand, words: str) -> bool:
    """Keep what is stated of an engine, with undo."""
    shortlist = state.project.shortlist
    return state.edit(
        tr("{words} of {engine}", words=words, engine=engine),
        lambda: shortlist.put_by_hand(engine, after),
        lambda: shortlist.put_by_hand(engine, before),
    )


def _read(one: Field, text: str) -> Any:
    match one.kind:
        case "whole":
            return typed_whole(text, one.words, least=0)
        case "number":
            return float(typed_number(text, one.words))
        case "date":
            return typed_date(text, one.words)
        case "list":
            return tuple(part.strip() for part in text.split(",") if part.strip())
        case _:
            return text


def rows_of(stated: ByHand) -> list[tuple[What, int | None, str, str]]:
    """(what, which of them, a name, the rest) of all that was entered, for a table."""
    out: list[tuple[What, int | None, str, str]] = []
    about = [f"{one.words}: {value}" for one in FORMS["about"] if (value := getattr(stated, one.name))]
    if about:
        out.append(("about", None, tr("About the engine"), "; ".join(about)))
    if stated.limits is not None:
        said = stated.limits.model_dump(exclude_unset=True)
        words = [f"{one.words}: {said[one.name]}" for one in FORMS["limits"] if said.get(one.name)]
        out.append(("limits", None, tr("Limits"), "; ".join(words)))
    for what in LISTED:
        for k, entry in enumerate(getattr(stated, what)):
            first, *others = FORMS[what]
            values = [f"{one.words}: {_said(value)}" for one in others if (value := getattr(entry, one.name))]
            out.append((what, k, f"{TITLES[what]}: {getattr(entry, first.name)}", "; ".join(values)))
    return out


def _said(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, tuple) else str(value)
