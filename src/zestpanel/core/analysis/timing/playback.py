"""A streamed reply played while it still comes: where playback would run dry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Stall:
    """at_s: since the request; of_sound_s: place in the clip; lasts_s."""

    at_s: float
    of_sound_s: float
    lasts_s: float


def stalls(chunks: Sequence[tuple[float, float]], head_start_s: float) -> list[Stall]:
    """The stalls of a playback that begins ``head_start_s`` after the first sound and waits whenever it runs dry.

    chunks: (arrival_s, seconds of sound before the chunk), as in Timing. A chunk that comes later than the player
    has reached its place holds it up until it is there.
    """
    out: list[Stall] = []
    if not chunks:
        return out
    began = chunks[0][0] + head_start_s  # when the sample now due was first due, moved by each stall
    for arrival, before in chunks:
        due = began + before
        if arrival > due + 1e-9:
            out.append(Stall(at_s=due, of_sound_s=before, lasts_s=arrival - due))
            began += arrival - due
    return out


def least_head_start_s(chunks: Sequence[tuple[float, float]]) -> float:
    """The head start from the first sound with which nothing stalls: the stall-free start less the first sound."""
    return max((at - before for at, before in chunks), default=0.0) - (chunks[0][0] if chunks else 0.0)
