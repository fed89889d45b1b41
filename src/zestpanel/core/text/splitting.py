"""Where a text may be cut: at scenes, paragraphs, sentence ends or a size.

Never inside a word, a number, an abbreviation, a pair of quotation marks or brackets, or a delivery mark.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any, Final

import yaml

from zestpanel.core.long_texts import STRETCH, folded, gaps, lines
from zestpanel.core.texts import tr
from zestpanel.core.waiting import stand_aside

Span = tuple[int, int]
_STOPS: Final = re.compile(r"[.!?…]+")
# matched where a row of stops begins and nowhere within it: 50,000 dots are gone through once, not once for each
_END: Final = re.compile(r"(?P<stop>[.!?…]++)(?P<close>[\"'”“’»)\]\u00a0\u202f]*(?:\s»)?)(?P<gap>\s+|$)")
_OPENING: Final = "(\"'“‘«„[¿¡—–-\u00a0\u202f "
_BEFORE: Final = 200  # characters before a stop that tell whether a sentence ends there
_LIST_NUMBER: Final = re.compile(r"^\s*(?:\d{1,3}|[ivxlc]{1,4}|[a-zA-Z])$")
_SCENE: Final = re.compile(r"^\s*(?:[*#~⁂\-–—_](?:\s*[*#~⁂\-–—_])*|(?:INT|EXT|EST|INT\./EXT)[. ].*)\s*$")
_PAIRS: Final = {"“": "”", "«": "»", "„": "“", "(": ")", "[": "]"}


@dataclass(frozen=True, slots=True)
class _Rules:
    joined: frozenset[str]
    may_end: frozenset[str]
    starters: frozenset[str]
    saying: frozenset[str]
    ordinals: bool


@lru_cache(maxsize=1)
def _all_rules() -> dict[str, _Rules]:
    text = (resources.files("zestpanel.core.text") / "sentence_rules.yaml").read_text("utf-8")
    found: dict[str, dict[str, Any]] = yaml.safe_load(text)
    parts = ("joined", "may_end", "starters", "saying")
    out = {
        language: _Rules(
            **{part: frozenset(str(word) for word in rules.get(part, ())) for part in parts},
            ordinals=bool(rules.get("ordinals")),
        )
        for language, rules in found.items()
    }
    # a text in another language, or in none that is known: what all of them agree not to be an end
    out[""] = _Rules(
        frozenset().union(*(r.joined for r in out.values())) - {"s", "c", "in", "on", "me", "do", "so", "an", "es"},
        frozenset().union(*(r.may_end for r in out.values())),
        frozenset(),
        frozenset().union(*(r.saying for r in out.values())),
        False,
    )
    return out


def _rules(language: str) -> _Rules:
    every = _all_rules()
    return every.get(language.split("-")[0].lower(), every[""])


class _Whole:
    """Spans that are not to be parted; ``place in whole`` says whether a place lies within one, ends left out."""

    def __init__(self, spans: Sequence[Span]) -> None:
        self._spans: list[Span] = []
        for start, end in sorted(spans):
            if self._spans and start < self._spans[-1][1]:
                self._spans[-1] = (self._spans[-1][0], max(end, self._spans[-1][1]))
            else:
                self._spans.append((start, end))
        self._starts = [start for start, _ in self._spans]

    def __contains__(self, place: int) -> bool:
        at = bisect_left(self._starts, place) - 1  # the last one that begins before the place
        return at >= 0 and place < self._spans[at][1]


def is_abbreviation(word: str, language: str = "") -> bool:
    """Whether a word written with a full stop is a known abbreviation (``word`` without that stop)."""
    rules = _rules(language)
    bare = word.lower()
    return bare in rules.joined or bare in rules.may_end


def split_paragraphs(text: str) -> list[str]:
    """Paragraphs: parts between empty lines, line breaks inside them folded to spaces."""
    out: list[str] = []
    gathered: list[str] = []
    for line in lines(text):
        if bare := line.strip():
            gathered.append(bare)
        elif gathered:
            out.append(" ".join(gathered))
            gathered = []
    return [*out, " ".join(gathered)] if gathered else out


def cut_words(text: str, most_characters: int) -> list[str]:
    """A text that fits in no other way, in pieces of that many characters: a word nobody reads out."""
    return [text[at : at + most_characters] for at in range(0, len(text), most_characters)]


def split_scenes(text: str) -> list[str]:
    """Scenes: parts between lines of asterisks, dashes or number signs, or before a screenplay's scene heading."""
    scenes: list[list[str]] = [[]]
    for line in lines(text):
        if _SCENE.match(line) and line.strip():
            scenes.append([line.strip()] if line.strip()[0].isalpha() else [])
        else:
            scenes[-1].append(line)
    joined = ("\n".join(scene).strip() for scene in scenes)
    return [scene for scene in joined if any(c.isalnum() for c in scene)]


