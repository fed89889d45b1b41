"""Browsing voices: text search, facets with counts, sort; quick enough for tens of thousands at every key press."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.languages import language_name, locale_name
from zestpanel.core.texts import tr, trn, word
from zestpanel.core.waiting import stand_aside

Mask = NDArray[np.bool_]


@dataclass(frozen=True, slots=True, kw_only=True)
class EngineTraits:
    """What is the same for all voices of an engine, worked out once. rights: commercial use under its best plan."""

    engine: Engine
    hosted: str
    rights: str
    price_band: str
    unlocked_tiers: frozenset[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class VoiceRow:
    """A voice with its engine; cells are what the table shows, words all that the search looks through."""

    traits: EngineTraits
    voice: Voice
    cells: tuple[str, ...]
    words: str
    favourite: bool

    @property
    def engine(self) -> Engine:
        return self.traits.engine

    @property
    def locked(self) -> bool:
        """No plan that can be bought unlocks it; it can still be auditioned where a trial allows."""
        return bool(self.voice.tier) and self.voice.tier not in self.traits.unlocked_tiers


def _regions(row: VoiceRow) -> tuple[str, ...]:
    return tuple(dict.fromkeys(locale_name(tag) for tag in row.voice.languages if "-" in tag))


FACETS: Final[dict[str, Callable[[VoiceRow], tuple[str, ...]]]] = {
    "language": lambda row: tuple(dict.fromkeys(language_name(tag) for tag in row.voice.languages)),
    "accent": _regions,
    "gender": lambda row: (row.voice.gender,),
    "age": lambda row: (row.voice.age,),
    "style": lambda row: row.voice.styles or (tr("none listed"),),
    "engine": lambda row: (row.engine.engine,),
    "reached": lambda row: (row.traits.hosted,),
    "tier": lambda row: (
        tr("{tier} (locked)", tier=row.voice.tier) if row.locked else row.voice.tier or tr("all plans"),
    ),
    "unlocked": lambda row: ("locked" if row.locked else tr("by a plan that can be bought"),),
    "commercial use": lambda row: (row.traits.rights,),
    "1,000 characters": lambda row: (row.traits.price_band,),
    "marked": lambda row: ("favourite",) if row.favourite else (tr("not marked"),),
}
COLUMNS: Final = (
    "",
    " ",
    "Voice",
    tr("Engine"),
    tr("Language"),
    tr("Speaker"),
    tr("Character"),
    tr("Styles"),
    tr("Tier"),
    "Grade",
)


@dataclass(frozen=True, slots=True)
class FacetValue:
    value: str
    count: int
    chosen: bool


@dataclass(slots=True)
class Wanted:
    """What is asked for: words that must all occur, and per facet the values of which one must hold."""

    text: str = ""
    facets: dict[str, frozenset[str]] = field(default_factory=dict)
    column: int = COLUMNS.index("Voice")
    descending: bool = False


def make_rows(
    traits: Sequence[EngineTraits],
    shortlisted: Mapping[tuple[str, str], int],
    notes: Mapping[tuple[str, str], tuple[bool, str]],
) -> list[VoiceRow]:
    """Rows for all voices. notes: (favourite, tags and words) by engine and voice."""
    rows = []
    for one in traits:
        name = one.engine.engine
        for voice in one.engine.voices:
            stand_aside()
            favourite, said = notes.get((name, voice.id), (False, ""))
            count = shortlisted.get((name, voice.id), 0)
            locked = bool(voice.tier) and voice.tier not in one.unlocked_tiers
            made = {"recorded": tr("from a recording"), "described": tr("from a description")}.get(voice.made, "")
            cells = (
                "★" if favourite else "",
                f"×{count}" if count else "",
                voice.label,
                name,
                "; ".join(map(locale_name, voice.languages)),
                ", ".join(word(part) for part in (voice.gender, voice.age) if part != "unknown") or word("unknown"),
                ", ".join(dict.fromkeys(
                    part for part in (made, *voice.character, *said.split(", "))
                    if part)),
                ", ".join(voice.styles) or "–",
                (tr("{tier}, locked", tier=voice.tier) if locked else voice.tier) or word("all"),
                voice.grade,
            )  # fmt: skip
            words = " ".join((*cells, voice.id, *voice.languages)).casefold()
            rows.append(VoiceRow(traits=one, voice=voice, cells=cells, words=words, favourite=favourite))
    return rows


class VoiceIndex:
    """All rows with what is needed to find among them. ``find`` gives row numbers in the order shown."""

    def __init__(self, rows: Sequence[VoiceRow]) -> None:
        self.rows = list(rows)
        self._masks: dict[str, dict[str, Mask]] = {}
        for name, of in FACETS.items():
            numbers: dict[str, list[int]] = {}
            for i, row in enumerate(self.rows):
                for value in of(row):
                    numbers.setdefault(value, []).append(i)
            self._masks[name] = {value: self._mask(found) for value, found in numbers.items()}
        self._orders: dict[int, NDArray[np.intp]] = {}
        self._words = [row.words for row in self.rows]
        self._text: tuple[str, Mask] = ("", np.ones(len(self.rows), dtype=bool))
        self._genders = np.array([row.voice.gender for row in self.rows], dtype=object)
        self._locked = np.array([row.locked for row in self.rows], dtype=bool)

    def _mask(self, numbers: Sequence[int]) -> Mask:
        mask = np.zeros(len(self.rows), dtype=bool)
        mask[numbers] = True
        return mask

    def find(self, wanted: Wanted) -> list[int]:
        mask = self._text_mask(wanted.text)
        for name in wanted.facets:
            mask = mask & self._facet_mask(name, wanted)
        order = self._order(wanted.column)
        found = order[mask[order]]
        out: list[int] = (found[::-1] if wanted.descending else found).tolist()
        return out

    def facets(self, wanted: Wanted) -> dict[str, list[FacetValue]]:
        """Per facet its values with how many rows each would leave, given text and all other facets; most first.

        Facets in which all rows are alike are left out.
        """
        text = self._text_mask(wanted.text)
        masks = {name: self._facet_mask(name, wanted) for name in wanted.facets}
        out = {}
        for name, values in self._masks.items():
            others = text
            for other, mask in masks.items():
                if other != name:
                    others = others & mask
            chosen = wanted.facets.get(name, frozenset())
            if len(values) < 2 and not chosen:
                continue
            counted = [FacetValue(v, int(np.count_nonzero(mask & others)), v in chosen) for v, mask in values.items()]
            out[name] = sorted(counted, key=lambda f: (-f.count, f.value))
        return out

    def _facet_mask(self, name: str, wanted: Wanted) -> Mask:
        chosen = wanted.facets[name]
        if not chosen:
            return np.ones(len(self.rows), dtype=bool)
        values = self._masks.get(name, {})
        mask = np.zeros(len(self.rows), dtype=bool)
        for value in chosen:
            if value in values:
                mask |= values[value]
        return mask

    def _text_mask(self, text: str) -> Mask:
        """Rows that hold all words; a longer text is looked for only among what the shorter one found."""
        text = text.casefold()
        before, mask = self._text
        if text == before:
            return mask
        if not text.split():
            self._text = (text, np.ones(len(self.rows), dtype=bool))
            return self._text[1]
        found = np.flatnonzero(mask).tolist() if text.startswith(before) else list(range(len(self.rows)))
        words = self._words
        for part in text.split():
            found = [i for i in found if part in words[i]]
        self._text = (text, self._mask(found))
        return self._text[1]

    def counted(self, found: Sequence[int]) -> str:
        """What was found, in words: '12 of 40 voices: 7 women, 5 men; 3 locked'."""
        places = np.asarray(found, dtype=np.intp)
        return _counted(len(places), len(self.rows), Counter(self._genders[places]), int(self._locked[places].sum()))

    def _order(self, column: int) -> NDArray[np.intp]:
        if column not in self._orders:
            keys = [row.cells[column].casefold() for row in self.rows]
            self._orders[column] = np.array(sorted(range(len(keys)), key=keys.__getitem__), dtype=np.intp)
        return self._orders[column]


def _counted(n: int, total: int, genders: Counter[str], locked: int) -> str:
    words: dict[str, Callable[[int], str]] = {
        "woman": lambda n: trn("{n} woman", "{n} women", n, n=f"{n:,}"),
        "man": lambda n: trn("{n} man", "{n} men", n, n=f"{n:,}"),
        "child": lambda n: trn("{n} child", "{n} children", n, n=f"{n:,}"),
    }
    parts = [words[g](n) for g, n in genders.most_common() if g in words]
    if n == total:
        text = trn("{rows} voice", "{rows} voices", total, rows=f"{total:,}")
    else:
        text = trn("{rows} of {total} voice", "{rows} of {total} voices", total, rows=f"{n:,}", total=f"{total:,}")
    text += f": {', '.join(parts)}" if parts else ""
    return text + (tr("; {locked} locked", locked=f"{locked:,}") if locked else "")


def price_band(per_thousand: float | None, currency: str) -> str:
    """The band of a price per 1,000 characters; prices for the same work differ fifty-fold."""
    if per_thousand is None:
        return tr("price unknown")
    for bound, words in (
        (0.0, "nothing"),
        (0.02, tr("up to 0.02")),
        (0.1, tr("0.02 to 0.10")),
        (0.5, tr("0.10 to 0.50")),
    ):
        if per_thousand <= bound:
            return f"{words} {currency}" if bound else words
    return tr("over 0.50 {currency}", currency=currency)
