"""Gathering what the choice rests on: one row a candidate, from measures, ratings and tariffs."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.paired import Equality
from zestpanel.core.analysis.summary import Summary, summaries
from zestpanel.core.catalogue.candidate import candidate_detail, plan_of, short_names
from zestpanel.core.catalogue.claims import OwnFigure
from zestpanel.core.catalogue.facts import Plan
from zestpanel.core.choice.gates import Gate, gates
from zestpanel.core.choice.ranking import Criterion, Evidence, Ranked, firmness, frontier, rank
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money
from zestpanel.core.listening.scores import LanguageScores, PanelScores, Score, panel_scores, primary
from zestpanel.core.measures.registry import measures
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff
from zestpanel.core.money.volume import VolumeCost, cost_at_volume
from zestpanel.core.sending.episodes import requests_per_episode
from zestpanel.core.store.project import Project

QUALITY, COST, WAIT, FAILURES = "quality", "cost", "wait", "failures"
EQUAL_WITHIN = 0.3  # default margin on the 5-point scale


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """All evidence on one candidate. score: in its own language; equality and best are of that language too."""

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

    @property
    def language(self) -> str:
        return primary(self.candidate.language)

    @property
    def how_sure(self) -> str:
        """'nobody has heard this', 'preliminary', or '' for a score that rests on enough."""
        if self.score is None:
            return "nobody has heard this"
        return "preliminary" if self.score.preliminary else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """The whole result: rows by candidate id, the ranking (language by language, since candidates of two languages
    never compete), and who is on the quality-cost frontier of their language."""

    brief: Brief
    rows: dict[int, Row]
    ranking: tuple[Ranked, ...]
    criteria: tuple[Criterion, ...]
    on_frontier: frozenset[int]
    scores: PanelScores

    def languages(self) -> list[str]:
        """Languages that candidates speak, in the order of the ranking."""
        return list(dict.fromkeys(one.language for one in self.ranking))

    def ranking_in(self, language: str) -> list[Ranked]:
        return [one for one in self.ranking if one.language == language]

    def score_in(self, candidate_id: int, language: str) -> Score | None:
        """A voice of several languages has a score in each that it was heard in."""
        found = self.scores.of_language(language)
        return None if found is None else found.scores.get(candidate_id)

    def not_placed(self) -> list[tuple[Row, str]]:
        """Candidates that the map of quality and cost cannot show, and why."""
        out = []
        for row in self.rows.values():
            reasons = ["nobody has heard it"] if row.score is None else []
            reasons += [row.cost.why_not] if row.cost.own is None else []
            if reasons:
                out.append((row, "; ".join(reasons)))
        return out


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


def bounds_in_words(criteria: Iterable[Criterion], currency: str) -> str:
    """Between which values each criterion counts, and how much: 'quality 50: from 2.5 (not acceptable) to 4.5'."""
    units = {COST: f" {currency} a month", WAIT: " s", FAILURES: " %"}
    parts = []
    for one in criteria:
        times = 100 if one.name == FAILURES else 1
        worst, best = (f"{value * times:g}".replace("-", "−") for value in (one.worst, one.best))
        unit = units.get(one.name, "")
        name = "money" if one.name == COST else one.name
        parts.append(f"{name} (weight {one.weight:g}) from {worst}{unit} to {best}{unit}")
    return "From not acceptable to as good as it need be: " + "; ".join(parts) + "."


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
    sample = _sample_by_language(project)
    for candidate in project.shortlist.candidates():
        engine = engines.get(candidate.engine)
        plan, summary = plan_of(candidate, engine), found[candidate.id]
        cost = cost_at_volume(
            plan.tariff,
            summary.rates,
            brief,
            model=candidate.model,
            requests_per_episode=requests_per_episode(
                brief.episode_minutes * summary.rates.characters_per_minute,
                engine.limits.characters_per_request if engine else None,
                sample=sample.get(primary(candidate.language), ""),
                language=candidate.language,
            ),
        )
        language = scores.language_of(candidate.id)
        best = None if language is None else language.best()
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
    ranking: list[Ranked] = []
    on_frontier: set[int] = set()
    for language_tag in _languages(brief, rows.values(), scores):
        scored = scores.of_language(language_tag)
        heard = scored.scores if scored is not None else {}
        of_language = [row for row in rows.values() if row.language == language_tag or row.candidate.id in heard]
        evidence = [_evidence(row, scored) for row in of_language]
        chances = firmness(criteria, evidence, np.random.default_rng(7))
        for ranked in rank(criteria, evidence):
            first, top_three = chances.get(ranked.candidate_id, (None, None))
            ranking.append(replace(ranked, language=language_tag, first=first, top_three=top_three))
        on_frontier |= frontier(
            [
                (row.candidate.id, heard[row.candidate.id].mean, float(row.cost.own.amount))
                for row in of_language
                if row.candidate.id in heard and row.cost.own is not None and row.language == language_tag
            ]
        )
    return Standing(
        brief=brief,
        rows=rows,
        ranking=tuple(ranking),
        criteria=criteria,
        on_frontier=frozenset(on_frontier),
        scores=scores,
    )


def _languages(brief: Brief, rows: Iterable[Row], scores: PanelScores) -> list[str]:
    """The brief's languages in its order, then others that candidates speak or were heard in."""
    spoken = dict.fromkeys([*(row.language for row in rows), *(one.language for one in scores.languages)])
    wanted = dict.fromkeys(primary(tag) for tag in brief.languages)
    return [tag for tag in wanted if tag in spoken] + [tag for tag in spoken if tag not in wanted]


