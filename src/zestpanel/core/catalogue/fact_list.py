"""The facts the catalogue knows, each declared once: what it is about, how its value is read, whether it can be a gate.

A fact that nobody states is unknown; it is never taken as a no.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, ConfigDict, WithJsonSchema, field_validator

from zestpanel.core.texts import tr

About = Literal["engine", "model", "plan", "voice"]
Kind = Literal["yes or no", "number", "words", "list"]


@dataclass(frozen=True, slots=True, kw_only=True)
class FactKind:
    """gate: may be a must-have (yes or no only). ages: a reminder is due when its date is old."""

    name: str
    about: About
    kind: Kind = "yes or no"
    unit: str = ""
    hint: str = ""
    gate: bool = False
    ages: bool = False


def _facts(about: About, *parts: tuple[str, Kind, str, str]) -> list[FactKind]:
    """parts: (name, kind, unit, hint). A hint that begins with '*' marks a gate, with '~' a fact that ages."""
    return [
        FactKind(name=name, about=about, kind=kind, unit=unit, hint=hint.lstrip("*~"),
                 gate=hint.startswith("*"), ages=hint.lstrip("*").startswith("~"))
        for name, kind, unit, hint in parts
    ]  # fmt: skip


FACTS: Final[tuple[FactKind, ...]] = tuple(
    _facts(
        "engine",
        ("open", "yes or no", "", tr("code and weights are published; otherwise it is proprietary")),
        ("streams", "yes or no", "", tr("*sound comes while it is still being made")),
        ("sample rates", "list", "Hz", tr("rates it returns")),
        ("formats", "list", "", tr("kinds of sound file it returns")),
        ("largest text", "number", "characters", tr("~in one request")),
        ("requests at once", "number", "", tr("~how many may be under way together")),
        ("requests a minute", "number", "", "~"),
        ("keeps no data", "yes or no", "", tr("*texts and sound are not kept by the vendor")),
        ("data kept", "words", "", tr("what is kept, where and how long")),
        ("needs an account", "yes or no", "", "entry friction"),
        ("needs a card", "yes or no", "", "entry friction"),
        ("asks questions first", "yes or no", "", "entry friction"),
        ("trial", "yes or no", "", tr("it can be heard on own text before anything is bought")),
        ("own voices", "number", "", tr("~how many voices of one's own it keeps")),
        ("own voices are kept apart", "yes or no", "", tr("nobody else can use a voice made here")),
        ("known words only", "number", "words", tr("own voices know only so many words and make up the rest")),
        ("voices from recordings", "yes or no", "", ""),
        ("voices from a description", "yes or no", "", ""),
        ("pitch", "yes or no", "", tr("can be set")),
        ("rate", "yes or no", "", tr("can be set")),
        ("volume", "yes or no", "", tr("can be set")),
        ("several speakers", "yes or no", "", tr("in one text")),
        ("books", "yes or no", "", tr("takes a whole chapter and returns one file")),
        ("several accounts forbidden", "yes or no", "", tr("a bench must not lean on several accounts")),
        ("support", "words", "", tr("how fast and how good answers are")),
        ("updates", "words", "", tr("how often it changes")),
        ("broken", "words", "", tr("beta or broken features, which do not count as present")),
        ("documentation", "words", "", tr("the address of the good one")),
        ("terms", "words", "", tr("the address of the terms")),
    )
    + _facts(
        "model",
        ("licence of code", "words", "", ""),
        ("licence of weights", "words", "", ""),
        ("training data", "words", "", tr("what it was trained on, as far as the maker says")),
        ("disk", "number", "MB", tr("space its files take")),
        ("memory", "number", "MB", tr("memory it needs")),
        ("video memory", "number", "MB", tr("memory of the accelerator it needs")),
        ("needs an accelerator", "yes or no", "", ""),
        ("offline", "yes or no", "", tr("*works without a network")),
        ("needs a file", "words", "", tr("a file that must be there, such as its weights")),
        ("needs a program", "words", "", tr("a program that must be installed")),
    )
    + _facts(
        "plan",
        ("commercial use", "yes or no", "", "*"),
        ("download", "yes or no", "", tr("*the sound may be downloaded and kept")),
        ("no watermark", "yes or no", "", "*"),
        ("no attribution", "yes or no", "", tr("*no credit line is demanded")),
        ("platforms excluded", "list", "", tr("where the sound may not be published")),
        ("term", "words", "", tr("how long the rights last")),
        ("users", "number", "", tr("people who may work with it")),
    )
    + _facts(
        "voice",
        ("made from", "words", "", tr("a recording, a design, or stock")),
        ("consent", "words", "", tr("who agreed to what, where the voice was made from a person")),
        ("well-known person", "yes or no", "", tr("imitates somebody or a character: cannot be chosen")),
        ("popularity", "words", "", tr("for information only")),
    )
)  # fmt: skip

BY_NAME: Final = {(fact.about, fact.name): fact for fact in FACTS}


class Statement(BaseModel):
    """What one source says of one fact, and when."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    value: str | int | float | bool | tuple[str | int, ...]
    source: str = ""
    dated: date | None = None

    @property
    def words(self) -> str:
        if isinstance(self.value, bool):
            return "yes" if self.value else "no"
        if isinstance(self.value, tuple):
            return ", ".join(f"{part:,}" if isinstance(part, int) else part for part in self.value)
        return f"{self.value:,}" if isinstance(self.value, int | float) else self.value


