"""Where words, lanes and places stand on the strip; no painting and no Qt here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.playback.mixer import ENVELOPE_S
from zestpanel.core.playback.text_axis import TextAxis

LEAD_PX = 26.0  # room for leads before the first word and tails after the last


@dataclass(frozen=True, slots=True, kw_only=True)
class TextColumns:
    """Pixel columns of the words: word k spans edges[k] to edges[k + 1]; places map linearly inside a word."""

    edges: NDArray[np.float64] = field(repr=False, compare=False)

    @property
    def width(self) -> float:
        return float(self.edges[-1]) + LEAD_PX

    def x_of(self, place: NDArray[np.float64] | float) -> NDArray[np.float64]:
        places = np.concatenate([[-0.5], np.arange(len(self.edges)), [len(self.edges) - 0.5]])
        pixels = np.concatenate([[self.edges[0] - LEAD_PX], self.edges, [self.edges[-1] + LEAD_PX]])
        return np.asarray(np.interp(place, places, pixels), dtype=np.float64)

    def place_of(self, x: NDArray[np.float64] | float) -> NDArray[np.float64]:
        places = np.concatenate([[-0.5], np.arange(len(self.edges)), [len(self.edges) - 0.5]])
        pixels = np.concatenate([[self.edges[0] - LEAD_PX], self.edges, [self.edges[-1] + LEAD_PX]])
        return np.asarray(np.interp(x, pixels, places), dtype=np.float64)

    def word_at(self, x: float) -> int | None:
        if not self.edges[0] <= x < self.edges[-1]:
            return None
        return int(np.searchsorted(self.edges, x, side="right")) - 1


def text_columns(widths: Sequence[float], spans_s: Sequence[float], *, available: float) -> TextColumns:
    """Columns wide enough for each word's text, and shared out by how long the words last where there is room left.

    widths: text width of each word with its space; spans_s: the words' typical seconds, same length.
    """
    wide = np.asarray(widths, dtype=float)
    spare = available - 2 * LEAD_PX - float(wide.sum())
    spans = np.asarray(spans_s, dtype=float)
    if spare > 0 and spans.sum() > 0:
        # a column may grow until it shows the word in proportion to its time, the rest stays empty at the right
        ideal = spans / spans.sum() * (available - 2 * LEAD_PX)
        lack = np.maximum(0.0, ideal - wide)
        if lack.sum() > 0:
            wide = wide + lack * min(1.0, spare / float(lack.sum()))
    return TextColumns(edges=np.concatenate([[0.0], np.cumsum(wide)]) + LEAD_PX)


def typical_spans(axes: Sequence[TextAxis], words: int) -> NDArray[np.float64]:
    """Median seconds from each word's start to the next one's, over the lanes that are aligned."""
    starts = np.arange(words + 1, dtype=float)
    spans = [np.diff(np.interp(starts, axis.places, axis.times)) for axis in axes if axis.aligned]
    return np.asarray(np.median(spans, axis=0), dtype=np.float64) if spans else np.ones(words)


def lane_columns(
    peaks: NDArray[np.float32],
    axis: TextAxis,
    columns: TextColumns | None,
    *,
    px_per_s: float,
    step_px: float,
) -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """(x of each drawn column, its peak) for a lane: by text where columns are given, else in real time."""
    if columns is None:
        xs = np.arange(LEAD_PX, LEAD_PX + axis.duration_s * px_per_s, step_px)
        times = (xs - LEAD_PX) / px_per_s
    else:
        low, high = columns.x_of(axis.places[0]), columns.x_of(axis.places[-1])
        xs = np.arange(float(low), float(high), step_px)
        times = np.interp(columns.place_of(xs), axis.places, axis.times)
    if not len(xs):
        return xs, np.zeros(0, dtype=np.float32)
    ends = np.append(times[1:], times[-1] + (times[-1] - times[-2] if len(times) > 1 else 0.01))
    first = np.clip((times / ENVELOPE_S).astype(int), 0, len(peaks) - 1)
    last = np.clip(np.ceil(ends / ENVELOPE_S).astype(int), first + 1, len(peaks))
    sums = np.maximum.reduceat(np.append(peaks, np.float32(0)), np.stack([first, last], axis=1).ravel())[::2]
    return xs, sums
