"""A passage as one engine gets it: text or markup, in as many requests as its limit asks for, and what became of
every mark, every hard part and every word of the pronunciation list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal
from xml.sax.saxutils import escape

from zestpanel.core.catalogue.facts import Engine, Limits
from zestpanel.core.catalogue.notation import Notation
from zestpanel.core.domain.mark import DeliveryMark, clipped, number_of, spans_of
from zestpanel.core.money.tariff import Counting
from zestpanel.core.sending.choices import SendingChoices
from zestpanel.core.sending.in_words import in_words
from zestpanel.core.text.lexicon.lexicon import Entry, entries_for, hits
from zestpanel.core.text.marks.duration import pause_ms
from zestpanel.core.text.marks.spelling_out import spelled
from zestpanel.core.text.marks.ssml import element_of, inline, woven
from zestpanel.core.text.splitting import size_spans
from zestpanel.core.texts import tr

Fate = Literal["kept", "left out", "spelled out", "respelled", "sounds given", "as it stands"]
# How a pause is put in stops where an engine takes no pauses: common practice, no source
_STOPS: Final = ((200, ","), (600, ";"), (10_000, " …"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """What became of a mark or a word, by its place in the passage."""

    start: int
    end: int
    fate: Fate
    kind: str
    words: str
    became: str = ""
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """One request: the text as sent, its words alone, its place in the passage, what {form} is, what is billed."""

    text: str
    words: str
    start: int
    end: int
    form: str
    billed: int


@dataclass(frozen=True, slots=True, kw_only=True)
class AsSent:
    requests: tuple[Request, ...]
    changes: tuple[Change, ...]
    written: Literal["plain text", "SSML", "its own marks"]
    too_long: tuple[str, ...] = ()

    @property
    def billed(self) -> int:
        """Characters that the plan bills for the whole passage."""
        return sum(request.billed for request in self.requests)

    @property
    def lost(self) -> list[Change]:
        return [c for c in self.changes if c.fate in ("left out", "as it stands")]


def understands(engine: Engine, kind: str) -> bool:
    """Whether a kind of mark can be written to an engine so that it acts on it."""
    notation = engine.writes
    if notation.form == "own":
        return kind in notation.marks
    example = DeliveryMark(0, 1, kind, {"pause": "medium", "rate": "100 %"}.get(kind, "x"))
    if notation.form != "ssml" or kind in ("style", "sound"):
        return False
    return engine.marks.get(element_of(example), "unknown") == "yes"


def as_sent(
    text: str,
    marks: Sequence[DeliveryMark],
    *,
    engine: Engine,
    language: str,
    lexicon: Sequence[Entry] = (),
    choices: SendingChoices | None = None,
    counting: Counting | None = None,
    limits: Limits | None = None,
) -> AsSent:
    """The requests an engine gets for a passage, and what becomes of everything in it. limits: the engine's own, where
    none of a plan are given."""
    choices, counting, notation = choices or SendingChoices(), counting or Counting(), engine.writes
    every, changes = _with_lexicon(text, marks, engine, language, lexicon)
    every = _with_spelling(text, every, language, choices, changes)
    kept, put = _sorted_out(text, every, engine, language, choices, changes)
    limit = (limits or engine.limits).characters_per_request
    requests = _requests(text, kept, put, notation, language, limit, counting)
    too_long = tuple(r.words for r in requests if limit is not None and len(r.text) > limit)
    marked_up = any(r.form == notation.marked and _is_marked(notation, True) for r in requests) and (
        notation.always or bool(kept)
    )
    return AsSent(
        requests=requests,
        changes=tuple(sorted(changes, key=lambda c: (c.start, c.end))),
        written={"ssml": "SSML", "own": "its own marks"}.get(notation.form, "plain text")
        if marked_up
        else "plain text",  # type: ignore[arg-type]
        too_long=too_long,
    )


@dataclass(frozen=True, slots=True)
class _Put:
    """Other words in the place of some of the text."""

    start: int
    end: int
    words: str


def _blocked(marks: Sequence[DeliveryMark]) -> list[tuple[int, int]]:
    return [(m.start, m.end) for m in marks if m.kind in ("phoneme", "read as", "say-as")]


def _with_lexicon(
    text: str, marks: Sequence[DeliveryMark], engine: Engine, language: str, lexicon: Sequence[Entry]
) -> tuple[list[DeliveryMark], list[Change]]:
    """The marks and those the pronunciation list adds; a mark on the place itself goes first."""
    out, changes = list(marks), list[Change]()
    taken = _blocked(marks)
    crossing = [(m.start, m.end) for m in marks if m.end > m.start]
    for hit in hits(text, entries_for(lexicon, language, engine.engine)):
        words = text[hit.start : hit.end]
        if any(a < hit.end and hit.start < b for a, b in taken) or any(
            a < hit.start < b < hit.end or hit.start < a < hit.end < b for a, b in crossing
        ):
            continue
        if hit.entry.ipa and understands(engine, "phoneme"):
            out.append(DeliveryMark(hit.start, hit.end, "phoneme", hit.entry.ipa))
            changes.append(_of(hit.start, hit.end, "sounds given", "lexicon", words, hit.entry.ipa))
        elif hit.entry.respelling:
            out.append(DeliveryMark(hit.start, hit.end, "read as", hit.entry.respelling))
            changes.append(_of(hit.start, hit.end, "respelled", "lexicon", words, hit.entry.respelling))
        else:
            why = tr("{engine} takes no sounds and the entry has no respelling", engine=engine.engine)
            changes.append(_of(hit.start, hit.end, "as it stands", "lexicon", words, "", why))
    return out, changes


def _of(start: int, end: int, fate: Fate, kind: str, words: str, became: str = "", why: str = "") -> Change:
    return Change(start=start, end=end, fate=fate, kind=kind, words=words, became=became, why=why)


def _with_spelling(
    text: str, marks: list[DeliveryMark], language: str, choices: SendingChoices, changes: list[Change]
) -> list[DeliveryMark]:
    if not choices.spell_out:
        return marks
    taken = _blocked(marks)
    out = list(marks)
    for part in in_words(text, language):
        if part.kind not in choices.spell_out or any(a < part.end and part.start < b for a, b in taken):
            continue
        written = text[part.start : part.end]
        if part.words is None:
            why = tr("it cannot be put in words with certainty")
            changes.append(_of(part.start, part.end, "as it stands", part.kind, written, "", why))
        elif part.words != written:
            out.append(DeliveryMark(part.start, part.end, "read as", part.words))
            taken.append((part.start, part.end))
            changes.append(_of(part.start, part.end, "spelled out", part.kind, written, part.words))
    return out


def _sorted_out(
    text: str,
    marks: Sequence[DeliveryMark],
    engine: Engine,
    language: str,
    choices: SendingChoices,
    changes: list[Change],
) -> tuple[list[DeliveryMark], list[_Put]]:
    """(marks that are sent as marks, words that are put in the place of others)."""
    kept: list[DeliveryMark] = []
    put: list[_Put] = []
    told = {(c.start, c.end) for c in changes}
    for mark in marks:
        words = text[mark.start : mark.end]
        silent = (mark.start, mark.end) in told and mark.kind in ("phoneme", "read as")
        if understands(engine, mark.kind):
            kept.append(mark)
            if not silent:
                changes.append(_of(mark.start, mark.end, "kept", mark.kind, words, mark.value, _length(mark, engine)))
            continue
        other = _in_words(text, mark, language) if choices.fate(mark.kind) == "spell out" else None
        if other is not None:
            # a stop stands at the word before it, wherever between the words the pause was put
            start, end = (len(text[: mark.start].rstrip()),) * 2 if mark.kind == "pause" else (mark.start, mark.end)
            put.append(_Put(start, end, other))
            if not silent:
                changes.append(_of(mark.start, mark.end, "spelled out", mark.kind, words, other.strip()))
        else:
            why = (
                tr("cast who says it under Dialogue")
                if mark.kind == "speaker"
                else tr("{engine} does not take it", engine=engine.engine)
            )
            changes.append(_of(mark.start, mark.end, "left out", mark.kind, words or mark.value, "", why))
    return kept, put


def _length(mark: DeliveryMark, engine: Engine) -> str:
    """The real length of a named pause, where the engine's file states it."""
    if mark.kind != "pause" or mark.value[0].isdigit():
        return ""
    ms = engine.writes.pause_ms.get(mark.value)
    return (
        tr("{ms} ms with {engine}", ms=f"{ms:g}", engine=engine.engine)
        if ms is not None
        else tr("how long {engine} makes it is not stated", engine=engine.engine)
    )


