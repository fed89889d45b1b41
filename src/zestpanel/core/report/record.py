"""The decision record: one self-contained HTML page, and the tables beside it as CSV."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Any, Protocol

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from zestpanel import __version__
from zestpanel.core.analysis.timing.waits import in_words
from zestpanel.core.choice.criteria import bounds_in_words, in_ranking
from zestpanel.core.choice.decision import Decision, decisions, what_stands_against
from zestpanel.core.choice.evidence import Evaluation, EvaluationParts, evaluate
from zestpanel.core.choice.ranking import chance_in_words
from zestpanel.core.choice.row import Row
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name, locale_name
from zestpanel.core.own_files import write_whole
from zestpanel.core.report.drawing import Picture, to_svg
from zestpanel.core.report.palette import LIGHT
from zestpanel.core.report.pictures import scores_picture, trade_off_picture, volume_picture, waits_picture
from zestpanel.core.report.tables import evidence_table, write_csv
from zestpanel.core.signs import harmless
from zestpanel.core.store.database import now
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.impressions import Impression, Impressions, which
from zestpanel.core.store.parts import HasFolder, HasImpressions
from zestpanel.core.texts import LANGUAGE, capital, tr, word
from zestpanel.core.typed import months_in_words


class RecordParts(EvaluationParts, HasFolder, HasImpressions, Protocol):
    """All that a choice rests on, and what was noted while listening."""


@dataclass(frozen=True, slots=True)
class Written:
    record: Path
    tables: tuple[Path, ...]


def write_record(project: RecordParts, folder: Path | None = None) -> Written:
    """Write the record and its table into a folder (the project's exports by default). Raises ZestError."""
    folder = folder or project.folder / "exports"
    found = evaluate(project)
    if not found.rows:
        raise ZestError(
            tr("There is nothing to record: the shortlist is empty."), remedy=tr("Put candidates on it first.")
        )
    stamp = now()[:16].replace(":", "").replace("T", "-")
    page = render_record(project, found)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        record, table = _free_names(folder, stamp)
        write_whole(record, page.encode("utf-8"))
        write_csv(table, evidence_table(found))
    except OSError as error:
        raise ZestError(
            tr("The record could not be written to {folder} ({strerror}).", folder=folder, strerror=error.strerror),
            kept=tr("The project is unchanged."),
            remedy=tr("Choose another folder."),
        ) from error
    return Written(record=record, tables=(table,))


def _free_names(folder: Path, stamp: str) -> tuple[Path, Path]:
    """Names of a record and its table that no earlier one has: two may be written in one minute."""
    for ending in ("", *(f"-{number}" for number in range(2, 10_000))):
        record, table = folder / f"decision-record-{stamp}{ending}.html", folder / f"evidence-{stamp}{ending}.csv"
        if not record.exists() and not table.exists():
            break
    return record, table


def render_record(project: RecordParts, found: Evaluation) -> str:
    environment = Environment(
        loader=PackageLoader("zestpanel.core.report"),
        autoescape=True,
        finalize=_harmless,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters.update(language=language_name, locale=locale_name, word=word, capital=capital)
    environment.globals.update(tr=tr, interface=LANGUAGE)
    passages = project.texts.all()
    listeners = {p.id: p for p in project.panel.listeners()}
    ratings = project.answers.ratings()
    heard = {r.listener_id for r in ratings}
    return environment.get_template("record.html.j2").render(
        evaluation=found,
        brief=found.brief,
        by_language=[
            (tag, [(found.rows[r.candidate_id], r) for r in found.ranking_in(tag)], _pictures_of(found, tag))
            for tag in found.languages()
        ],
        figures=in_ranking(found.criteria),
        bounds=bounds_in_words(found.criteria, found.brief),
        not_placed=found.not_placed(),
        wait=in_words,
        chance=chance_in_words,
        passages=passages,
        decisions=_named(project.documents, found),
        listeners=[listeners[i] for i in sorted(heard)],
        simulated=sum(listeners[i].simulated for i in heard),
        ratings=len(ratings),
        margin=found.brief.equal_within,
        month=_month,
        months=months_in_words,
        against=what_stands_against,
        version=__version__,
        written=now()[:10],
        charts=_drawn(_pictures(found)),
        impressions=_impressions(project.impressions, found),
        colours=LIGHT,
        fonts=_fonts(),
    )


def _harmless(value: Any) -> Any:
    """No name of somebody's file holds a sign that a page obeys, or turns round what stands beside it."""
    if isinstance(value, Markup):
        return Markup(harmless(value))  # noqa: S704 was one before
    return harmless(value) if isinstance(value, str) else value


def _impressions(impressions: Impressions, found: Evaluation) -> list[tuple[str, list[tuple[str, Impression]]]]:
    """Of the voices compared: (name, [(which it is, the impression)])."""
    given, out = impressions.all(), {}
    for row in found.rows.values():
        voice = (row.candidate.engine, row.candidate.voice)
        if voice in given and voice not in out:  # the first of its candidates stands for the voice
            out[voice] = (row.name, [(which(k), one) for k, one in enumerate(given[voice])])
    return list(out.values())


def _drawn(pictures: list[tuple[str, Picture | None]]) -> list[tuple[str, Markup]]:
    return [(title, Markup(to_svg(picture, LIGHT))) for title, picture in pictures if picture is not None]  # noqa: S704 drawn by this program, its texts escaped


def _pictures_of(found: Evaluation, language: str) -> list[tuple[str, Markup]]:
    return _drawn(
        [
            (tr("Panel scores, with 95 % intervals"), scores_picture(found, width=760, language=language)),
            (tr("Quality against cost"), trade_off_picture(found, language=language, width=760, height=380)),
        ]
    )


def _pictures(found: Evaluation) -> list[tuple[str, Picture | None]]:
    return [
        (tr("Money a month against volume"), volume_picture(found, width=760)),
        (tr("Wait for the whole clip"), waits_picture(found, width=760, first_sound=False)),
    ]


def _month(row: Row) -> str:
    """'22.00 EUR', with the brief's currency first where the plan is quoted in another, or why it is not known."""
    total, own = row.cost.month.total, row.cost.own
    if own is None or total is None:
        return row.cost.why_not if total is None or not row.cost.month.covers else f"{total} ({row.cost.why_not})"
    return str(own) if own.currency == total.currency else f"{own} ({total})"


def _named(documents: Documents, found: Evaluation) -> list[tuple[Decision, Row | None, Row | None]]:
    return [
        (d, found.rows.get(d.candidate_id), found.rows.get(d.runner_up_id) if d.runner_up_id else None)
        for d in decisions(documents)
    ]


def _fonts() -> dict[str, str]:
    """The shipped faces as base64, so that the page needs nothing beside it."""
    folder = resources.files("zestpanel") / "fonts"
    return {
        name: base64.b64encode((folder / name).read_bytes()).decode()
        for name in ("Lato-Regular.ttf", "Vollkorn-SemiBold.ttf")
    }
