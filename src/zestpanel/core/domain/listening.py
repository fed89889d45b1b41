"""Who listens, and what was answered."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Listener:
    id: int
    alias: str
    languages: tuple[str, ...]
    hearing: str
    kit: str
    simulated: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Rating:
    """One rating that stands. origin: 'booth', 'file' or 'simulated'."""

    id: int
    listener_id: int
    candidate_id: int
    passage_version_id: int
    score: float
    scale: str
    training: bool
    origin: str
    trial: int | None
    session_id: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """A listener's way through a test: trials as (candidate, passage version, take, training)."""

    id: int
    test_id: int
    listener_id: int
    trials: tuple[tuple[int, int, int, bool], ...]
    finished: bool
