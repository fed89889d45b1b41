"""A figure over candidates and passages as a picture, and one candidate among the others by every figure."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from zestpanel.core.choice.profile import Line as ProfileLine
from zestpanel.core.choice.where import Where
from zestpanel.core.report.charts import fitted
from zestpanel.core.report.drawing import Box, Dot, Dots, Line, Picture, Region, Shape, Text, text_width
from zestpanel.core.texts import capital, tr, word

_NAME, _MIDDLE = 190.0, 74.0
_ROW, _SMALL = 26.0, 11.0
_LEAST_TEXT: Final = 34.0  # pixels of a column in which a value can be written
_PALE, _STRONG = 0.06, 0.6


def least_width(of: Where) -> float:
    """Below which no column can be told from the next."""
    return _NAME + _MIDDLE + 12.0 * len(of.columns)


def where_picture(of: Where, names: Mapping[int, str], *, width: float) -> Picture | None:
    """A row a candidate, in order; a column a passage or a kind of text; what is bad is dark, odd cells have a dot, and
    what breaks the lead's limit is framed. Medians stand at the right and below."""
    rows = [one for one in of.order(list(names)) if any(c == one for c, _ in of.values)]
    if not rows or not of.columns:
        return None
    cell = (width - _NAME - _MIDDLE) / len(of.columns)
    top = 30.0
    height = top + _ROW * (len(rows) + 1) + 10
    odd = {one.place: one for one in of.odd}
    shapes: list[Shape] = []
    regions = []
    for k, (_, title) in enumerate(of.columns):
        words = fitted(title, _SMALL, cell - 6) if cell > 60 else str(k + 1) if cell >= 18 or k % 5 == 4 else ""
        shapes.append(Text(x=_NAME + cell * (k + 0.5), y=top - 10, text=words, size=_SMALL, colour="quiet",
                           anchor="middle"))  # fmt: skip
        regions.append(Region(x=_NAME + cell * k, y=0, width=cell, height=top - 4, says=title))
    shapes.append(Text(x=width - 8, y=top - 10, text=tr("median"), size=_SMALL, colour="quiet", anchor="end"))
    for r, candidate in enumerate(rows):
        y = top + _ROW * r
        shapes.append(Text(x=0, y=y + 17, text=fitted(names[candidate], 13, _NAME - 10), size=13))
        for k, (column, title) in enumerate(of.columns):
            value = of.values.get((candidate, column))
            x = _NAME + cell * k
            says = f"{names[candidate]}, {title}: "
            if value is None:
                says += word("missing")
            else:
                words, place = of.words(value), (candidate, column)
                strength = _PALE + (_STRONG - _PALE) * of.share(value)
                shapes.append(Box(x=x + 1, y=y + 1, width=max(1.0, cell - 2), height=_ROW - 2, fill="zest",
                                  strength=strength))  # fmt: skip
                broken = of.limit is not None and of.limit.broken_by(value)
                if broken:
                    shapes.append(Line(x1=x + 2, y1=y + _ROW - 3, x2=x + cell - 2, y2=y + _ROW - 3, colour="plum",
                                       width=2.5))  # fmt: skip
                if cell >= _LEAST_TEXT and text_width(words, 12) < cell - 6:
                    shapes.append(Text(x=x + cell / 2, y=y + 17, text=words, size=12, anchor="middle", bold=broken))
                says += words + of.unit
                if place in odd:
                    shapes.append(Dot(x=x + cell - 7, y=y + 7, radius=3.0, colour="deep-zest"))
                    says += tr("; odd: {expected} is to be expected", expected=of.words(odd[place].expected))
                says += tr("; over your limit") if broken else ""
            regions.append(Region(x=x, y=y, width=cell, height=_ROW, says=says, candidate_id=candidate,
                                  passage_id=column if of.of_passages else None))  # fmt: skip
        middle = of.middle(candidate=candidate)
        if middle is not None:
            shapes.append(Text(x=width - 8, y=y + 17, text=of.words(middle), size=13, anchor="end", bold=True))
    y = top + _ROW * len(rows)
    shapes.append(Line(x1=0, y1=y + 2, x2=width, y2=y + 2))
    shapes.append(Text(x=0, y=y + 19, text=tr("median"), size=_SMALL, colour="quiet"))
    for k, (column, _) in enumerate(of.columns):
        middle = of.middle(column=column)
        if middle is not None and cell >= _LEAST_TEXT:
            shapes.append(Text(x=_NAME + cell * (k + 0.5), y=y + 19, text=of.words(middle), size=12, anchor="middle",
                               colour="quiet"))  # fmt: skip
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=tuple(regions), title=of.title)


_LABEL, _VALUE, _PLACE = 250.0, 110.0, 70.0
_LINE: Final = 30.0


def profile_picture(lines: Sequence[ProfileLine], name: str, *, width: float) -> Picture | None:
    """A row a figure: the others as pale dots, the candidate's own as a large one, what is usual in narration as a
    band, the lead's limit as a broken line; its value and its place at the right. A place leads to its row's number."""
    if not lines:
        return None
    left, right, top = _LABEL, width - _VALUE - _PLACE, 24.0
    shapes: list[Shape] = [
        Text(x=width - _PLACE - 8, y=14, text=name, size=_SMALL, colour="quiet", anchor="end"),
        Text(x=width - 4, y=14, text=tr("place"), size=_SMALL, colour="quiet", anchor="end"),
    ]
    regions, group = [], ""
    y = top
    for k, one in enumerate(lines):
        if one.group != group:
            group = one.group
            shapes.append(Text(x=0, y=y + 16, text=group, size=13, bold=True))
            y += 26
        low, high = one.ends

        def x(value: float, low: float = low, high: float = high) -> float:
            return left + 8 + (value - low) / (high - low) * (right - left - 16)

        centre = y + _LINE / 2
        shapes.append(Text(x=0, y=centre + 4, text=fitted(capital(word(one.words)), 12, _LABEL - 12), size=12))
        if one.usual is not None:
            a, b = (min(max(x(v), left), right) for v in one.usual)
            if b > a:
                shapes.append(Box(x=a, y=y + 5, width=b - a, height=_LINE - 10, fill="leaf", strength=0.16))
        shapes.append(Line(x1=left, y1=centre, x2=right, y2=centre))
        shapes.append(Dots(points=tuple((x(v), centre) for v in one.others), radius=3.0, colour="wave"))
        if one.limit is not None and low <= one.limit.at <= high:
            at = x(one.limit.at)
            shapes.append(Line(x1=at, y1=y + 3, x2=at, y2=y + _LINE - 3, colour="plum", width=2.0, dashed=True))
        if one.interval is not None:
            a, b = (min(max(x(v), left), right) for v in one.interval)
            shapes.append(Line(x1=a, y1=centre, x2=b, y2=centre, colour="deep-zest", width=2.5))
        shapes.append(Dot(x=x(one.own), y=centre, radius=5.5, colour="plum" if one.broken else "deep-zest"))
        value = f"{one.shown(one.own)}{one.unit}"
        shapes.append(Text(x=width - _PLACE - 8, y=centre + 4, text=value, size=12, anchor="end", bold=True,
                           colour="plum" if one.broken else "ink"))  # fmt: skip
        shapes.append(Text(x=width - 4, y=centre + 4, text=one.place_words, size=12, anchor="end", colour="quiet"))
        regions.append(Region(x=0, y=y, width=width, height=_LINE, says=one.says(), candidate_id=k))
        y += _LINE
    return Picture(width=width, height=y + 8, shapes=tuple(shapes), regions=tuple(regions), title=name)
