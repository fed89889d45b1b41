"""Answers of listeners as they were given, as a table from which every figure can be recomputed.

The table is read by ``zestpanel ratings|preference|agreement`` without the project.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.listening import RATING, Answered
from zestpanel.core.errors import InputError
from zestpanel.core.listening.answer_file import FileParts, lines_of
from zestpanel.core.listening.kinds.placing import PLACES
from zestpanel.core.listening.kinds.write_what_you_hear import KIND as WRITTEN
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.listening.results import result_of, standing
from zestpanel.core.report.tables import write_csv
from zestpanel.core.text_files import write_text
from zestpanel.core.texts import tr

COLUMNS: Final = (
    "test", "kind", "scale", "listener", "first_language", "simulated", "order", "role", "passage", "language",
    "candidate", "score", "first", "second", "answer", "take", "heard_share", "plays", "took_s", "origin", "given_on",
    "passage_version", "counts", "note", "spoken",
)  # fmt: skip


def answers(project: AnswerParts) -> Iterator[dict[str, Any]]:
    """Every answer that stands, of all tests, training included, in the order they were given within a test."""
    candidates = project.shortlist.candidates(removed=True, of_sweeps=True)
    names = short_names(candidates, project.shortlist.engines())
    people = {p.id: p for p in project.panel.listeners()}
    every, named, of = project.texts.every_text(), project.texts.titles(), project.texts.passage_of_version()
    titles = {version: (named[of[version]], language) for version, (_, language) in every.items()}
    texts = {version: text for version, (text, _) in every.items()}
    for test in project.panel.tests():
        found = result_of(project, test)
        out = found.out
        for one in standing(project, test, found.kind, found.settings, training=True):
            person = people[one.listener_id]
            yield {
                "test": test.id, "kind": test.kind, "settings": dict(test.settings), "listener": person.alias,
                "languages": list(person.languages), "hearing": person.hearing, "kit": person.kit,
                "simulated": person.simulated, "order": one.trial.place + 1, "training": one.trial.training,
                "detail": dict(one.trial.detail), "clips": [_clip(s, names, titles) for s in one.trial.stimuli],
                **({"text": texts.get(_first_text(one), "")} if test.kind == WRITTEN.name else {}),
                "given": dict(one.answer.given), "heard_share": one.answer.heard_share, "plays": one.answer.plays,
                "took_s": one.answer.took_s, "note": one.answer.note, "spoken": one.answer.spoken,
                "origin": one.answer.origin, "given_on": one.answer.created, "counts": one.listener_id not in out,
            }  # fmt: skip


def _first_text(one: Answered) -> int:
    return one.trial.stimuli[0].passage_version_id


def _clip(clip: Any, names: dict[int, str], titles: dict[int, tuple[str, str]]) -> dict[str, Any]:
    title, language = titles.get(clip.passage_version_id, ("", ""))
    return {"candidate": names.get(clip.candidate_id, str(clip.candidate_id)), "passage": title, "language": language,
            "passage_version": clip.passage_version_id, "take": clip.take_id, "role": clip.role}  # fmt: skip


def as_rows(found: Iterator[dict[str, Any]]) -> list[list[str]]:
    """A row an answer, the first names the columns; several where a trial asks for several scores or places several
    clips. A pair stands under first, second and answer, a single clip under candidate and score."""
    rows = [list(COLUMNS)]
    for one in found:
        for row in _rows_of(one):
            rows.append(["" if row.get(column) is None else str(row[column]) for column in COLUMNS])
    return rows


def _rows_of(one: dict[str, Any]) -> Iterator[dict[str, Any]]:
    clips, given, detail = one["clips"], one["given"], one["detail"]
    judged = [clip for clip in clips if clip["role"] == "judged"]
    role = (
        "training"
        if one["training"]
        else "trap"
        if "trap" in detail
        else "gold"
        if "gold" in detail
        else "repeat"
        if detail.get("repeat")
        else ""
    )
    about = judged[0] if judged else clips[-1] if clips else {}
    common = {
        **one, "first_language": (one["languages"] or [""])[0], "scale": one["settings"].get("scale", one["kind"]),
        "role": role, "passage": about.get("passage"), "language": about.get("language"),
        "take": " ".join(str(c["take"]) for c in clips if c["take"] is not None),
        "passage_version": about.get("passage_version"), "counts": "yes" if one["counts"] else "no",
    }  # fmt: skip
    if PLACES in given:
        yield from _placed(common, clips, detail, given[PLACES])
    elif len(judged) > 1:
        said = given.get("choice", given.get("x", given.get("score")))
        yield {**common, "first": clips[0]["candidate"], "second": clips[1]["candidate"], "answer": said}
    else:
        yield from _of_one_clip(common, about, given)


def _of_one_clip(common: dict[str, Any], clip: dict[str, Any], given: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """A row for each scale; what else was asked, such as whether it is the same person, stands beside the first."""
    scale = common["kind"] if common["kind"] != RATING else common["scale"]
    scores = {scale if name == "score" else name: value for name, value in given.items()
              if isinstance(value, int | float)}  # fmt: skip
    words = [str(value) for value in given.values() if isinstance(value, str)]
    said = words[0] if words else None
    if not scores:
        yield {**common, "scale": scale, "candidate": clip.get("candidate"), "answer": said}
    for k, (name, value) in enumerate(scores.items()):
        yield {**common, "scale": name, "candidate": clip.get("candidate"), "score": value,
               "answer": said if k == 0 else None}  # fmt: skip


def _placed(
    common: dict[str, Any], clips: list[dict[str, Any]], detail: dict[str, Any], places: list[int]
) -> Iterator[dict[str, Any]]:
    first = 1 if detail.get("reference") else 0
    cuts = detail.get("cut_off_hz", {})
    for at, place in enumerate(places, first):
        clip, cut = clips[at], cuts.get(str(at))
        role = common["role"] or ("anchor" if cut else "reference" if clip["role"] == "reference" else "")
        name = tr("Anchor {cut} kHz", cut=f"{cut / 1000:g}") if cut else clip["candidate"]
        yield {**common, "scale": common["kind"], "role": role, "candidate": name, "score": place,
               "take": clip["take"]}  # fmt: skip


def write_answers(project: FileParts, to: Path) -> int:
    """Write all answers as a table (.csv), or whole, to be taken in again (.jsonl); how many stand. Raises
    InputError."""
    found = list(answers(project))
    if not found:
        raise InputError(tr("There are no answers yet."), kept=tr("Nothing was written."))
    match to.suffix.lower():
        case ".csv":
            write_csv(to, as_rows(iter(found)))
        case ".jsonl":
            lines = "".join(f"{line}\n" for line in lines_of(project))
            write_text(to, lines, kept=tr("Nothing was written."))
        case other:
            raise InputError(tr("Answers are written as .csv or .jsonl, not as '{other}'.", other=other or to.name),
                             kept=tr("Nothing was written."))  # fmt: skip
    return len(found)
