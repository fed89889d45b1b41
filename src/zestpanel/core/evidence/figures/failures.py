"""How often nothing, or not the right thing, came."""

from __future__ import annotations

from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence.declared import Figure, Reading, Start
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr, word


def _read(of: Known, _: LanguageScores | None) -> Reading:
    rate = of.summary.failure_rate
    if rate is None:
        return Reading(None)
    return Reading(rate.estimate, rate.low, rate.high, (rate.high - rate.low) / 2 / 1.96, n=of.summary.requests)


def _told(of: Known, _: LanguageScores | None, brief: Brief) -> str:
    del brief
    if of.summary.failure_rate is None:
        return word("missing")
    return tr("{failed} of {requests}", failed=sum(of.summary.failures.values()), requests=of.summary.requests)


FIGURES = (
    Figure(
        name="failures", group="wrong", words="failures", label=tr("requests that failed"), column="failed %",
        factor=100, decimals=1, unit=lambda _: " %", better="lower", place=25, read=_read, told=_told,
        start=lambda _: Start(0.1, 0.0, 10),
        claimed="failures per 100",
    ),
)  # fmt: skip
