"""A narration: a whole script spoken by those who were chosen, and delivered as files.

Its parts are the turns of a dialogue, so that they are asked for, paid, capped, kept and made again like all other
takes: what was made once is not asked for again, and after a change only what changed is.
"""

from __future__ import annotations

import hashlib
import json
import re
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final, Protocol

import numpy as np
import soxr

from zestpanel import __version__
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.encoding import Block, Chapter, OutputFormat, encode
from zestpanel.core.audio.long_samples import LongSamples
from zestpanel.core.domain.passage import LONGEST_PASSAGE, Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import InputError
from zestpanel.core.measures.joining import pieces_of
from zestpanel.core.own_files import write_whole
from zestpanel.core.production.levelling import Level, apply, bring_to
from zestpanel.core.runs.files.captions import TimedWord, as_srt, as_vtt, as_words, captions_of, timed_words
from zestpanel.core.runs.files.dialogue import DialogueParts, takes_of
from zestpanel.core.store.dialogues import NARRATOR
from zestpanel.core.store.parts import HasDialogues, HasTexts
from zestpanel.core.store.stored import Stored
from zestpanel.core.text.readers.script import Part
from zestpanel.core.text.splitting import split_sentences
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way

HEADING: Final = "heading"  # the tag of a part that begins a chapter
SYNTHETIC: Final = tr("The speech in this recording is synthetic.")
# how it was delivered last
OUTPUT: Final[Stored[OutputFormat]] = Stored("output format", OutputFormat, OutputFormat())
_WANTED: Final = ("paragraph", "heading")
_BLOCK_S: Final = 10


