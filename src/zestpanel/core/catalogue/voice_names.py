"""Voices whose ids are coded: 'en-GB_hesk_F' says language, name and gender, as the connector file declares it."""

from __future__ import annotations

import re
from functools import cached_property
from typing import Any, Final

from pydantic import Field, field_validator

from zestpanel.core.catalogue.reaching import VOICE_FIELDS, Stated
from zestpanel.core.texts import tr

LONGEST_ID: Final = 200
_PLACE: Final = re.compile(r"\{([a-z_]+)\}")
_LANGUAGE: Final = r"[A-Za-z]{2,3}(?:[-_][A-Za-z]{2}|[-_][0-9]{3})?"
_LISTS: Final = ("languages", "styles", "character", "models")
_NAMES: Final = {"language": "languages", "style": "styles"}  # one of each stands in an id


class VoiceNames(Stated):
    """pattern: '{language}_{name}_{gender}', every place followed by a character that it does not hold itself. values:
    field to {their word: ours}. What a file or a service states of a voice otherwise stands before it."""

    pattern: str = Field(min_length=3, max_length=200)
    values: dict[str, dict[str, str]] = Field(default_factory=dict)

    @field_validator("pattern")
    @classmethod
    def _places_known(cls, pattern: str) -> str:
        names = _PLACE.findall(pattern)
        if not names:
            raise ValueError(tr("the pattern has no {place}"))
        known = (VOICE_FIELDS | set(_NAMES) | {"skip"}) - {"id", "languages"}
        if odd := next((name for name in names if name not in known), ""):
            raise ValueError(tr("a voice has no '{odd}'; places are {known}", odd=odd, known=", ".join(sorted(known))))
        if "}{" in pattern:
            raise ValueError(tr("two places need a character between them"))
        return pattern

    @cached_property
    def _expression(self) -> re.Pattern[str]:
        """Each place takes what lies before the next character of the pattern: linear, whatever the id."""
        out, at = [], 0
        for number, place in enumerate(_PLACE.finditer(self.pattern)):
            out.append(re.escape(self.pattern[at : place.start()]))
            at = place.end()
            follows = self.pattern[at : at + 1]
            kind = _LANGUAGE if place[1] == "language" else f"[^{re.escape(follows)}]+" if follows else ".+"
            out.append(f"(?P<p{number}>{kind})")
        return re.compile("".join([*out, re.escape(self.pattern[at:])]))

    def decoded(self, voice_id: str) -> dict[str, Any]:
        """What the id says, by field; nothing where it does not follow the pattern."""
        match = self._expression.fullmatch(voice_id) if len(voice_id) <= LONGEST_ID else None
        if match is None:
            return {}
        found: dict[str, Any] = {}
        for number, place in enumerate(_PLACE.findall(self.pattern)):
            if place == "skip":
                continue
            field = _NAMES.get(place, place)
            word = self.values.get(place, self.values.get(field, {})).get(match[f"p{number}"], match[f"p{number}"])
            word = word.replace("_", "-") if field == "languages" else word
            found[field] = [word] if field in _LISTS else word
        return found

    def completed(self, voice: Any) -> Any:
        """A voice as a file or a service states it, a bare id too, with what its id says of the rest."""
        stated = {"id": voice} if isinstance(voice, str) else voice
        if not isinstance(stated, dict) or not isinstance(stated.get("id"), str):
            return voice
        said = {name: value for name, value in stated.items() if value not in (None, "", [])}
        return {**self.decoded(stated["id"]), **said}
