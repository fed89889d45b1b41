"""Times of words as replies give them: every shape tells the same three words (common practice, no source)."""

from __future__ import annotations

import base64
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_connector_kinds import ask, raw_server, saying, wav
from zestpanel.core.connectors.word_times import word_times
from zestpanel.core.measures.word_times import BY_REPLY, find_word_times

WORDS = (("Keep", 0.0, 0.25), ("it", 0.25, 0.5), ("cold", 0.75, 1.5))
LASTS = 1.6
SIGNS = [("K", 0.0), ("e", 0.0625), ("e", 0.125), ("p", 0.1875), (" ", 0.25), ("i", 0.25), ("t", 0.375), (" ", 0.5),
         ("c", 0.75), ("o", 0.9375), ("l", 1.125), ("d", 1.3125)]  # fmt: skip
SHAPES: dict[str, Any] = {
    "lists": [[w, a, b] for w, a, b in WORDS],
    "objects": [{"word": w, "start": a, "end": b} for w, a, b in WORDS],
    "names with a line": [{"text": w, "start_time": a, "end_time": b} for w, a, b in WORDS],
    "joined names": [{"Word": w, "startTime": a, "endTime": b} for w, a, b in WORDS],
    "milliseconds": [{"word": w, "start_ms": a * 1000, "end_ms": b * 1000} for w, a, b in WORDS],
    "as texts": [{"word": w, "start": str(a), "end": str(b)} for w, a, b in WORDS],
    "offset and duration in ticks of 100 ns": [
        {"text": w, "offset": int(a * 1e7), "duration": int((b - a) * 1e7)} for w, a, b in WORDS
    ],
    "ticks, the word inside": [
        {"Type": "Word", "Data": 1, "text": {"Text": w, "Length": len(w)}, "Offset": int(a * 1e7),
         "Duration": int((b - a) * 1e7)} for w, a, b in WORDS
    ],
    "parallel lists": {"words": [w for w, _, _ in WORDS], "word_start_times_seconds": [a for _, a, _ in WORDS],
                       "word_end_times_seconds": [b for _, _, b in WORDS]},
    "parallel lists with durations": {"tokens": [w for w, _, _ in WORDS], "startMs": [a * 1000 for _, a, _ in WORDS],
                                      "durationsMs": [(b - a) * 1000 for _, a, b in WORDS]},
    "a list within": {"alignment": [{"token": w, "begin": a, "end": b} for w, a, b in WORDS]},
    "characters": {"characters": [c for c, _ in SIGNS], "character_start_times": [at for _, at in SIGNS],
                   "character_end_times": [at + 0.1 for _, at in SIGNS]},
    "marks of a text, in lines": "\n".join(
        json.dumps(one) for one in [
            {"time": 0, "type": "sentence", "start": 0, "end": 12, "value": "Keep it cold"},
            *({"time": round(a * 1000), "type": kind, "start": k, "end": k + 2, "value": w}
              for k, (w, a, _) in enumerate(WORDS) for kind in ("word", "viseme")),
        ]
    ),
    "begins alone": [{"word": w, "time": a} for w, a, _ in WORDS],
    "with marks of silence": [{"word": "Keep", "start": 0, "end": 0.25}, {"word": "it", "start": 0.25, "end": 0.5},
                              {"word": "pau", "type": "silence", "start": 0.5, "end": 0.75},
                              {"word": "cold", "start": 0.75, "end": 1.5}],
}  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES.values(), ids=SHAPES.keys())
def test_every_shape_tells_the_same_words_at_the_same_times(shape: Any) -> None:
    """On the way that a reply takes: over the wire, out of its JSON, joined to the words of the text."""
    reply = {"sound": base64.b64encode(wav(bytes(2 * int(LASTS * 16_000)))).decode(), "times": shape}
    with raw_server(saying(json.dumps(reply).encode())) as address:
        got = ask({"address": address, "secret": "", "headers": {},
                   "reply": {"audio": "json sound", "word_times": "json times"}})  # fmt: skip
    assert not got.word_times_unread
    words, way = find_word_times(got.clip, "Keep it cold.", "en-GB", got.word_times)
    assert way == BY_REPLY
    for (word, start, end, good), (same, begin, until) in zip(words, WORDS, strict=True):
        assert (word, start) == (same, pytest.approx(begin, abs=1e-3))
        assert good
        assert end == pytest.approx(until, abs=0.26), "where the shape has no ends, a word lasts to the next one"


@pytest.mark.parametrize("pieces", [
    [[["Keep", 0.0, 0.25]], [["it", 0.25, 0.5], ["cold", 0.75, 1.5]]],
    [[["Keep", 0.0, 0.25]], [["Keep", 0.0, 0.25], ["it", 0.25, 0.5], ["cold", 0.75, 1.5]]],
], ids=["each its own", "each all so far"])  # fmt: skip
def test_times_that_come_piece_by_piece(pieces: list[Any]) -> None:
    sound = base64.b64encode(bytes(2 * int(LASTS * 16_000) // 2)).decode()
    body = "".join(json.dumps({"sound": sound, "times": piece}) + "\n" for piece in pieces)
    with raw_server(saying(body.encode())) as address:
        got = ask({"address": address, "secret": "", "headers": {},
                   "reply": {"audio": "lines sound", "encoding": "pcm_s16le", "rate_hz": 16_000,
                             "word_times": "json times"}})  # fmt: skip
    assert got.word_times == WORDS


def test_what_cannot_be_read_is_none_and_said() -> None:
    for odd in (
        {"visemes": [1, 2]},
        [["late", 99.0, 1e12]],
        [["b", 1.0, 1.2], ["a", 0.2, 0.4]],
        [{"start": 1}],
        "words",
    ):
        assert word_times(odd, LASTS) == ()
    reply = {"sound": base64.b64encode(wav(bytes(4000))).decode(), "times": {"visemes": [1, 2]}}
    with raw_server(saying(json.dumps(reply).encode())) as address:
        got = ask({"address": address, "secret": "", "headers": {},
                   "reply": {"audio": "json sound", "word_times": "json times"}})  # fmt: skip
    assert got.word_times_unread


json_values = st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=5)
        | st.dictionaries(st.sampled_from(["word", "start", "end", "time", "type", "duration", "starts", "x"]), inner)
    ),
)


@given(json_values)
def test_nothing_in_a_reply_brings_it_down(value: Any) -> None:
    found = word_times(value, LASTS)
    assert all(0 <= begin <= end for _, begin, end in found)
