"""One candidate among the others of its language by every figure that says something: where it stands, what is usual in
narration, and what the lead does not accept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.where import Limit, limits
from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence.declared import GROUPS, Figure
from zestpanel.core.evidence.figures.predicted import known_in, with_doubt
from zestpanel.core.evidence.registry import figures
from zestpanel.core.measures.registry import measures
from zestpanel.core.texts import capital, tr, word

_MARGIN: Final = 0.04  # of the axis, beyond the outermost value


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One figure; values as they are shown. others: of the other candidates; usual: of narration, where practice knows
    it. place: among those that have it, where one end is better."""

    figure: str
    words: str
    group: str
    unit: str
    decimals: int
    better: Literal["higher", "lower", ""]
    own: float
    interval: tuple[float, float] | None
    others: tuple[float, ...]
    usual: tuple[float, float] | None = None
    limit: Limit | None = None

    @property
    def ends(self) -> tuple[float, float]:
        """Of the axis: every value and the limit lie on it; an interval is cut where it is wider."""
        every = [self.own, *self.others, *([self.limit.at] if self.limit else [])]
        every += [v for v in (self.usual or ()) if np.isfinite(v)]
        if min(every) == max(every):
            every += self.interval or ()
        low, high = min(every), max(every)
        room = (high - low) * _MARGIN or max(abs(high) * _MARGIN, 0.5 * 10.0**-self.decimals)
        return low - room, high + room

    @property
    def broken(self) -> bool:
        return self.limit is not None and self.limit.broken_by(self.own)

    @property
    def unusual(self) -> bool:
        """As it is written: what reads as the end of the usual is within it."""
        return self.usual is not None and not self.usual[0] <= round(self.own, self.decimals) <= self.usual[1]

    @property
    def place(self) -> int | None:
        if not self.better:
            return None
        before = [v < self.own if self.better == "lower" else v > self.own for v in self.others]
        return 1 + sum(before)

    @property
    def place_words(self) -> str:
        n = len(self.others) + 1
        return "" if self.place is None or n < 2 else tr("{place} of {n}", place=self.place, n=n)

    def shown(self, value: float) -> str:
        return f"{value:,.{self.decimals}f}".replace("-", "−")

    def says(self) -> str:
        """The row in words, for whoever cannot see it."""
        out = f"{capital(word(self.words))}: {self.shown(self.own)}{self.unit}"
        if self.interval is not None:
            out += tr(", 95 % {low} to {high}", low=self.shown(self.interval[0]), high=self.shown(self.interval[1]))
        if self.others:
            out += tr("; the others {low} to {high}", low=self.shown(min(self.others)),
                      high=self.shown(max(self.others)))  # fmt: skip
        if self.usual is not None:
            low, high = self.usual
            out += (tr("; usual: from {low}", low=self.shown(low)) if not np.isfinite(high)
                    else tr("; usual: up to {high}", high=self.shown(high)) if not np.isfinite(low)
                    else tr("; usual: {low} to {high}", low=self.shown(low), high=self.shown(high)))  # fmt: skip
        if self.limit is not None:
            at = self.shown(self.limit.at)
            out += tr("; your limit: at most {at}", at=at) if self.limit.kind == "most" else tr(
                "; your limit: at least {at}", at=at)  # fmt: skip
        return out


def profile(found: Evaluation, candidate_id: int, brief: Brief, *, only: Sequence[str] = ()) -> list[Line]:
    """By groups: what listeners say, what is wrong, what is measured, waits and money. only: names of figures, all for
    none. Figures that the candidate lacks are left out."""
    row = found.rows.get(candidate_id)
    if row is None:
        return []
    language = found.scores.of_language(row.language)
    others = [one for one in found.rows.values() if one is not row and one.language == row.language]
    limited, out, rated = limits(found), [], len(language.scores) if language is not None else 0
    for figure in (*figures().values(), *known_in([row])):
        if only and figure.name not in only:
            continue
        own = figure.read(row, language)
        if own.value is None or not np.isfinite(own.value):
            continue
        beside = [v for one in others if (v := figure.read(one, language).value) is not None and np.isfinite(v)]
        limit = limited.get(figure.name)
        out.append(Line(
            figure=figure.name, words=with_doubt(figure, rated), group=GROUPS[figure.group], unit=figure.unit(brief),
            decimals=figure.decimals, better=figure.better, own=own.value * figure.factor,
            interval=None if own.low is None or own.high is None
            # of what is never below nought the normal law's lower end is cut there
            else (max(own.low, 0.0 if min(own.value, *beside, 0.0) >= 0 else own.low) * figure.factor,
                  own.high * figure.factor),
            others=tuple(v * figure.factor for v in beside), usual=_usual(figure),
            limit=None if limit is None else Limit(at=limit.at * figure.factor, kind=limit.kind),
        ))  # fmt: skip
    order = list(GROUPS.values())
    return sorted(out, key=lambda one: order.index(one.group))


def says(lines: Sequence[Line], name: str) -> str:
    """What breaks the lead's limits, what is unusual for narration, and where the candidate is first or last."""
    out = []
    broken = [one for one in lines if one.broken]
    if broken:
        named = ", ".join(f"{word(one.words)} {one.shown(one.own)}{one.unit}" for one in broken[:4])
        out.append(tr("{name} is beyond your limits: {named}.", name=name, named=named))
    unusual = [one for one in lines if one.unusual]
    if unusual:
        named = ", ".join(f"{word(one.words)} {one.shown(one.own)}{one.unit}" for one in unusual[:4])
        out.append(tr("Not as usual in narration: {named}.", named=named))
    ranked = [one for one in lines if one.place is not None and len(one.others) >= 2]
    first = [word(one.words) for one in ranked if one.place == 1 and one.own not in one.others]
    last = [word(one.words) for one in ranked if one.place == len(one.others) + 1 and one.own not in one.others]
    if first:
        out.append(tr("Best by {words}.", words=_some(first)))
    if last:
        out.append(tr("Worst by {words}.", words=_some(last)))
    return " ".join(out) or tr("{name} stands out by nothing.", name=name)


def _some(words: Sequence[str], most: int = 5) -> str:
    named = ", ".join(words[:most])
    return named if len(words) <= most else tr("{named} and {n} more", named=named, n=len(words) - most)


def _usual(figure: Figure) -> tuple[float, float] | None:
    one = measures().get(figure.name.removeprefix("measure ")) if figure.name.startswith("measure ") else None
    return one.usual if one is not None else None
