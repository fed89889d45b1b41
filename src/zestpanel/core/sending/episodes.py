"""How many requests an episode takes: it is longer than most engines take at once, and is cut at sentence ends."""

from __future__ import annotations

import math
from decimal import Decimal
from functools import lru_cache
from typing import Final

from zestpanel.core.text.splitting import size_spans

_MOST_CUT: Final = 60_000  # characters that are cut to learn how full pieces become


def requests_per_episode(characters: Decimal, limit: int | None, *, sample: str, language: str) -> int:
    """Requests for a text of so many characters under an engine's largest request.

    The channel's own passages, one after another up to the length of an episode, are cut as they would be for the
    engine; without any (``sample`` is empty) pieces are taken to be full, which they seldom are.
    """
    if limit is None or characters <= limit:
        return 1
    full = math.ceil(characters / limit)
    if not sample:
        return full
    length = min(math.ceil(characters), _MOST_CUT)
    return max(full, math.ceil(characters / length * _pieces(sample, length, limit, language)))


@lru_cache(maxsize=256)
def _pieces(sample: str, length: int, limit: int, language: str) -> int:
    text = "\n\n".join([sample] * (length // (len(sample) + 2) + 1))[:length]
    return len(size_spans(text, limit, language))