def _in_words(text: str, mark: DeliveryMark, language: str) -> str | None:
    words = text[mark.start : mark.end]
    match mark.kind:
        case "read as":
            return mark.value
        case "say-as":
            return spelled(mark.value.partition(":")[0], words, language, before=text[: mark.start])
        case "pause":
            before = text[: mark.start].rstrip()[-1:]
            if not before or before in ".,;:!?…–—":
                return None  # a stop is there already
            return next(stop for longest, stop in _STOPS if pause_ms(mark) <= longest)
    return None


def _requests(
    text: str,
    kept: Sequence[DeliveryMark],
    put: Sequence[_Put],
    notation: Notation,
    language: str,
    limit: int | None,
    counting: Counting,
) -> tuple[Request, ...]:
    whole = [*spans_of(kept), *((p.start, p.end) for p in put if p.end > p.start)]
    size = limit or len(text) or 1
    while True:
        spans = ([] if limit is None else size_spans(text, size, language, whole=whole)) or [(0, len(text))]
        # what stands between two pieces goes with the first of them
        reach = [start for start, _ in spans[1:]] + [len(text) + 1]
        requests = [_request(text, span, until, kept, put, notation, language, counting)
                    for span, until in zip(spans, reach, strict=True)]  # fmt: skip
        over = max((len(r.text) - limit for r in requests), default=0) if limit is not None else 0
        if over <= 0 or size <= 8:
            return tuple(requests)
        size = max(8, min(size - over, int(size * 0.9)))  # marks take room too


