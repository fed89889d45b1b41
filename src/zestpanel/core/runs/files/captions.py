"""Captions of what is spoken, by the times of its words; SubRip, WebVTT, and the words with their times.

A caption has at most two lines of 42 characters, stands for 7 s at most, and ends where a sentence or a clause does
when one ends in time (common practice, no source).
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.passage import Passage, words_with_places
from zestpanel.core.domain.take import Measured
from zestpanel.core.measures.silence import measure_silence

LINE: Final = 42
LINES: Final = 2
LONGEST_S: Final = 7.0
_ENDS: Final = (".", "!", "?", "…", "。", "！", "？", ":", ";")
_PAUSES: Final = (",", "–", "—", "、", "，")
_CLOSING: Final = "\"'”’»)]"
_ENOUGH: Final = 0.5  # of a caption: from there on it may end with a clause


@dataclass(frozen=True, slots=True, kw_only=True)
class Caption:
    start_s: float
    end_s: float
    speaker: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TimedWord:
    """A word as it is written, with the signs up to the next one."""

    text: str
    start_s: float
    end_s: float


def captions_of(turn: Passage, clip: Clip, measured: Measured | None, begin_s: float) -> list[Caption]:
    """begin_s: where the clip begins in the whole."""
    return list(_grouped(timed_words(turn, clip, measured, begin_s), turn.speaker))


def timed_words(turn: Passage, clip: Clip, measured: Measured | None, begin_s: float) -> list[TimedWord]:
    """The text's words in the whole's time: as they were measured; where that is not known their time is shared out by
    characters between the first sound and the last."""
    places = words_with_places(turn.text)
    ends = [start for _, start, _ in places[1:]] + [len(turn.text)]
    texts = [turn.text[start:end] for (_, start, _), end in zip(places, ends, strict=True)]
    if places:
        texts[0] = turn.text[: places[0][1]] + texts[0]
    words = measured.words if measured is not None else ()
    if words and len(words) == len(places):
        return [TimedWord(text=text, start_s=begin_s + word[1], end_s=begin_s + word[2])
                for text, word in zip(texts, words, strict=True)]  # fmt: skip
    silence = measure_silence(clip)
    start, end = begin_s + silence.lead_s, begin_s + clip.duration_s - silence.tail_s
    whole, at, out = sum(map(len, texts)) or 1, max(0.0, start), []
    each = max(0.0, end - at) / whole
    for text in texts or [turn.text]:
        out.append(TimedWord(text=text, start_s=at, end_s=at + each * len(text)))
        at = out[-1].end_s
    return out


def _grouped(words: Sequence[TimedWord], speaker: str) -> Iterator[Caption]:
    group: list[TimedWord] = []
    for word in words:
        if group and (not _fits([*group, word]) or word.end_s - group[0].start_s > LONGEST_S):
            cut = _best_end(group)
            yield _caption(group[:cut], speaker)
            group = group[cut:]
        group.append(word)
        if _ends(word.text, _ENDS):
            yield _caption(group, speaker)
            group = []
    if group:
        yield _caption(group, speaker)


def _fits(group: Sequence[TimedWord]) -> bool:
    return len(in_lines(_text(group))) <= LINES


def _best_end(group: Sequence[TimedWord]) -> int:
    """After the last clause that ends in the second half; else all of it."""
    for k in range(len(group), max(1, round(_ENOUGH * len(group))) - 1, -1):
        if _ends(group[k - 1].text, _PAUSES):
            return k
    return len(group)


def _ends(text: str, signs: tuple[str, ...]) -> bool:
    return text.rstrip().rstrip(_CLOSING).endswith(signs)


def _text(group: Sequence[TimedWord]) -> str:
    return " ".join("".join(word.text for word in group).split())


def _caption(group: Sequence[TimedWord], speaker: str) -> Caption:
    return Caption(start_s=group[0].start_s, end_s=group[-1].end_s, speaker=speaker, text=_text(group))


def in_lines(text: str, width: int = LINE) -> list[str]:
    """Broken between words; two lines are about as long as each other."""
    lines: list[str] = [""]
    for word in text.split(" "):
        if lines[-1] and len(lines[-1]) + 1 + len(word) > width:
            lines.append(word)
        else:
            lines[-1] = f"{lines[-1]} {word}".strip()
    if len(lines) == LINES:
        cuts = [k for k, sign in enumerate(text) if sign == " " and max(k, len(text) - k - 1) <= width]
        if cuts:
            middle = min(cuts, key=lambda k: abs(2 * k - len(text)))
            return [text[:middle], text[middle + 1 :]]
    return lines


def _stamp(at_s: float, comma: str) -> str:
    ms = round(at_s * 1000)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d}{comma}{ms % 1000:03d}"


def as_srt(captions: Sequence[Caption]) -> str:
    """SubRip, the speaker in front of the words where there are several."""
    named = len({c.speaker for c in captions}) > 1
    return "\n".join(
        f"{i}\n{_stamp(c.start_s, ',')} --> {_stamp(c.end_s, ',')}\n"
        + "\n".join(in_lines(f"{c.speaker}: {c.text}" if named else c.text)) + "\n"
        for i, c in enumerate(captions, 1)
    )  # fmt: skip


def as_vtt(captions: Sequence[Caption]) -> str:
    """WebVTT (W3C), the speaker as a voice span."""

    def safe(text: str) -> str:
        return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")

    cues = []
    for c in captions:
        words = "\n".join(map(safe, in_lines(c.text)))
        cues.append(f"{_stamp(c.start_s, '.')} --> {_stamp(c.end_s, '.')}\n<v {safe(c.speaker)}>{words}</v>\n")
    return "WEBVTT\n\n" + "\n".join(cues)


def as_words(words: Sequence[TimedWord]) -> str:
    """JSON: each word with its start and end in s."""
    rows = [{"word": w.text.strip(), "start_s": round(w.start_s, 3), "end_s": round(w.end_s, 3)} for w in words]
    return json.dumps({"words": rows}, ensure_ascii=False, indent=1) + "\n"
