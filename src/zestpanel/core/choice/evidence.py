"""Gathering what the choice rests on: one row a candidate, from measures, ratings and tariffs."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import numpy as np

from zestpanel.core.bench.summary import Summary, summaries
from zestpanel.core.brief import Brief
from zestpanel.core.catalogue.candidate import Candidate, candidate_detail, plan_of, short_names
from zestpanel.core.catalogue.claims import OwnFigure
from zestpanel.core.catalogue.facts import Plan
from zestpanel.core.choice.gates import Gate, gates
from zestpanel.core.choice.ranking import Criterion, Evidence, Ranked, firmness, frontier, rank
from zestpanel.core.project.project import Project
from zestpanel.core.statistics.paired import Equality
from zestpanel.core.statistics.scores import PanelScores, Score, panel_scores
from zestpanel.core.tariffs.curve import month_curve
from zestpanel.core.tariffs.tariff import Tariff
from zestpanel.core.tariffs.volume import VolumeCost, cost_at_volume

QUALITY, COST, WAIT, FAILURES = "quality", "cost", "wait", "failures"
EQUAL_WITHIN = 0.3  # default margin on the 5-point scale


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """All evidence on one candidate."""

    candidate: Candidate
    name: str
    detail: str
    plan: Plan
    hosted: bool | None
    summary: Summary
    cost: VolumeCost
    score: Score | None
    gates: tuple[Gate, ...]
    as_good_as_best: Equality | None  # against the best-scored candidate of the language
    best_id: int | None

    @property
    def passes(self) -> bool:
        return all(gate.verdict == "yes" for gate in self.gates)


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """The whole result: rows by candidate id, the ranking, and who is on the quality-cost frontier."""

    brief: Brief
    rows: dict[int, Row]
    ranking: tuple[Ranked, ...]
    criteria: tuple[Criterion, ...]
    on_frontier: frozenset[int]
    scores: PanelScores


def default_criteria(brief: Brief) -> dict[str, dict[str, float]]:
    """The weights to start from: quality first, then money; bounds from the brief where it states them."""
    budget = float(brief.budget_per_month) if brief.budget_per_month else 100.0
    wait = float(brief.longest_wait_s) if brief.longest_wait_s else 30.0
    return {
        QUALITY: {"worst": 2.5, "best": 4.5, "weight": 50},
        COST: {"worst": budget, "best": 0.0, "weight": 30},
        WAIT: {"worst": wait, "best": 0.5, "weight": 10},
        FAILURES: {"worst": 0.1, "best": 0.0, "weight": 10},
    }


def criteria_of(project: Project, brief: Brief) -> tuple[Criterion, ...]:
    stored: dict[str, Any] = project.documents.get("criteria") or {}
    merged = {name: {**base, **stored.get(name, {})} for name, base in default_criteria(brief).items()}
    return tuple(Criterion(name=name, **parts) for name, parts in merged.items())


def standing(project: Project) -> Standing:
    """Everything the choice page, the card and the decision record show."""
    brief = project.brief
    engines = project.shortlist.engines()
    found = summaries(project)
    scores = panel_scores(project)
    rows: dict[int, Row] = {}
    own = project.notes.statements()
    names = short_names(project.shortlist.candidates(), engines)
    for candidate in project.shortlist.candidates():
        engine = engines.get(candidate.engine)
        plan, summary = plan_of(candidate, engine), found[candidate.id]
        cost = cost_at_volume(plan.tariff, summary.rates, brief, model=candidate.model)
        best = _best(scores, candidate.id)
        language = scores.language_of(candidate.id)
        equal = None
        if best is not None and language is not None and best != candidate.id:
            equal = language.equality(candidate.id, best, margin=EQUAL_WITHIN)
        rows[candidate.id] = Row(
            candidate=candidate,
            name=names[candidate.id],
            detail=candidate_detail(candidate, engine),
            plan=plan,
            hosted=engine.is_hosted if engine else None,
            summary=summary,
            cost=cost,
            score=scores.by_candidate.get(candidate.id),
            gates=tuple(
                gates(
                    brief,
                    candidate,
                    engine,
                    cost,
                    summary,
                    own=own.get(candidate.engine, []),
                    consent_missing=project.own_voices.consent_missing(candidate.engine, candidate.voice),
                )
            ),
            as_good_as_best=equal,
            best_id=best,
        )
    criteria = criteria_of(project, brief)
    evidence = [_evidence(row, brief) for row in rows.values()]
    chances = firmness(criteria, evidence, np.random.default_rng(7))
    ranking = tuple(
        Ranked(
            candidate_id=r.candidate_id,
            utilities=r.utilities,
            total=r.total,
            low=r.low,
            high=r.high,
            missing=r.missing,
            passes=r.passes,
            first=chances.get(r.candidate_id, (0.0, 0.0))[0],
            top_three=chances.get(r.candidate_id, (0.0, 0.0))[1],
        )
        for r in rank(criteria, evidence)
    )
    points = [
        (row.candidate.id, row.score.mean, float(row.cost.month.total.amount))
        for row in rows.values()
        if row.score is not None
        and row.cost.month.total is not None
        and row.cost.month.covers
        and row.cost.month.total.currency == brief.currency
    ]
    return Standing(
        brief=brief,
        rows=rows,
        ranking=ranking,
        criteria=criteria,
        on_frontier=frozenset(frontier(points)),
        scores=scores,
    )


def _best(scores: PanelScores, candidate_id: int) -> int | None:
    language = scores.language_of(candidate_id)
    if language is None:
        return None
    return max(language.candidate_ids, key=lambda i: scores.by_candidate[i].mean)


def _evidence(row: Row, brief: Brief) -> Evidence:
    cost = row.cost.month
    known = cost.total is not None and cost.covers and cost.total.currency == brief.currency
    rate, score = row.summary.failure_rate, row.score
    errors = {}
    if score is not None and score.crossed is not None:
        errors[QUALITY] = (score.crossed.high - score.crossed.low) / 2 / 1.96
    if rate is not None:
        errors[FAILURES] = (rate.high - rate.low) / 2 / 1.96
    return Evidence(
        candidate_id=row.candidate.id,
        passes=row.passes,
        errors=errors,
        values={
            QUALITY: score.mean if score else None,
            COST: float(cost.total.amount) if known and cost.total is not None else None,
            WAIT: row.summary.whole_clip.median,
            FAILURES: rate.estimate if rate else None,
        },
    )


def cost_curve(tariff: Tariff, row: Row, brief: Brief, minutes: list[float]) -> list[float | None]:
    """Money a month over volume in finished minutes, None where the plan stops or the price is unknown."""
    curve = month_curve(tariff, row.summary.rates, brief, model=row.candidate.model)
    if curve is None:
        return [None] * len(minutes)
    return [None if m is None else float(m) for m in curve.at([Decimal(repr(minute)) for minute in minutes])]


def own_figures(found: Standing, engine: str) -> dict[str, OwnFigure]:
    """Our figures that an engine's claims are held against: for each the best of its candidates, as claims mean it."""
    rows = [row for row in found.rows.values() if row.candidate.engine == engine]
    out: dict[str, OwnFigure] = {}

    def offer(about: str, value: float | None, n: int, row: Row, *, higher: bool = False) -> None:
        before = out.get(about)
        if value is not None and (before is None or ((value > before.value) == higher and value != before.value)):
            out[about] = OwnFigure(value, n, row.name)

    for row in rows:
        s, score = row.summary, row.score
        offer("first sound s", s.first_sound.median, s.first_sound.n, row)
        offer("whole clip s", s.whole_clip.median, s.whole_clip.n, row)
        if s.real_time_factor is not None:
            offer("real-time factor", s.real_time_factor.median, s.real_time_factor.n, row)
        if s.failure_rate is not None:
            offer("failures per 100", 100 * s.failure_rate.estimate, s.requests, row)
        if pace := s.sound.get("words_per_minute"):
            offer("words a minute", pace.median, pace.n, row, higher=True)
        if score is not None:
            offer("panel score", score.mean, score.ratings, row, higher=True)
        takes = max(1, s.rates.takes)
        for about, money in (("price of 1,000 characters", row.cost.per_thousand),
                             ("price of a minute", row.cost.per_minute)):  # fmt: skip
            if money is not None:
                offer(about, float(money.amount), takes, row)
    return out
