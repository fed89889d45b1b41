"""Times of words as services give them, in the shapes there are: brought to (word, from, to) in seconds.

Known are: lists of [word, from, to]; lists of objects under usual names, with ends, durations, or beginnings alone;
parallel lists; the same for single characters; marks of a text, of which those of words count; each also as text with
a JSON value a line. The unit is not guessed from names: seconds, milliseconds, microseconds and ticks of 100 ns differ
a thousandfold, and the clip's own length tells which of them is meant.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

from zestpanel.core.secrets.masking import without_keys

Times = tuple[tuple[str, float, float], ...]
_Row = tuple[str, float, float | None]
_WORD: Final = ("word", "text", "token", "value", "name", "label", "character", "char", "symbol", "content")
_FROM: Final = ("start", "begin", "from", "offset", "time", "timestamp", "audiooffset")
_TO: Final = ("end", "stop", "to", "until", "finish")
_LASTS: Final = ("duration", "dur", "length")
_ENDINGS: Final = ("milliseconds", "seconds", "ms", "sec", "time", "s")
_UNITS: Final = (1.0, 1e-3, 1e-6, 1e-7)
_OTHER_KINDS: Final = frozenset(
    {"viseme", "sentence", "ssml", "phoneme", "punctuation", "silence", "pause", "bookmark"}
)
_BEYOND: Final = 1.25  # of the clip's length, which an end may be rounded or padded to
_MOST: Final = 200_000


def word_times(value: Any, duration_s: float) -> Times:
    """Nothing for what is in none of these shapes, or does not lie within the clip. duration_s: of the clip."""
    try:
        rows = _rows(value)
    except (TypeError, ValueError, OverflowError, RecursionError):
        return ()
    moments = [moment for _, begin, end in rows for moment in (begin, end) if moment is not None]
    unit = next((u for u in _UNITS if moments and max(moments) * u <= _BEYOND * duration_s), None)
    if unit is None or len(rows) > _MOST or not all(math.isfinite(moment) and moment >= 0 for moment in moments):
        return ()
    following = [*(begin for _, begin, _ in rows[1:]), duration_s / unit]
    timed = [(word, begin * unit, unit * (after if end is None else end))
             for (word, begin, end), after in zip(rows, following, strict=True)]  # fmt: skip
    begins = [begin for _, begin, _ in timed]
    if begins != sorted(begins) or any(end < begin for _, begin, end in timed):
        return ()
    return tuple((without_keys(word, 200), begin, end) for word, begin, end in timed if word.strip())


def _rows(value: Any) -> list[_Row]:
    """Raises ValueError or TypeError for what is no such list."""
    if isinstance(value, str):
        lines = [json.loads(line) for line in value.splitlines() if line.strip()]
        value = lines[0] if len(lines) == 1 else lines
    if isinstance(value, Mapping):
        return _parallel({_plain(name): one for name, one in value.items()})
    if not isinstance(value, list):
        raise TypeError(value)
    found = [_row(item) for item in value]
    return [one for one in found if one is not None]


def _row(item: Any) -> _Row | None:
    """None for what is no word: a viseme, a sentence, a pause."""
    if not isinstance(item, Mapping):
        word, begin, *rest = item
        if not isinstance(word, str) or len(rest) > 1:
            raise ValueError(item)
        return word, float(begin), float(rest[0]) if rest else None
    plain = {_plain(name): one for name, one in item.items()}
    if str(plain.get("type", plain.get("kind", "word"))).lower() in _OTHER_KINDS:
        return None
    word = _first(plain, _WORD)
    if isinstance(word, Mapping):  # {"text": {"content": ...}} and the like
        word = _first({_plain(name): one for name, one in word.items()}, _WORD)
    if "time" in plain and "type" in plain:  # a mark: it has one moment, and its other numbers are places in the text
        return str(word), float(plain["time"]), None
    begin, end, lasts = (_first(plain, names) for names in (_FROM, _TO, _LASTS))
    if end is None and lasts is not None:
        end = float(begin) + float(lasts)
    if word is None:
        raise ValueError(item)
    return str(word), float(begin), None if end is None else float(end)


def _parallel(lists: Mapping[str, Any]) -> list[_Row]:
    """{"words": [...], "start_times": [...], "end_times": [...]}; or one list of rows within an object."""
    named = {name: one for name, one in lists.items() if isinstance(one, list) and one}
    words = next((one for one in named.values() if all(isinstance(x, str) for x in one)), None)
    begins, ends, lasts = (
        next((one for name, one in named.items() if one is not words and any(name.endswith(x) for x in names)), None)
        for names in (_FROM, _TO, _LASTS)
    )
    if words is None or begins is None:
        (inner,) = named.values()
        return _rows(inner)
    if ends is None and lasts is not None:
        ends = [float(a) + float(b) for a, b in zip(begins, lasts, strict=True)]
    return [(word, float(begin), None if end is None else float(end))
            for word, begin, end in zip(words, begins, ends or [None] * len(words), strict=True)]  # fmt: skip


def _plain(name: Any) -> str:
    """'start_time_ms' and 'startTime' are 'start'; 'wordStartTimesSeconds' is 'wordstart'."""
    plain = "".join(c for c in str(name).lower() if c.isalnum())
    known = {*_WORD, *_FROM, *_TO, *_LASTS}
    while plain not in known and (cut := next((x for x in _ENDINGS if plain.endswith(x) and plain != x), "")):
        plain = plain[: -len(cut)]
    return plain


def _first(item: Mapping[str, Any], names: Sequence[str]) -> Any:
    return next((item[name] for name in names if item.get(name) is not None), None)
