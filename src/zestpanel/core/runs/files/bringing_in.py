"""Clips made elsewhere, brought in by hand: matched to candidate and passage, with typed-in wait and credits."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from zestpanel.core.audio.files import read
from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.connectors.folder import plain
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take, Timing
from zestpanel.core.errors import InputError, TableError
from zestpanel.core.own_files import first_bytes
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts
from zestpanel.core.table_rows import table_rows
from zestpanel.core.texts import tr

HOW_OBTAINED: Final = {
    "rendered elsewhere": tr("the engine's own file, as delivered"),
    "captured": tr("recorded while it played, or taken from a video: heard, never scored"),
    "vendor sample": tr("the vendor's own example: heard, never scored"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Clipping:
    """One file and where it belongs; None where that is not known yet. wait_s and credits are typed, not measured."""

    path: Path
    candidate_id: int | None = None
    passage_id: int | None = None
    obtained: str = "rendered elsewhere"
    wait_s: float | None = None
    credits: float | None = None
    note: str = ""

    @property
    def ready(self) -> bool:
        return self.candidate_id is not None and self.passage_id is not None


def is_sound_file(path: Path) -> bool:
    """By content: a file without an extension is sound when its bytes say so."""
    try:
        return kind_of_sound(first_bytes(path, 64)) is not None
    except OSError:
        return False


def guess(
    paths: Sequence[Path], candidates: Sequence[Candidate], names: Mapping[int, str], passages: Sequence[Passage]
) -> list[Clipping]:
    """Match files by their names: the candidate's voice or name, the passage's title or number, in any order.

    The folder's name counts too. What fits nothing, or several alike, stays open for a person to say.
    """
    out = []
    for path in paths:
        words = plain(f"{path.parent.name} {path.stem}")
        by_candidate = {c.id: max(_part_of(plain(names.get(c.id, "")), words), _part_of(plain(c.voice), words))
                        for c in candidates}  # fmt: skip
        by_passage = {p.id: _part_of(plain(p.title), words) for p in passages}
        passage = _only_best(by_passage)
        if passage is None:
            numbers = [int(n) for n in re.findall(r"(?<!\d)(\d{1,3})(?!\d)", path.stem)]
            fitting = [passages[n - 1].id for n in numbers if 1 <= n <= len(passages)]
            passage = fitting[0] if fitting else None
        out.append(Clipping(path=path, candidate_id=_only_best(by_candidate), passage_id=passage))
    return out


def _part_of(name: str, words: str) -> int:
    """How much of a name stands in the words: its length when it does, 0 when not."""
    return len(name) if name and re.search(rf"(^|-){re.escape(name)}($|-)", words) else 0


def _only_best(scores: Mapping[int, int]) -> int | None:
    best = max(scores.values(), default=0)
    fitting = [key for key, score in scores.items() if score == best]
    return fitting[0] if best and len(fitting) == 1 else None


def from_table(
    text: str, *, name: str, folder: Path, candidates: Sequence[Candidate], names: Mapping[int, str],
    passages: Sequence[Passage],
) -> list[Clipping]:  # fmt: skip
    """A table of clips: columns file, candidate, passage; wait_s, credits, obtained and note if wanted.

    candidate: its number on the shortlist, its name or its voice; passage: its number or title. Raises TableError.
    """
    rows = table_rows(text, name=name, kept=_KEPT)
    if not rows or not {"file", "candidate", "passage"} <= set(rows[0]):
        raise TableError(
            tr("{name}: a table of clips has the columns file, candidate and passage.", name=name), kept=_KEPT
        )
    by_candidate = {str(i): c.id for i, c in enumerate(candidates, 1)}
    by_candidate |= {plain(c.voice): c.id for c in candidates} | {plain(names.get(c.id, "")): c.id for c in candidates}
    by_passage = {str(i): p.id for i, p in enumerate(passages, 1)} | {plain(p.title): p.id for p in passages}
    out = []
    for number, row in enumerate(rows, 2):
        where = tr("{name}, row {number}", name=name, number=number)
        path = folder / (row["file"] or "").strip()
        candidate = by_candidate.get(plain(row["candidate"] or ""))
        passage = by_passage.get(plain(row["passage"] or ""))
        if not os.path.isfile(path):
            raise TableError(
                tr("{where}: there is no file '{row}' beside the table.", where=where, row=row["file"]), kept=_KEPT
            )
        if candidate is None:
            raise TableError(tr("{where}: no candidate is '{row}'.", where=where, row=row["candidate"]), kept=_KEPT)
        if passage is None:
            raise TableError(tr("{where}: no passage is '{row}'.", where=where, row=row["passage"]), kept=_KEPT)
        obtained = (row.get("obtained") or "").strip() or "rendered elsewhere"
        if obtained not in HOW_OBTAINED:
            raise TableError(
                tr("{where}: obtained is one of {obtained}.", where=where, obtained=", ".join(HOW_OBTAINED)), kept=_KEPT
            )
        try:
            wait, credits = (_number(row.get(column)) for column in ("wait_s", "credits"))
        except ValueError as error:
            raise TableError(tr("{where}: wait_s and credits are numbers.", where=where), kept=_KEPT) from error
        out.append(Clipping(path=path, candidate_id=candidate, passage_id=passage, obtained=obtained, wait_s=wait,
                            credits=credits, note=(row.get("note") or "").strip()))  # fmt: skip
    return out


_KEPT: Final = tr("Nothing was brought in.")


def _number(text: str | None) -> float | None:
    return float(text) if text and text.strip() else None


def bring_in(takes: Takes, texts: Texts, shortlist: Shortlist, clipping: Clipping) -> Take:
    """Keep one clip as a take of its cell, after the last repeat there. Raises InputError or AudioError."""
    passage = next((p for p in texts.all() if p.id == clipping.passage_id), None)
    candidate = next((c for c in shortlist.candidates() if c.id == clipping.candidate_id), None)
    if passage is None or candidate is None:
        raise InputError(
            tr("{name} has no candidate or passage yet.", name=clipping.path.name),
            kept=_KEPT,
            remedy=tr("Choose both."),
        )
    if clipping.obtained not in HOW_OBTAINED:
        raise InputError(tr("{name}: how it was obtained is not known.", name=clipping.path.name), kept=_KEPT)
    if clipping.wait_s is not None and not 0 < clipping.wait_s < 1e6:
        raise InputError(
            tr("{name}: the wait is a number of seconds above nought.", name=clipping.path.name), kept=_KEPT
        )
    clip = read(clipping.path)
    cell = [t.repeat for t in takes.all(candidate_id=candidate.id) if
            t.passage_version_id == passage.version_id]  # fmt: skip
    timing = None
    if clipping.wait_s is not None:
        timing = Timing(last_byte_s=clipping.wait_s, decoded_s=clipping.wait_s, typed=True)
    return takes.keep(
        clip,
        candidate_id=candidate.id,
        passage_version_id=passage.version_id,
        repeat=max(cell, default=0) + 1,
        timing=timing,
        obtained=clipping.obtained,
        brought={"file": clipping.path.name, "credits": clipping.credits, "note": clipping.note},
    )
