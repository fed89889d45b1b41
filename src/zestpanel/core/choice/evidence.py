"""Gathering what the choice rests on: one row a candidate, from measures, ratings and tariffs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Final, Protocol

import numpy as np

from zestpanel.core.analysis.statistics.tails import normal_quantile
from zestpanel.core.analysis.summary import SummaryParts, summaries
from zestpanel.core.catalogue.candidate import candidate_detail, plan_of, short_names
from zestpanel.core.catalogue.claims import OwnFigure
from zestpanel.core.catalogue.ledger import OwnStatement
from zestpanel.core.choice.criteria import bars_of, criteria_of
from zestpanel.core.choice.decided import decisions
from zestpanel.core.choice.gates import gates, rights_that_are_no, unlike
from zestpanel.core.choice.ranking import Criterion
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing, stand
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money
from zestpanel.core.evidence.declared import Reading
from zestpanel.core.evidence.registry import figures
from zestpanel.core.listening.defects import defects
from zestpanel.core.listening.feeding import tests_by_candidate
from zestpanel.core.listening.parts import RatingParts
from zestpanel.core.listening.scores import LanguageScores, PanelScores, Score, panel_scores, primary
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.tariff import Tariff
from zestpanel.core.money.volume import cost_at_volume
from zestpanel.core.sending.episodes import requests_per_episode
from zestpanel.core.store.parts import HasBrief, HasDocuments, HasOwnVoices
from zestpanel.core.waiting import give_way


class EvaluationParts(SummaryParts, RatingParts, HasBrief, HasDocuments, HasOwnVoices, Protocol):
    """All that a choice rests on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Evaluation:
    """The whole result: rows by candidate id, as the brief asks of all; and a standing for each role, and for each
    language that candidates speak and no role is for."""

    brief: Brief
    rows: dict[int, Row]
    standings: tuple[Standing, ...]
    scores: PanelScores
    statements: Mapping[str, Sequence[OwnStatement]] = field(default_factory=dict)  # by engine
    texts: Mapping[str, tuple[str, ...]] = field(default_factory=dict, repr=False)  # the channel's, by language

    def texts_in(self, language: str) -> tuple[str, ...]:
        """The channel's texts in a language; '' is the brief's main one."""
        return self.texts.get(language or primary(next(iter(self.brief.languages), "")), ())

    def languages(self) -> list[str]:
        """Languages that candidates speak, the brief's first."""
        spoken = dict.fromkeys(one.language for one in self.standings if one.rows)
        return [tag for tag in dict.fromkeys(map(primary, self.brief.languages)) if tag in spoken] + [
            tag for tag in spoken if tag not in set(map(primary, self.brief.languages))
        ]

    def standing(self, key: str) -> Standing | None:
        """By the role's id, or by the language that no role is for."""
        return next((one for one in self.standings if one.key == key), None)

    def in_language(self, language: str) -> Standing | None:
        """The first role's of a language, which stands for the language where a role is not asked for."""
        return next((one for one in self.standings if one.language == language), None)

    def score_in(self, candidate_id: int, language: str) -> Score | None:
        """A voice of several languages has a score in each that it was heard in."""
        found = self.scores.of_language(language)
        return None if found is None else found.scores.get(candidate_id)


def evaluate(project: EvaluationParts) -> Evaluation:
    """Everything the choice page, the card and the decision record show."""
    gathered = _Gathered(project)
    brief = gathered.brief
    shared = criteria_of(project.documents, brief)
    rows: dict[int, Row] = {}
    for candidate in gathered.candidates:
        give_way()
        row = gathered.row(candidate, brief)
        bars = bars_of(row, gathered.scores(()).of_language(row.language), shared, brief)
        rows[candidate.id] = replace(row, gates=(*row.gates, *bars)) if bars else row
    return Evaluation(
        brief=brief, rows=rows, standings=tuple(_standings(gathered, rows, shared)), scores=gathered.scores(()),
        statements=gathered.own, texts={tag: tuple(of) for tag, of in gathered.texts.items()},
    )  # fmt: skip