def sentence_spans(text: str, language: str = "", *, whole: Sequence[Span] = ()) -> list[Span]:
    """(start, end) of each sentence, without the spaces around it. Text between ``whole`` spans is never parted."""
    kept_whole = _Whole([*whole, *_paired(text)])
    out: list[Span] = []
    start = 0
    for end, after in _sentence_ends(text, language):
        if end in kept_whole:
            continue
        if text[start:end].strip():
            out.append(_trimmed(text, start, end))
        start = after
    if text[start:].strip():
        out.append(_trimmed(text, start, len(text)))
    return out


def split_sentences(text: str, language: str = "") -> list[str]:
    """Sentences of one paragraph. The parts joined by single spaces are the text with its spaces folded."""
    text = folded(text)
    return [text[a:b] for a, b in sentence_spans(text, language)]


def _trimmed(text: str, start: int, end: int) -> Span:
    piece = text[start:end]
    return start + len(piece) - len(piece.lstrip()), end - (len(piece) - len(piece.rstrip()))


def _sentence_ends(text: str, language: str) -> Iterator[tuple[int, int]]:
    """(end, start of what follows) wherever a sentence ends by its words alone."""
    rules = _rules(language)
    start = 0
    for match in _stopped(text):
        stand_aside()
        if match.end() == len(text) or _ends(text, start, match, rules):
            yield match.start("gap"), match.end()
            start = match.end()


def _stopped(text: str) -> Iterator[re.Match[str]]:
    """Stops, with what closes behind them, that are followed by a space or the end."""
    at = 0
    while at < len(text):
        stops = _STOPS.search(text, at, at + STRETCH)
        if stops is None:
            at += STRETCH
        elif match := _END.match(text, stops.start()):
            yield match
            at = match.end()
        else:
            at = stops.end()
            while at < len(text) and (more := _STOPS.match(text, at, at + STRETCH)):
                at = more.end()


def _ends(text: str, start: int, match: re.Match[str], rules: _Rules) -> bool:
    stop, close = match["stop"], match["close"].strip()
    following = text[match.end() : match.end() + 40]
    opened = bool(following[:1]) and following[0] in "“«„\"'‘(¿¡—–-"
    first = following.lstrip(_OPENING)[:1]
    next_word = (re.match(r"[^\W\d_]+(?:['’-][^\W\d_]+)*", following.lstrip(_OPENING)) or [""])[0].lower()
    if first.islower():
        return False
    if stop != ".":
        # "Really?" Anna asked: the sentence goes on after a question within quotation marks
        said = following.lower().split(None, 3)[:3]
        return not (close and close[-1] in "”“\"'’»" and not opened and _goes_on(said, next_word, rules))
    if close:
        return True
    begin = max(start, match.start() - _BEFORE)  # a text of stops alone is not gone through again from each of them
    before = text[begin : match.start()]
    if "\n" in match["gap"] and re.search(r"\n\s*\n", match["gap"]):
        return True
    last = before.rsplit(None, 1)[-1] if before.strip() else ""
    bare = last.lstrip(_OPENING).lower()
    if re.search(r"[–—]", bare):
        bare = re.split(r"[–—]", bare)[-1]
    if bare in rules.joined or re.sub(r"\s+", "", before[-6:]).lower().lstrip(_OPENING) in rules.joined:
        return False
    if len(bare) == 1 and bare.isalpha() and last[-1:].isupper():
        return False  # an initial
    if re.fullmatch(r"(?:[^\W\d_]\.)+[^\W\d_]", bare) and last[-1:].isupper():
        return next_word in rules.starters  # U.S. Air Force, but: in the U.S. He
    if bare in rules.may_end:
        return bool(first) and not first.isdigit()
    if bare.isdigit():
        if begin == start and not before[: -len(last)].strip() and _LIST_NUMBER.match(last):
            return False  # the number of a list's item
        named = rules.ordinals and len(bare) <= 2 and first.isalpha() and not (opened and following[0] not in "(¿¡–—-")
        if named and next_word not in rules.starters:
            return False
        return not first.isdigit()
    return True


