"""Plain words: one spelling for what sounds alike, so that both sides of a comparison are written in one way."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping
from functools import cache
from importlib import resources
from itertools import product
from typing import Any, Final

import yaml

Reading = tuple[str, ...]

LANGUAGES: Final = ("en", "fr", "es", "de", "it", "pt")
MOST_READINGS: Final = 48  # of one place in a text
_PLAIN: Final = re.compile(r"[^\W_]+(?:'[^\W_]+)*'?")
# spellings of one word; the unit words because CLDR writes them by country
_ALIKE: Final = {
    "en": {
        "metre": "meter", "metres": "meters", "litre": "liter", "litres": "liters", "grey": "gray", "colour": "color",
        "colours": "colors", "favourite": "favorite", "centre": "center", "theatre": "theater", "harbour": "harbor",
        "tonne": "ton", "tonnes": "tons", "gramme": "gram", "grammes": "grams", "programme": "program",
        "plough": "plow", "mould": "mold", "neighbour": "neighbor", "neighbours": "neighbors", "labour": "labor",
        "flavour": "flavor", "flavours": "flavors", "okay": "ok", "alright": "all right", "nought": "zero",
        "naught": "zero", "oh": "zero", "o": "zero", "ok": "ok",
    }
}  # fmt: skip
_PREFIXED: Final = re.compile(r"(kilo|centi|milli|deci|hecto|micro)(metre|litre|gramme)(s?)")


@cache
def spoken(language: str) -> Mapping[str, Any]:
    """The table of a language (spoken.yaml); the empty one for others."""
    text = (resources.files("zestpanel.core.measures.readings") / "spoken.yaml").read_text("utf-8")
    table: Mapping[str, Any] = yaml.safe_load(text).get(language, {})
    return table


def ways(text: str) -> list[Reading]:
    """'to|through|' -> ('to',), ('through',), (), as words are compared: without case."""
    return [tuple(way.split()) for way in text.casefold().split("|")]


def usual_way(text: str) -> str:
    """The first of several ways, as it is written."""
    return text.split("|")[0]


def primary(language: str) -> str:
    return language.split("-")[0].lower()


def plain(text: str, language: str) -> Reading:
    """Words of a text that has no figures or signs any more: folded case, no punctuation, hyphens part words."""
    folded = unicodedata.normalize("NFKC", text).casefold()
    folded = re.sub(r"[’ʼ‘`´]", "'", folded).replace("\u00ad", "")
    words = [word.strip("'") if primary(language) != "fr" else word for word in _PLAIN.findall(folded)]
    return alike((word for word in words if word), language)


def alike(words: Iterable[str], language: str) -> Reading:
    """One spelling for words that are written in several ways and sound the same."""
    table = _ALIKE.get(primary(language), {})
    out: list[str] = []
    for word in words:
        if (found := _PREFIXED.fullmatch(word)) and primary(language) == "en":
            word = found[1] + {"metre": "meter", "litre": "liter", "gramme": "gram"}[found[2]] + found[3]
        out += table.get(word, word).split()
    text = " ".join(out)
    if primary(language) == "en":
        text = re.sub(r"\bper cent\b", "percent", text)
    return tuple(text.split())


def joined(*parts: Iterable[Reading]) -> list[Reading]:
    """Every reading made of one of each part, in order; at most MOST_READINGS."""
    out: list[Reading] = []
    for chosen in product(*parts):
        out.append(tuple(word for reading in chosen for word in reading))
        if len(out) == MOST_READINGS:
            break
    return list(dict.fromkeys(out))
