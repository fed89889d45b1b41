"""How long a text is likely to last, its pauses and rates counted."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from zestpanel.core.domain.mark import DeliveryMark, number_of
from zestpanel.core.domain.passage import ASSUMED_CHARACTERS_PER_MINUTE

ASSUMED_PER_MINUTE = float(ASSUMED_CHARACTERS_PER_MINUTE)  # always said to be assumed
# what named pauses are commonly taken to be (common practice, no source)
NAMED_PAUSES_MS = {"none": 0.0, "x-weak": 100.0, "weak": 250.0, "medium": 500.0, "strong": 800.0, "x-strong": 1500.0}


def pause_ms(mark: DeliveryMark) -> float:
    """Milliseconds of a pause; of a named one what is commonly meant by it."""
    return number_of(mark) if mark.value[0].isdigit() else NAMED_PAUSES_MS[mark.value]


def expected_s(text: str, marks: Sequence[DeliveryMark], per_minute: float = ASSUMED_PER_MINUTE) -> float:
    """Seconds at so many characters a minute: words under a rate of 85 % last 1/0.85 as long, pauses are added.

    Rates within rates multiply.
    """
    rates = [m for m in marks if m.kind == "rate"]
    edges = sorted({0, len(text), *(m.start for m in rates), *(m.end for m in rates)})
    total = 0.0
    for start, end in pairwise(edges):
        factor = 1.0
        for mark in rates:
            if mark.start <= start and end <= mark.end:
                factor *= number_of(mark) / 100
        total += (end - start) / factor
    return total / per_minute * 60 + sum(pause_ms(m) for m in marks if m.kind == "pause") / 1000
