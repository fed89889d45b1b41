"""Answers of listeners as they were given, complete: a table and JSON lines, from which every figure can be recomputed.

The table is read by ``zestpanel ratings|preference|agreement`` without the project.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.errors import InputError
from zestpanel.core.report.tables import write_csv
from zestpanel.core.store.project import Project
from zestpanel.core.text_files import write_text

COLUMNS: Final = (
    "test", "kind", "scale", "listener", "first_language", "simulated", "order", "role", "passage", "language",
    "candidate", "score", "first", "second", "answer", "take", "heard_share", "plays", "took_s", "origin", "given_on",
    "passage_version",
)  # fmt: skip


def answers(project: Project) -> Iterator[dict[str, Any]]:
    """Every answer that stands, of all tests, training included, in the order they were given within a test."""
    candidates = project.shortlist.candidates(removed=True, of_sweeps=True)
    names = short_names(candidates, project.shortlist.engines())
    people = {p.id: p for p in project.panel.listeners()}
    titles = {p.version_id: (p.title, p.language) for p in project.texts.all()}
    for test in project.panel.tests():
        for one in project.answers.of_test(test.id, training=True):
            person = people[one.listener_id]
            yield {
                "test": test.id, "kind": test.kind, "settings": dict(test.settings), "listener": person.alias,
                "languages": list(person.languages), "hearing": person.hearing, "kit": person.kit,
                "simulated": person.simulated, "order": one.trial.place + 1, "training": one.trial.training,
                "detail": dict(one.trial.detail), "clips": [_clip(s, names, titles) for s in one.trial.stimuli],
                "given": dict(one.answer.given), "heard_share": one.answer.heard_share, "plays": one.answer.plays,
                "took_s": one.answer.took_s, "note": one.answer.note, "origin": one.answer.origin,
                "given_on": one.answer.created,
            }  # fmt: skip


def _clip(clip: Any, names: dict[int, str], titles: dict[int, tuple[str, str]]) -> dict[str, Any]:
    title, language = titles.get(clip.passage_version_id, ("", ""))
    return {"candidate": names.get(clip.candidate_id, str(clip.candidate_id)), "passage": title, "language": language,
            "passage_version": clip.passage_version_id, "take": clip.take_id, "role": clip.role}  # fmt: skip


def as_rows(found: Iterator[dict[str, Any]]) -> list[list[str]]:
    """One row an answer, the first names the columns. A pair stands under first, second and answer, a single clip under
    candidate and score; what else was asked stands in answer."""
    rows = [list(COLUMNS)]
    for one in found:
        clips, given = one["clips"], one["given"]
        score = given.get("score") if len(clips) == 1 else None
        said = given.get("choice", given.get("x", given.get("says", given.get("text", given.get("score")))))
        known = {
            **one, "first_language": (one["languages"] or [""])[0], "scale": one["settings"].get("scale", one["kind"]),
            "role": "training" if one["training"] else "", "passage": clips[0]["passage"],
            "language": clips[0]["language"], "candidate": clips[0]["candidate"] if len(clips) == 1 else "",
            "score": score, "first": clips[0]["candidate"] if len(clips) > 1 else "",
            "second": clips[1]["candidate"] if len(clips) > 1 else "", "answer": None if score is not None else said,
            "take": " ".join(str(c["take"]) for c in clips if c["take"] is not None),
            "passage_version": clips[0]["passage_version"],
        }  # fmt: skip
        rows.append(["" if known.get(column) is None else str(known[column]) for column in COLUMNS])
    return rows


def write_answers(project: Project, to: Path) -> int:
    """Write all answers as a table (.csv) or as JSON lines (.jsonl); how many. Raises InputError."""
    found = list(answers(project))
    if not found:
        raise InputError("There are no answers yet.", kept="Nothing was written.")
    match to.suffix.lower():
        case ".csv":
            write_csv(to, as_rows(iter(found)))
        case ".jsonl":
            lines = "".join(json.dumps(one, ensure_ascii=False) + "\n" for one in found)
            write_text(to, lines, kept="Nothing was written.")
        case other:
            raise InputError(f"Answers are written as .csv or .jsonl, not as '{other or to.name}'.",
                             kept="Nothing was written.")  # fmt: skip
    return len(found)