class KeepsNarrations(HasDialogues, HasTexts, Protocol):
    """Where narrations stand."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Delivered:
    """files: the sound, its captions and words, and last the list of them. level: of the whole."""

    files: tuple[Path, ...]
    duration_s: float
    level: Level


def parts_of(parts: Sequence[Part], language: str) -> list[Part]:
    """What is spoken of a script: paragraphs and headings; a part that is longer than a passage is cut at sentences."""
    out: list[Part] = []
    for part in parts:
        if part.kind not in _WANTED or not part.text.strip():
            continue
        if len(part.text) <= LONGEST_PASSAGE:
            out.append(part)
            continue
        gathered = ""
        for sentence in split_sentences(part.text, language):
            if gathered and len(gathered) + len(sentence) + 1 > LONGEST_PASSAGE:
                out.append(replace(part, text=gathered))
                gathered = ""
            gathered = f"{gathered} {sentence}".strip()
        out.append(replace(part, text=gathered))
    return out


def put_narration(project: KeepsNarrations, name: str, parts: Sequence[Part], *, language: str) -> bool:
    """Keep a script under a name; False where it stands there already, word for word. A changed one takes its place:
    takes of what did not change serve it. Raises InputError for nothing to speak."""
    if not parts:
        raise InputError(tr("There is nothing to speak in '{name}'.", name=name), kept=tr("Nothing was made."))
    turns = project.dialogues.turns(name) if name in project.dialogues.names() else []
    wanted = [(part.speaker or NARRATOR, part.text.strip(), part.kind == HEADING) for part in parts]
    there = [(turn.speaker, turn.text.strip(), HEADING in turn.tags) for turn in turns]
    if wanted == there and all(turn.language == language for turn in turns):
        return False
    if turns:
        project.texts.set_removed([turn.id for turn in turns], True)
    project.dialogues.add(name, parts, language=language)
    return True


def deliver(
    project: DialogueParts, name: str, folder: Path, to: OutputFormat, *, each: bool = False,
    pattern: str = "{name} {n:03d}", credit: str = "",
) -> Delivered:  # fmt: skip
    """Write a narration whose every part is made. each: a file a part, named by the pattern ({name}, {n}, {speaker},
    {title}). credit: a line that goes into the file, beside the notice that its speech is synthetic.

    A book is gone through part by part: memory stays flat. Raises InputError, AudioError.
    """
    found = takes_of(project, name)
    missing = sum(take is None for _, take in found)
    if not found or missing:
        raise InputError(
            tr("{missing} of {found} parts of '{name}' are not rendered.", missing=missing, found=len(found),
               name=name),
            kept=tr("Nothing was written."), remedy=tr("Render them first; what is there is kept."),
        )  # fmt: skip
    turns = [(turn, take) for turn, take in found if take is not None]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        made = _Delivery(project, name, folder, to, turns, credit)
        return made.each(pattern) if each else made.whole()
    except OSError as error:
        raise InputError(
            tr("{name} cannot be written ({strerror}).", name=folder, strerror=error.strerror or error),
            kept=tr("The project is as it was."), remedy=tr("Choose another folder."),
        ) from error  # fmt: skip


class _Delivery:
    def __init__(
        self, project: DialogueParts, name: str, folder: Path, to: OutputFormat, turns: Sequence[tuple[Passage, Take]],
        credit: str,
    ) -> None:  # fmt: skip
        self._project, self._name, self._folder, self._to, self._turns = project, name, folder, to, turns
        self._own_hz = turns[0][1].rate_hz
        self._rate_hz = to.rate_for(self._own_hz)
        self._about = {"title": name, "comment": " ".join(part for part in (SYNTHETIC, credit) if part),
                       "encoder": f"Zest Panel {__version__}"}  # fmt: skip

    # -- one file

    def whole(self) -> Delivered:
        gaps = self._project.dialogues.gaps_s(self._name)
        begins: list[float] = []
        with tempfile.TemporaryDirectory(dir=self._folder, prefix=".zest-") as scratch:
            into, level = self._levelled(Path(scratch), gaps, begins)
            frames = len(into)
            path = self._folder / f"{_safe(self._name)}.{self._to.ending}"
            ends = [*begins[1:], frames / self._rate_hz]
            chapters = self._chapters(begins, ends[-1])
            encode(path, self._blocks(into), self._rate_hz, self._to, about=self._about, chapters=chapters)
        words: list[TimedWord] = []
        captions = []
        measured = self._project.takes.measured([take.id for _, take in self._turns])
        for (turn, take), begin in zip(self._turns, begins, strict=True):
            give_way()
            clip = self._project.takes.load(take)
            words += timed_words(turn, clip, measured.get(take.id), begin)
            captions += captions_of(turn, clip, measured.get(take.id), begin)
        stem = self._folder / _safe(self._name)
        beside = {".srt": as_srt(captions), ".vtt": as_vtt(captions), ".words.json": as_words(words)}
        files = [path]
        for ending, text in beside.items():
            files.append(stem.with_name(f"{stem.name}{ending}"))
            write_whole(files[-1], text.encode("utf-8"))
        files.append(self._list(files, frames / self._rate_hz, level, chapters))
        return Delivered(files=tuple(files), duration_s=frames / self._rate_hz, level=level)

    def _levelled(self, scratch: Path, gaps: Sequence[float], begins: list[float]) -> tuple[LongSamples, Level]:
        """All of it at its level, in a file of the scratch folder."""
        frames = self._gather(scratch / "raw", gaps, begins)
        source = LongSamples(scratch / "raw", self._to.channels)
        into = LongSamples(scratch / "levelled", self._to.channels, frames)
        return into, bring_to(self._to.loudness_lufs, self._to.peak_dbtp, source, into, self._rate_hz)

    def _gather(self, raw: Path, gaps: Sequence[float], begins: list[float]) -> int:
        """All parts one after the other into a file of samples at the rate that is delivered; returns its frames."""
        stream = soxr.ResampleStream(self._own_hz, self._rate_hz, self._to.channels, dtype="float32") \
            if self._rate_hz != self._own_hz else None  # fmt: skip
        frames = 0
        clips = (self._project.takes.load(take) for _, take in self._turns)
        with raw.open("wb") as file:

            def put(block: Block, *, last: bool = False) -> None:
                nonlocal frames
                if stream is not None:
                    block = stream.resample_chunk(np.ascontiguousarray(block), last=last).reshape(-1, self._to.channels)
                frames += len(block)
                file.write(np.ascontiguousarray(block, dtype=np.float32).tobytes())

            put(self._silence(self._to.head_s))
            for piece, begin in pieces_of(clips, gaps, self._own_hz, self._to.channels):
                give_way()
                begins.append(begin + self._to.head_s)
                put(piece)
            put(self._silence(self._to.tail_s), last=True)
        return frames

    def _silence(self, seconds: float) -> Block:
        return np.zeros((round(seconds * self._own_hz), self._to.channels), dtype=np.float32)

    def _blocks(self, samples: LongSamples) -> Iterator[Block]:
        size = _BLOCK_S * self._rate_hz
        for begin in range(0, len(samples), size):
            give_way()
            yield samples[begin : begin + size]

    def _chapters(self, begins: Sequence[float], end_s: float) -> list[Chapter]:
        at = [(begin, turn.text) for (turn, _), begin in zip(self._turns, begins, strict=True) if HEADING in turn.tags]
        if not at:
            return []
        if at[0][0] > self._to.head_s + 1:
            at.insert(0, (0.0, self._name))
        ends = [begin for begin, _ in at[1:]] + [end_s]
        return [Chapter(begin, end, " ".join(text.split())) for (begin, text), end in zip(at, ends, strict=True)]

    # -- a file a part

    def each(self, pattern: str) -> Delivered:
        """One gain for all, that of the whole: they sound alike one after another, and a part that is too short to be
        measured by itself has one, too."""
        names = [self._named(pattern, n, turn) for n, (turn, _) in enumerate(self._turns, 1)]
        if len(set(names)) < len(names):
            raise InputError(
                tr("The pattern '{pattern}' gives two parts one name.", pattern=pattern),
                kept=tr("Nothing was written."), remedy=tr("Let it have the number: {sign}.", sign="{n:03d}"),
            )  # fmt: skip
        files, seconds = [], 0.0
        with tempfile.TemporaryDirectory(dir=self._folder, prefix=".zest-") as scratch:
            _, level = self._levelled(Path(scratch), self._project.dialogues.gaps_s(self._name), [])
        for name, (_, take) in zip(names, self._turns, strict=True):
            give_way()
            clip = self._project.takes.load(take)
            source = self._delivered(clip)
            into = np.empty_like(source)
            apply(level.gain_db, self._to.peak_dbtp, source, into, self._rate_hz)
            files.append(self._folder / f"{name}.{self._to.ending}")
            encode(files[-1], [into], self._rate_hz, self._to, about={**self._about, "title": name})
            seconds += len(into) / self._rate_hz
        files.append(self._list(files, seconds, level, []))
        return Delivered(files=tuple(files), duration_s=seconds, level=level)

    def _delivered(self, clip: Clip) -> Block:
        """A clip at the rate and with the channels that are delivered, between its head and its tail."""
        ((piece, _),) = pieces_of([clip], [], self._own_hz, self._to.channels)
        whole = np.concatenate([self._silence(self._to.head_s), piece, self._silence(self._to.tail_s)])
        out: Block = soxr.resample(whole, self._own_hz, self._rate_hz).astype(np.float32)
        return out

    def _named(self, pattern: str, n: int, turn: Passage) -> str:
        try:
            name = pattern.format(name=self._name, n=n, speaker=turn.speaker, title=turn.title)
        except (KeyError, ValueError, IndexError, AttributeError) as error:
            raise InputError(
                tr("The pattern '{pattern}' makes no names.", pattern=pattern), kept=tr("Nothing was written."),
                remedy=tr("It may have {signs}.", signs="{name}, {n:03d}, {speaker}, {title}"),
            ) from error  # fmt: skip
        return _safe(name)

    def _list(self, files: Sequence[Path], seconds: float, level: Level, chapters: Sequence[Chapter]) -> Path:
        """Written last: where it stands, the delivery is whole."""
        path = self._folder / f"{_safe(self._name)}.delivery.json"
        values = {
            "name": self._name, "about": self._about, "format": self._to.model_dump(mode="json"),
            "rate_hz": self._rate_hz, "duration_s": round(seconds, 3),
            "loudness_lufs": None if level.after is None else round(level.after, 2),
            "true_peak_dbtp": round(level.peak_dbtp, 2),
            "chapters": [{"start_s": round(c.start_s, 3), "title": c.title} for c in chapters],
            "files": [{"name": one.name, "sha256": _digest(one), "bytes": one.stat().st_size} for one in files],
        }  # fmt: skip
        write_whole(path, (json.dumps(values, ensure_ascii=False, indent=1) + "\n").encode("utf-8"))
        return path


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _safe(name: str) -> str:
    """As a file's name."""
    return re.sub(r"[^\w .,'()-]+", "_", name).strip(" .")[:120] or "narration"


def cast_all(project: KeepsNarrations, name: str, cast: Mapping[str, int]) -> list[str]:
    """Cast every speaker; returns those that nobody speaks for."""
    known = project.dialogues.cast(name)
    speakers = project.dialogues.speakers(name)
    for speaker in speakers:
        if speaker in cast and known.get(speaker) != cast[speaker]:
            project.dialogues.put_cast(name, speaker, cast[speaker])
    known = project.dialogues.cast(name)
    return [speaker for speaker in speakers if speaker not in known]
