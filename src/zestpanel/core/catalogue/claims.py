"""Claims held against our own figures: unverified, confirmed or refuted, with the figure and what it rests on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal

from zestpanel.core.catalogue.outside import MEASURED, Claim
from zestpanel.core.texts import tr

State = Literal["unverified", "confirmed", "refuted"]
FEWEST: Final = 5  # observations below which a figure of ours confirms and refutes nothing


@dataclass(frozen=True, slots=True)
class OwnFigure:
    """A figure of ours for one of outside.MEASURED: best candidate's value, and on how many observations it rests.

    low and high: its 95 % interval, wider the more candidates it is the best of; None where none is known. lowest and
    highest: the ends of all candidates' intervals, which a claim about the best of them is refuted by.
    """

    value: float
    n: int
    of: str
    low: float | None = None
    high: float | None = None
    lowest: float | None = None
    highest: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    claim: Claim
    state: State
    why: str


def hold(claim: Claim, figures: Mapping[str, OwnFigure], by_hand: str = "") -> Held:
    """The state of a claim. by_hand: what the lead set for a claim that no figure of ours can settle."""
    limits = [(claim.at_most, tr("at most")), (claim.at_least, tr("at least"))]
    stated = [(limit, word) for limit, word in limits if limit is not None]
    if not claim.about or not stated:
        if by_hand in ("confirmed", "refuted"):
            return Held(claim=claim, state="confirmed" if by_hand == "confirmed" else "refuted", why=tr("set by hand"))
        return Held(claim=claim, state="unverified", why=tr("no figure of ours answers it"))
    figure = figures.get(claim.about)
    if figure is None:
        return Held(claim=claim, state="unverified", why=tr("{about}: not measured yet", about=claim.about))
    between = (
        f", 95 %: {figure.low:.3g}–{figure.high:.3g}" if figure.low is not None and figure.high is not None else ""
    )
    shown = f"{MEASURED[claim.about]}: {figure.value:.3g} ({figure.of}, n = {figure.n}{between})"
    if figure.n < FEWEST:
        return Held(claim=claim, state="unverified", why=tr("{shown}: too few to tell", shown=shown))
    if None in (figure.low, figure.high, figure.lowest, figure.highest):
        return Held(claim=claim, state="unverified", why=tr("{shown}: how sure it is is not known", shown=shown))
    low, high = figure.low or 0.0, figure.high or 0.0
    lowest, highest = figure.lowest or 0.0, figure.highest or 0.0
    holds = (claim.at_most is None or high <= claim.at_most) and (claim.at_least is None or low >= claim.at_least)
    fails = (claim.at_most is not None and lowest > claim.at_most) or (
        claim.at_least is not None and highest < claim.at_least
    )
    if holds or fails:
        return Held(claim=claim, state="refuted" if fails else "confirmed", why=shown)
    return Held(claim=claim, state="unverified", why=tr("{shown}: neither shown nor refuted", shown=shown))