def _request(
    text: str,
    span: tuple[int, int],
    until: int,
    kept: Sequence[DeliveryMark],
    put: Sequence[_Put],
    notation: Notation,
    language: str,
    counting: Counting,
) -> Request:
    start, end = span
    words = text[start:end]
    first = start if text[:start].strip() else 0
    near = [replace(m, start=min(max(m.start, start), end), end=min(max(m.end, start), end))
            for m in kept if m.start == m.end and first <= m.start < until]  # fmt: skip
    marks = clipped([m for m in kept if m.end > m.start] + near, start, end)
    for one in sorted(put, key=lambda p: -p.start):
        if start <= one.start and one.end <= end:
            words, marks = _replaced(words, marks, one.start - start, one.end - start, one.words)
    marked = _is_marked(notation, bool(marks))
    sent = _written(words, marks, notation, language) if marked else words
    return Request(
        text=sent,
        words=words,
        start=start,
        end=end,
        form=notation.marked if marked else notation.plain,
        billed=counting.billed(sent, words),
    )


def _is_marked(notation: Notation, any_marks: bool) -> bool:
    return notation.form != "plain" and (any_marks or notation.always)


def _replaced(
    words: str, marks: list[DeliveryMark], start: int, end: int, other: str
) -> tuple[str, list[DeliveryMark]]:
    """Other words from start to end; marks move with the text, those within the replaced words are gone."""
    longer = len(other) - (end - start)

    def moved(place: int, closing: bool) -> int:
        if place >= end and (place > start or not closing):
            return place + longer
        return place

    out = []
    for m in marks:
        if m.end > m.start and start < m.start and m.end < end:
            continue
        if m.start == m.end:
            place = m.start + (longer if m.start > start or (start == end and m.start == start) else 0)
            out.append(replace(m, start=place, end=place))
            continue
        out.append(replace(m, start=moved(m.start, False) if m.start >= end and start != m.start else m.start,
                           end=moved(m.end, True)))  # fmt: skip
    return words[:start] + other + words[end:], out


def _written(words: str, marks: Sequence[DeliveryMark], notation: Notation, language: str) -> str:
    if notation.form == "ssml":
        wrap = notation.wrap or '<speak version="1.1" xml:lang="{language}">{text}</speak>'
        return wrap.replace("{language}", escape(language, {'"': "&quot;", "'": "&apos;"})).replace(
            "{text}", inline(words, marks)
        )

    def escaped(piece: str) -> str:
        return "".join(notation.escape.get(c, c) for c in piece)

    def write(mark: DeliveryMark) -> tuple[str, str]:
        first, _, last = _filled(notation.marks[mark.kind], mark, notation).partition("\u0000")
        return first, last

    # a template without the words stands in their place
    for mark in sorted(marks, key=lambda m: -m.start):
        if mark.end > mark.start and "{text}" not in notation.marks[mark.kind]:
            written = "\u0001" * (mark.end - mark.start)
            words = words[: mark.start] + written + words[mark.end :]
    woven_text = woven(words, marks, write, escaped).replace("\u0001", "")
    return (notation.wrap or "{text}").replace("{language}", language).replace("{text}", woven_text)


_IN_TAGS: Final = {"&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&apos;"}  # XML 1.0, section 4.6


def _filled(template: str, mark: DeliveryMark, notation: Notation) -> str:
    figures: dict[str, str] = {}
    if mark.kind == "pause":
        ms = pause_ms(mark)
        figures = {"ms": f"{ms:g}", "seconds": f"{ms / 1000:g}"}
    elif mark.kind == "rate":
        figures = {"percent": f"{number_of(mark):g}", "factor": f"{number_of(mark) / 100:g}"}
    elif mark.kind == "pitch":
        figures = {"semitones": f"{number_of(mark):+g}"}
    elif mark.kind == "volume":
        figures = {"db": f"{number_of(mark):+g}"}
    # a value is no part of the notation: what has a meaning there is written as itself
    signs = {**(_IN_TAGS if "<" in template else {}), **notation.escape}
    value = "".join(signs.get(c, c) for c in mark.value)
    out = template.replace("{text}", "\u0000")
    for name, figure in figures.items():
        out = out.replace("{" + name + "}", figure)
    return out.replace("{value}", value)