def read_facts(about: About, given: Any) -> Any:
    """Facts as a file writes them (a value, a statement, or several statements) to statements, checked by kind."""
    if not isinstance(given, dict):
        return given
    out: dict[str, list[dict[str, Any]]] = {}
    for name, what in given.items():
        kind = BY_NAME.get((about, str(name)))
        if kind is None:
            known = ", ".join(fact.name for fact in FACTS if fact.about == about)
            raise ValueError(
                tr(
                    "'{name}' is no fact of {x} {about}; known: {known}",
                    name=name,
                    x="an" if about == "engine" else "a",
                    about=about,
                    known=known,
                )
            )
        several = (isinstance(what, list) and kind.kind != "list") or (
            isinstance(what, list) and bool(what) and isinstance(what[0], dict)
        )  # fmt: skip
        out[name] = [_checked(kind, one) for one in (what if several else [what])]
    return out


def _checked(kind: FactKind, given: Any) -> dict[str, Any]:
    statement = dict(given) if isinstance(given, dict) else {"value": given}
    value = statement.get("value")
    if kind.kind == "yes or no":
        value = {"yes": True, "no": False}.get(value, value) if isinstance(value, str) else value
        if value == "unknown":
            raise ValueError(tr("'{name}': leave out what is unknown", name=kind.name))
        if not isinstance(value, bool):
            raise ValueError(tr("'{name}' is yes or no", name=kind.name))
    elif kind.kind == "number" and (isinstance(value, bool) or not isinstance(value, int | float)):
        raise ValueError(tr("'{name}' is a number", name=kind.name))
    elif kind.kind == "list":
        value = value if isinstance(value, list | tuple) else [value]
    elif kind.kind == "words" and not isinstance(value, str):
        value = str(value)
    return {**statement, "value": value}


_STATED: Final = {
    "anyOf": [{"type": ["string", "number", "boolean", "array"]},
              {"type": "object", "required": ["value"], "properties": {"value": {}, "source": {"type": "string"},
               "dated": {"type": ["string", "null"]}}, "additionalProperties": False}]
}  # fmt: skip
# as files write them: a value, a statement with its source and date, or a list of statements
Facts = Annotated[dict[str, tuple[Statement, ...]], WithJsonSchema({"type": "object", "additionalProperties": _STATED})]


class HasFacts(BaseModel):
    """A thing of the catalogue that facts can be stated about. Subclasses say what it is."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    facts: Facts = {}

    @field_validator("facts", mode="before")
    @classmethod
    def _read(cls, value: Any) -> Any:
        return read_facts(cls.about(), value)

    @classmethod
    def about(cls) -> About:
        raise NotImplementedError
