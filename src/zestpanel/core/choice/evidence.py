"""Gathering what the choice rests on: one row a candidate, from measures, ratings and tariffs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Final, Protocol

import numpy as np

from zestpanel.core.analysis.statistics.tails import normal_quantile
from zestpanel.core.analysis.summary import SummaryParts, summaries
from zestpanel.core.catalogue.candidate import candidate_detail, plan_of, short_names
from zestpanel.core.catalogue.claims import OwnFigure
from zestpanel.core.catalogue.ledger import OwnStatement
from zestpanel.core.choice.criteria import criteria_of, evidence_of
from zestpanel.core.choice.gates import gates, rights_that_are_no
from zestpanel.core.choice.ranking import Criterion, Ranked, firmness, frontier, rank
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.evidence.declared import Reading
from zestpanel.core.evidence.registry import figures
from zestpanel.core.listening.defects import defects
from zestpanel.core.listening.parts import RatingParts
from zestpanel.core.listening.scores import PanelScores, Score, panel_scores, primary
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff
from zestpanel.core.money.volume import cost_at_volume
from zestpanel.core.sending.episodes import requests_per_episode
from zestpanel.core.store.parts import HasBrief, HasDocuments, HasOwnVoices
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way


class EvaluationParts(SummaryParts, RatingParts, HasBrief, HasDocuments, HasOwnVoices, Protocol):
    """All that a choice rests on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Evaluation:
    """The whole result: rows by candidate id, the ranking (language by language, since candidates of two languages
    never compete), and who is on the quality-cost frontier of their language."""

    brief: Brief
    rows: dict[int, Row]
    ranking: tuple[Ranked, ...]
    criteria: tuple[Criterion, ...]
    on_frontier: frozenset[int]
    scores: PanelScores
    statements: Mapping[str, Sequence[OwnStatement]] = field(default_factory=dict)  # by engine
    texts: Mapping[str, tuple[str, ...]] = field(default_factory=dict, repr=False)  # the channel's, by language

    def texts_in(self, language: str) -> tuple[str, ...]:
        """The channel's texts in a language; '' is the brief's main one."""
        return self.texts.get(language or primary(next(iter(self.brief.languages), "")), ())

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
            reasons = [tr("nobody has heard it")] if row.score is None else []
            reasons += [row.cost.why_not] if row.cost.own is None else []
            if reasons:
                out.append((row, "; ".join(reasons)))
        return out


def evaluate(project: EvaluationParts) -> Evaluation:
    """Everything the choice page, the card and the decision record show."""
    brief = project.brief
    engines = project.shortlist.engines()
    found = summaries(project)
    scores = panel_scores(project)
    rows: dict[int, Row] = {}
    marked = {one.candidate_id: one for one in defects(project)}
    own = project.notes.statements()
    names = short_names(project.shortlist.candidates(), engines)
    texts: dict[str, list[str]] = {}
    for passage in project.texts.all():
        texts.setdefault(primary(passage.language), []).append(passage.text)
    sample = {tag: _sample(of) for tag, of in texts.items()}
    for candidate in project.shortlist.candidates():
        give_way()
        engine = engines.get(candidate.engine)
        plan, summary = plan_of(candidate, engine), found[candidate.id]
        consent_missing = project.own_voices.consent_missing(candidate.engine, candidate.voice)
        cost = cost_at_volume(
            plan.tariff,
            summary.rates,
            brief,
            model=candidate.model,
            requests_per_episode=requests_per_episode(
                brief.episode_minutes * summary.rates.characters_per_minute,
                engine.limits_under([candidate.plan]).characters_per_request if engine else None,
                sample=sample.get(primary(candidate.language), ""),
                language=candidate.language,
            ),
        )
        language = scores.language_of(candidate.id)
        best = None if language is None else language.best()
        equal = None
        if best is not None and language is not None and best != candidate.id:
            equal = language.equality(candidate.id, best, margin=float(brief.equal_within))
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
                    consent_missing=consent_missing,
                )
            ),
            as_good_as_best=equal,
            best_id=best,
            consent_missing=consent_missing,
            defects=marked.get(candidate.id),
            rights_denied=rights_that_are_no(brief, candidate, engine, own.get(candidate.engine, [])),
        )
    criteria = criteria_of(project.documents, brief)
    ranking: list[Ranked] = []
    on_frontier: set[int] = set()
    for language_tag in _languages(brief, rows.values(), scores):
        scored = scores.of_language(language_tag)
        heard = scored.scores if scored is not None else {}
        of_language = [row for row in rows.values() if row.language == language_tag or row.candidate.id in heard]
        evidence = [evidence_of(row, scored) for row in of_language]
        chances = firmness(criteria, evidence, np.random.default_rng(7))
        for ranked in rank(criteria, evidence):
            first, top_three = chances.get(ranked.candidate_id, (None, None))
            alone = first is not None and len(chances) == 1
            ranking.append(replace(ranked, language=language_tag, first=None if alone else first,
                                   top_three=None if alone else top_three, alone=alone))  # fmt: skip
        on_frontier |= frontier(
            [
                (row.candidate.id, heard[row.candidate.id].mean, float(row.cost.own.amount))
                for row in of_language
                if row.candidate.id in heard and row.cost.own is not None and row.language == language_tag
            ]
        )
    return Evaluation(
        brief=brief,
        rows=rows,
        ranking=tuple(ranking),
        criteria=criteria,
        on_frontier=frozenset(on_frontier),
        scores=scores,
        statements=own,
        texts={tag: tuple(of) for tag, of in texts.items()},
    )


