"""The decision record: one self-contained HTML page, and the tables beside it as CSV."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from decimal import Decimal
from importlib import resources
from pathlib import Path
from typing import Any, Final, Protocol

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from zestpanel import __version__
from zestpanel.core.analysis.timing.waits import in_words
from zestpanel.core.choice.chosen_set import chosen_set
from zestpanel.core.choice.criteria import bounds_in_words, in_ranking
from zestpanel.core.choice.decided import Decision, decisions, every_decision
from zestpanel.core.choice.decision import changed_since
from zestpanel.core.choice.evidence import Evaluation, EvaluationParts, evaluate
from zestpanel.core.choice.fairness import EngineLine, by_engine, not_alike
from zestpanel.core.choice.ranking import Ranked, chance_in_words
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.side_by_side import why_not
from zestpanel.core.choice.standing import Standing
from zestpanel.core.choice.verdict import verdict
from zestpanel.core.errors import FAILURE_KINDS, ZestError
from zestpanel.core.evidence.declared import Figure
from zestpanel.core.languages import language_name, locale_name
from zestpanel.core.listening.together import taken_together
from zestpanel.core.own_files import write_whole
from zestpanel.core.report.drawing import Picture, to_svg
from zestpanel.core.report.palette import LIGHT
from zestpanel.core.report.pictures import scores_picture, volume_picture, waits_picture
from zestpanel.core.report.tables import choice_table, evidence_table, write_csv
from zestpanel.core.report.trade_off import not_on_the_map, trade_off_picture
from zestpanel.core.signs import harmless
from zestpanel.core.store.database import now
from zestpanel.core.store.impressions import Impression, Impressions, which
from zestpanel.core.store.parts import HasFolder, HasImpressions
from zestpanel.core.texts import LANGUAGE, capital, tr, word
from zestpanel.core.typed import months_in_words


class RecordParts(EvaluationParts, HasFolder, HasImpressions, Protocol):
    """All that a choice rests on, and what was noted while listening."""


_FILES: Final = (("decision-record", "html"), ("evidence", "csv"), ("choice", "csv"))


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
        record, *tables = _free_names(folder, stamp)
        write_whole(record, page.encode("utf-8"))
        write_csv(tables[0], evidence_table(found))
        write_csv(tables[1], choice_table(found, decisions(project.documents)))
    except OSError as error:
        raise ZestError(
            tr("The record could not be written to {folder} ({strerror}).", folder=folder, strerror=error.strerror),
            kept=tr("The project is unchanged."),
            remedy=tr("Choose another folder."),
        ) from error
    return Written(record=record, tables=tuple(tables))


def _free_names(folder: Path, stamp: str) -> tuple[Path, ...]:
    """Names of a record and its tables that no earlier one has: two may be written in one minute."""
    for ending in ("", *(f"-{number}" for number in range(2, 10_000))):
        names = tuple(folder / f"{name}-{stamp}{ending}.{kind}" for name, kind in _FILES)
        if not any(one.exists() for one in names):
            break
    return names


def render_record(project: RecordParts, found: Evaluation) -> str:
    environment = Environment(
        loader=PackageLoader("zestpanel.core.report"),
        autoescape=True,
        finalize=_harmless,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters.update(language=language_name, locale=locale_name, word=word, capital=capital, plain=_plain)
    environment.globals.update(tr=tr, interface=LANGUAGE)
    passages = project.texts.all()
    listeners = {p.id: p for p in project.panel.listeners()}
    ratings = project.answers.ratings()
    heard = {r.listener_id for r in ratings}
    decided = decisions(project.documents)
    return environment.get_template("record.html.j2").render(
        evaluation=found,
        brief=found.brief,
        parts=[_part(found, standing, decided) for standing in found.standings],
        scores=[(tag, chart) for tag in found.languages() for chart in _scores_of(found, tag)],
        together=chosen_set(found, decided),
        wait=in_words,
        chance=chance_in_words,
        passages=passages,
        decisions=[_of_decision(one, found) for one in decided],
        earlier=[(one, _of_decision(one, found)) for one in every_decision(project.documents) if one not in decided],
        listeners=[listeners[i] for i in sorted(heard)],
        simulated=sum(listeners[i].simulated for i in heard),
        runs=_runs(project),
        failures=[(row.name, dict(row.summary.failures)) for row in found.rows.values() if row.summary.failures],
        kinds=FAILURE_KINDS,
        faults=[(row.name, row.summary.faults) for row in found.rows.values() if row.summary.faults],
        ratings=len(ratings),
        margin=found.brief.equal_within,
        month=_month,
        months=months_in_words,
        version=__version__,
        written=now()[:10],
        charts=_drawn(_pictures(found)),
        tests=taken_together(project),
        impressions=_impressions(project.impressions, found),
        colours=LIGHT,
        fonts=_fonts(),
    )


def _plain(value: Decimal) -> str:
    """'20', never '2E+1'."""
    return f"{value.normalize():f}"


def _runs(project: RecordParts) -> tuple[int, str, str, list[str]]:
    """(how many, the first day, the last, on which machines) the evidence was made in and on."""
    runs = sorted(project.journal.runs().values(), key=lambda one: one.created)
    days = [one.created[:10] for one in runs] or [""]
    return len(runs), days[0], days[-1], list(dict.fromkeys(one.machine for one in runs if one.machine))


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


@dataclass(frozen=True, slots=True, kw_only=True)
class _Part:
    """A role, or a language that no role is for. rows: (row, its standing, why it was not chosen)."""

    standing: Standing
    decision: _Of | None
    says: str
    bounds: str
    figures: list[Figure]
    rows: list[tuple[Row, Ranked, str]]
    charts: list[tuple[str, Markup]]
    not_placed: list[str]
    not_alike: list[str]
    engines: list[EngineLine]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Of:
    """A decision as it is told. since: what has changed."""

    decision: Decision
    row: Row | None
    runner_up: Row | None
    since: list[str]


def _part(found: Evaluation, standing: Standing, decided: list[Decision]) -> _Part:
    decision = next((one for one in decided if one.role == standing.key), None)
    chosen = decision.candidate_id if decision is not None else None
    rows = []
    for ranked in standing.ranking:
        compared = chosen in standing.rows and ranked.candidate_id != chosen
        why = why_not(standing, ranked.candidate_id, chosen) if compared and chosen is not None else ""
        rows.append((standing.rows[ranked.candidate_id], ranked, why))
    charts = [
        (
            tr("Quality against cost"),
            trade_off_picture(standing, width=760, height=380, chosen=() if chosen is None else (chosen,)),
        )
    ]
    return _Part(
        standing=standing, decision=_of_decision(decision, found) if decision else None, says=verdict(standing),
        bounds=bounds_in_words(standing.criteria, standing.brief), figures=in_ranking(standing.criteria), rows=rows,
        charts=_drawn(charts) if standing.rows else [], not_placed=not_on_the_map(standing),
        not_alike=not_alike(standing), engines=by_engine(standing),
    )  # fmt: skip


def _of_decision(one: Decision, found: Evaluation) -> _Of:
    standing = found.standing(one.role)
    rows = dict(found.rows) | dict(standing.rows if standing is not None else {})
    return _Of(decision=one, row=rows.get(one.candidate_id or 0), runner_up=rows.get(one.runner_up_id or 0),
               since=changed_since(one, found))  # fmt: skip


def _scores_of(found: Evaluation, language: str) -> list[tuple[str, Markup]]:
    title = tr("Panel scores in {language}, with 95 % intervals", language=language_name(language))
    return _drawn([(title, scores_picture(found, width=760, language=language))])


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


def _fonts() -> dict[str, str]:
    """The shipped faces as base64, so that the page needs nothing beside it."""
    folder = resources.files("zestpanel") / "fonts"
    return {
        name: base64.b64encode((folder / name).read_bytes()).decode()
        for name in ("Lato-Regular.ttf", "Vollkorn-SemiBold.ttf")
    }
