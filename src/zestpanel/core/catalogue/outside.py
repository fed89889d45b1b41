"""What others say of an engine: claims and rankings, with who stands behind them. Never mixed into scores."""

from __future__ import annotations

from datetime import date
from typing import Final, Literal

from pydantic import Field

from zestpanel.core.catalogue.reaching import Stated
from zestpanel.core.texts import tr

# What a claim can be held against, and the figure of ours that does it
MEASURED: Final = {
    "first sound s": tr("median wait to the first sound, warm"),
    "whole clip s": tr("median wait for the whole clip, warm"),
    "real-time factor": tr("median real-time factor"),
    "price of 1,000 characters": tr("money per 1,000 characters at the brief's volume"),
    "price of a minute": tr("money per finished minute at the brief's volume"),
    "words a minute": tr("median speaking rate"),
    "failures per 100": tr("failed requests of 100"),
    "panel score": tr("the panel's mean score"),
}


class Claim(Stated):
    """A claim of the vendor or of somebody else. With ``about`` and a number, our own figures confirm or refute it."""

    says: str = Field(min_length=1)
    about: Literal[
        "",
        "first sound s",
        "whole clip s",
        "real-time factor",
        "price of 1,000 characters",
        "price of a minute",
        "words a minute",
        "failures per 100",
        "panel score",
    ] = ""
    at_most: float | None = None
    at_least: float | None = None
    source: str = ""
    dated: date | None = None
    interest: str = Field(default="", description=tr("what whoever says so gains by it"))


class OutsideRank(Stated):
    """A place in somebody else's ranking: information, marked as such."""

    board: str = Field(min_length=1)
    rank: int = Field(ge=1)
    of: int | None = Field(default=None, ge=1)
    votes: int | None = Field(default=None, ge=0)
    basis: str = ""
    dated: date | None = None
    source: str = ""
    interest: str = ""
