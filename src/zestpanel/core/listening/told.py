"""What is said to a listener, in the first of their languages that there are words in, else in English."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import cache
from importlib import resources
from typing import Any, Final

import yaml

from zestpanel.core.listening import words as _words
from zestpanel.core.listening.kind import Question, Shown
from zestpanel.core.texts import table

FALLBACK: Final = "en"


@cache
def languages() -> tuple[str, ...]:
    """Languages that there are words in, by their files."""
    found = resources.files(_words).iterdir()
    return tuple(sorted(one.name.removesuffix(".yaml") for one in found if one.name.endswith(".yaml")))


@cache
def _file(language: str) -> Mapping[str, Any]:
    read: Mapping[str, Any] = yaml.safe_load(resources.files(_words).joinpath(f"{language}.yaml").read_text("utf-8"))
    return read


class Told:
    """Words to a listener. speaks: their languages, the best first."""

    def __init__(self, speaks: Iterable[str] = ()) -> None:
        known = [tag.split("-")[0].lower() for tag in speaks]
        self.language = next((one for one in known if one in languages()), FALLBACK)

    def say(self, name: str, **values: object) -> str:
        return self.raw(name).format(**values)

    def raw(self, name: str) -> str:
        """With its places in braces."""
        return str(_file(self.language).get(name) or _file(FALLBACK)[name]).strip()

    def tr(self, english: str, **values: object) -> str:
        """A text of the program in their language, the places in braces filled in: what is asked, its answers, the
        booth's own words. Other texts, such as a question of the lead's own, as they stand."""
        said = _file(self.language).get("words", {}).get(english) or table(self.language).gettext(english)
        return str(said).format(**values) if values else str(said)

    def shown(self, shown: Shown) -> Shown:
        """A trial with its words in their language."""

        def question(one: Question) -> Question:
            choices = tuple(replace(choice, words=self._tr(choice.words)) for choice in one.choices)
            return replace(one, words=self._tr(one.words), choices=choices, bands=tuple(map(self._tr, one.bands)))

        lanes = tuple(replace(lane, name=self._tr(lane.name)) for lane in shown.lanes)
        return replace(shown, lanes=lanes, questions=tuple(map(question, shown.questions)))

    def _tr(self, english: str) -> str:
        return self.tr(english) if english else ""

    def instructions(self, kind: str) -> list[str]:
        """Paragraphs before the first trial; a kind without words of its own has the general ones."""
        of_kind = _file(self.language)["kinds"].get(kind) or _file(FALLBACK)["kinds"].get(kind, "")
        return [one for one in (str(of_kind).strip(), self.say("general"), self.say("keys")) if one]
