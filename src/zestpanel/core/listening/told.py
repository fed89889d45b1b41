"""What is said to a listener, in the first of their languages that there are words in, else in English."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cache
from importlib import resources
from typing import Any, Final

import yaml

from zestpanel.core.listening import words as _words

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
        words = _file(self.language).get(name) or _file(FALLBACK)[name]
        return str(words).strip().format(**values)

    def instructions(self, kind: str) -> list[str]:
        """Paragraphs before the first trial; a kind without words of its own has the general ones."""
        of_kind = _file(self.language)["kinds"].get(kind) or _file(FALLBACK)["kinds"].get(kind, "")
        return [one for one in (str(of_kind).strip(), self.say("general"), self.say("keys")) if one]