_SAMPLE_CHARACTERS: Final = 20_000


def _sample_by_language(project: Project) -> dict[str, str]:
    """The channel's own passages, one after another, as a sample of what its episodes are made of."""
    out: dict[str, str] = {}
    for passage in project.texts.all():
        key = primary(passage.language)
        if len(out.get(key, "")) < _SAMPLE_CHARACTERS:
            out[key] = f"{out[key]}\n\n{passage.text}" if key in out else passage.text
    return {key: text[:_SAMPLE_CHARACTERS] for key, text in out.items()}


def _evidence(row: Row, language: LanguageScores | None) -> Evidence:
    rate = row.summary.failure_rate
    score = None if language is None else language.scores.get(row.candidate.id)
    errors: dict[str, float] = {}
    draws: dict[str, NDArray[np.float64]] = {}
    if score is not None and language is not None:
        draws[QUALITY] = language.draws_of(row.candidate.id)
    if rate is not None:
        errors[FAILURES] = (rate.high - rate.low) / 2 / 1.96
    wait = row.summary.whole_clip.median
    return Evidence(
        candidate_id=row.candidate.id,
        passes=row.passes,
        errors=errors,
        draws=draws,
        values={
            QUALITY: score.mean if score else None,
            COST: float(row.cost.own.amount) if row.cost.own is not None else None,
            WAIT: wait,
            FAILURES: rate.estimate if rate else None,
        },
    )


def cost_curve(tariff: Tariff, row: Row, brief: Brief, minutes: list[float]) -> list[float | None]:
    """Money a month in the brief's currency over volume in finished minutes, None where the plan stops, the price is
    unknown or no exchange rate is given."""
    curve = month_curve(
        tariff,
        row.summary.rates,
        brief,
        model=row.candidate.model,
        requests_per_episode=row.cost.requests_per_episode,
    )
    in_own = None if curve is None else brief.in_own_currency(Money(Decimal(1), curve.currency))
    if curve is None or in_own is None:
        return [None] * len(minutes)
    found = curve.at([Decimal(repr(minute)) for minute in minutes])
    return [None if m is None else float(m * in_own.amount) for m in found]


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
        for one in measures().values():
            if one.claimed and (figure := s.sound.get(one.name)):
                offer(one.claimed, figure.median, figure.n, row, higher=one.better != "lower")
        if score is not None:
            offer("panel score", score.mean, score.ratings, row, higher=True)
        takes = max(1, s.rates.takes)
        for about, money in (("price of 1,000 characters", row.cost.per_thousand),
                             ("price of a minute", row.cost.per_minute)):  # fmt: skip
            if money is not None:
                offer(about, float(money.amount), takes, row)
    return out