def _goes_on(words: list[str], next_word: str, rules: _Rules) -> bool:
    bare = [word.strip(".,;:!?") for word in words]
    return any(word in rules.saying for word in bare[1:3]) and next_word not in ("then", "puis", "dann")


def _paired(text: str) -> list[Span]:
    """What stands within quotation marks or brackets that are closed in the same paragraph; unclosed ones part
    nothing."""
    out: list[Span] = []
    for opening, closing in _PAIRS.items():
        inner = f"[^{re.escape(opening)}{re.escape(closing)}\n]" if opening != "„" else "[^„“”\n]"
        ends = "[“”]" if opening == "„" else re.escape(closing)
        out += [(m.start(), m.end()) for m in re.finditer(f"{re.escape(opening)}{inner}*{ends}", text)]
    for paragraph in re.finditer(r"[^\n]+", text):
        straight = [paragraph.start() + m.start() for m in re.finditer(r'"', paragraph.group())]
        if len(straight) % 2 == 0:
            out += [(a, b + 1) for a, b in zip(straight[::2], straight[1::2], strict=True)]
    return out


def size_spans(text: str, most_characters: int, language: str = "", *, whole: Sequence[Span] = ()) -> list[Span]:
    """Spans of at most so many characters: whole paragraphs and sentences as far as they fit, else cut at a phrase,
    then between words; a word, a number or a marked piece that is longer stays whole.
    """
    if most_characters < 1:
        raise ValueError(tr("a part needs at least one character"))
    pieces: list[Span] = []
    kept_whole = _Whole(whole)
    for start, end in sentence_spans(text, language, whole=whole):
        pieces += _fitting(text, start, end, most_characters, kept_whole)
    out: list[Span] = []
    for start, end in pieces:
        together = out and end - out[-1][0] <= most_characters
        new_paragraph = out and re.search(r"\n\s*\n", text[out[-1][1] : start])
        if together and not (new_paragraph and out[-1][1] - out[-1][0] > most_characters // 2):
            out[-1] = (out[-1][0], end)
        else:
            out.append((start, end))
    return out


def _fitting(text: str, start: int, end: int, most: int, whole: _Whole) -> Iterator[Span]:
    """A sentence in pieces that fit, cut at the last phrase end that fits, else at the last space."""
    while end - start > most:
        window = text[start : start + most + 1]
        spaces = [(a, b) for a, b in gaps(window, 0, len(window)) if a]
        phrases = (a for a, b in spaces if window[a - 1] in ",;:" or window[b : b + 1] in ("–", "—", "("))
        cuts = [start + a for a in phrases if a > most // 3 and start + a not in whole]
        if not cuts:
            cuts = [c for a, _ in spaces if (c := start + a) not in whole and not _in_number(text, c)]
        if not cuts:  # nothing fits: up to the first place where a cut is allowed
            later = (c for c, _ in gaps(text, start, end) if c > start)
            allowed = next((c for c in later if c not in whole and not _in_number(text, c)), None)
            if allowed is None:
                break
            cuts = [allowed]
        yield _trimmed(text, start, cuts[-1])
        start = cuts[-1]
        while start < end and text[start].isspace():
            start += 1
    if start < end:
        yield _trimmed(text, start, end)


def _in_number(text: str, at: int) -> bool:
    """Whether a space parts the groups of one number, or a number from its unit: 12 500, 3 kg."""
    return bool(re.match(r"\s+(?:\d{3}\b|(?:kg|g|km|m|cm|mm|l|%|€|£|\$|°\s?C?)(?!\w))", text[at : at + 8])) and (
        at > 0 and text[at - 1].isdigit()
    )


def split_to_size(text: str, most_characters: int, language: str = "") -> list[str]:
    """Whole paragraphs and sentences gathered into parts of at most so many characters; a longer sentence is cut at
    a phrase or between words."""
    return [p[a:b] for p in split_paragraphs(text) for a, b in size_spans(p, most_characters, language)]