def _languages(brief: Brief, rows: Iterable[Row], scores: PanelScores) -> list[str]:
    """The brief's languages in its order, then others that candidates speak or were heard in."""
    spoken = dict.fromkeys([*(row.language for row in rows), *(one.language for one in scores.languages)])
    wanted = dict.fromkeys(primary(tag) for tag in brief.languages)
    return [tag for tag in wanted if tag in spoken] + [tag for tag in spoken if tag not in wanted]


_SAMPLE_CHARACTERS: Final = 20_000


def _sample(texts: Sequence[str]) -> str:
    """Texts one after another, as a sample of what the channel's episodes are made of."""
    out = ""
    for text in texts:
        out = f"{out}\n\n{text}" if out else text
        if len(out) >= _SAMPLE_CHARACTERS:
            break
    return out[:_SAMPLE_CHARACTERS]


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


def own_figures(found: Evaluation, engine: str) -> dict[str, OwnFigure]:
    """Our figures that an engine's claims are held against: for each the best of its candidates, as claims mean it.
    Since the best of several is picked, intervals are those of Bonferroni over its candidates."""
    rows = [row for row in found.rows.values() if row.candidate.engine == engine]
    out: dict[str, OwnFigure] = {}
    for one in figures().values():
        read = [(row, reading) for row in rows if one.claimed and (reading := one.read(row, None)).value is not None]
        if not read:
            continue
        wider = normal_quantile(1 - 0.025 / len(read)) / normal_quantile(0.975)
        ends = [_ends(reading, wider, one.factor) for _, reading in read]
        values = [(reading.value or 0.0) * one.factor for _, reading in read]
        best = (np.argmax if one.best_of == "higher" else np.argmin)(values)
        known = [end for end in ends if end is not None]
        whole = len(known) == len(ends)
        of_best = ends[int(best)]
        out[one.claimed] = OwnFigure(
            values[int(best)], read[int(best)][1].n, read[int(best)][0].name,
            low=of_best[0] if of_best else None, high=of_best[1] if of_best else None,
            lowest=min(low for low, _ in known) if whole else None,
            highest=max(high for _, high in known) if whole else None,
        )  # fmt: skip
    return out


def _ends(reading: Reading, wider: float, factor: float) -> tuple[float, float] | None:
    """The interval of a figure, wider by so much on each side."""
    value = reading.value or 0.0
    if reading.low is None or reading.high is None:
        return None
    return factor * (value - wider * (value - reading.low)), factor * (value + wider * (reading.high - value))