class _Gathered:
    """What rows are made of, read once."""

    def __init__(self, project: EvaluationParts) -> None:
        self._project = project
        self.brief, self.documents = project.brief, project.documents
        self.engines = project.shortlist.engines()
        self.candidates = project.shortlist.candidates()
        self._found = summaries(project)
        self._marked = {one.candidate_id: one for one in defects(project)}
        self._tested = tests_by_candidate(project)
        self.own = project.notes.statements()
        self._names = short_names(self.candidates, self.engines)
        self.texts: dict[str, list[str]] = {}
        for passage in project.texts.all():
            self.texts.setdefault(primary(passage.language), []).append(passage.text)
        self._sample = {tag: _sample(of) for tag, of in self.texts.items()}
        self._scores: dict[tuple[str, ...], PanelScores] = {}

    def scores(self, tags: tuple[str, ...]) -> PanelScores:
        """The panel's, of passages with one of the tags."""
        if tags not in self._scores:
            self._scores[tags] = panel_scores(self._project, tags=tags)
        return self._scores[tags]

    def row(
        self, candidate: Candidate, brief: Brief, tags: tuple[str, ...] = (), minutes: Decimal | None = None
    ) -> Row:
        """As a brief asks. tags: of the passages that its score is read from; minutes: finished a month, the brief's
        unless said."""
        engine = self.engines.get(candidate.engine)
        plan, summary = plan_of(candidate, engine), self._found[candidate.id]
        own = self.own.get(candidate.engine, [])
        consent_missing = self._project.own_voices.consent_missing(candidate.engine, candidate.voice)
        cost = cost_at_volume(
            plan.tariff, summary.rates, brief, model=candidate.model, minutes=minutes,
            requests_per_episode=requests_per_episode(
                brief.episode_minutes * summary.rates.characters_per_minute,
                engine.limits_under([candidate.plan]).characters_per_request if engine else None,
                sample=self._sample.get(primary(candidate.language), ""), language=candidate.language,
            ),
        )  # fmt: skip
        scores = self.scores(tags)
        language = scores.language_of(candidate.id)
        best = None if language is None else language.best()
        equal = None
        if best is not None and language is not None and best != candidate.id:
            equal = language.equality(candidate.id, best, margin=float(brief.equal_within))
        return Row(
            candidate=candidate,
            name=self._names[candidate.id],
            detail=candidate_detail(candidate, engine),
            plan=plan,
            hosted=engine.is_hosted if engine else None,
            summary=summary,
            cost=cost,
            score=scores.by_candidate.get(candidate.id),
            under_way=candidate.id in scores.under_way,
            gates=tuple(gates(brief, candidate, engine, cost, summary, own=own, consent_missing=consent_missing)),
            as_good_as_best=equal,
            best_id=best,
            consent_missing=consent_missing,
            defects=self._marked.get(candidate.id),
            tests=self._tested.get(candidate.id, {}),
            rights_denied=rights_that_are_no(brief, candidate, engine, own),
        )


def _standings(gathered: _Gathered, rows: Mapping[int, Row], shared: tuple[Criterion, ...]) -> Iterator[Standing]:
    brief = gathered.brief
    chosen = {one.role: candidate for one in decisions(gathered.documents)
              if (candidate := next((c for c in gathered.candidates if c.id == one.candidate_id), None))}  # fmt: skip
    chances: dict[object, dict[int, tuple[float, float]]] = {}
    seen: set[str] = set()
    for role in brief.roles:
        tag = primary(brief.language_of(role)) or next((row.language for row in rows.values()), "")
        seen.add(tag)
        asks = brief.of_role(role)
        minutes = None if role.share_percent in (0, 100) else brief.minutes_per_month * role.share_percent / 100
        alike = asks == brief and minutes is None and not role.tags
        criteria = shared if role.criteria is None else criteria_of(gathered.documents, brief, role)
        scored = gathered.scores(role.tags).of_language(tag)
        of_role: dict[int, Row] = {}
        for row in _speaking(rows, tag, gathered.scores(()).of_language(tag)):
            own = row if alike else gathered.row(row.candidate, asks, role.tags, minutes)
            more = unlike(role, row.candidate, chosen, brief)
            if not alike or criteria is not shared:
                bare = own if not alike else gathered.row(row.candidate, asks)
                own = replace(bare, gates=(*bare.gates, *bars_of(bare, scored, criteria, brief)))
            of_role[row.candidate.id] = replace(own, gates=(*own.gates, *more)) if more else own
        yield stand(role, tag, asks, of_role, criteria, scored, chances)
    for tag in dict.fromkeys([*(row.language for row in rows.values()),
                              *(one.language for one in gathered.scores(()).languages)]):  # fmt: skip
        if tag not in seen:
            scored = gathered.scores(()).of_language(tag)
            speaking = {row.candidate.id: row for row in _speaking(rows, tag, scored)}
            yield stand(None, tag, brief, speaking, shared, scored, chances)


def _speaking(rows: Mapping[int, Row], tag: str, scored: LanguageScores | None) -> list[Row]:
    """Those of a language, and those that were heard in it."""
    heard = scored.scores if scored is not None else {}
    return [row for row in rows.values() if row.language == tag or row.candidate.id in heard]


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
