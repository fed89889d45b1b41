"""Where each word stands in a clip.

In this order: times in the engine's reply; for English, forced alignment by the recogniser; otherwise, and where the
recogniser finds no way through, the clip is warped onto a reading of the same text by the built-in voice, whose word
times are known from its events. The way used is named with the result.

Warping: dynamic time warping (Sakoe & Chiba 1978, symmetric steps) over mel-frequency cepstral coefficients
(Davis & Mermelstein 1980), cosine distance, 10 ms hop, means and spreads removed per clip so that speakers compare.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
import soxr
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.errors import InputError
from zestpanel.core.measures.forced_alignment import align
from zestpanel.core.measures.silence import FRAME_S, frame_levels_dbfs, speech_frames
from zestpanel.core.speech import builtin_voice
from zestpanel.core.texts import tr

WordTime = tuple[str, float, float, bool]

BY_REPLY: Final = "times in the reply"
BY_RECOGNISER: Final = "aligned by the recogniser"
BY_WARP: Final = "warped onto the built-in voice"
NOT_FOUND: Final = "not found"

_RATE_HZ: Final = 16_000
_HOP_S: Final = 0.01
_MOST_FRAMES: Final = 3_000  # longer clips are compared at a coarser hop
_SAME_TEXT: Final = 0.87  # of the cost of the reading turned round: above it the clip says something else
_FEWEST_WORDS_TOLD: Final = 3  # of fewer it cannot be told whether they are the same
_WORST_COST: Final = 0.75  # mean cosine distance along the path above which no word is trusted
SHORTEST_WORD_S: Final = 0.03
LONGEST_WORD_S: Final = 2.0


def find_word_times(
    clip: Clip, text: str, language: str, from_reply: tuple[tuple[str, float, float], ...] = ()
) -> tuple[tuple[WordTime, ...], str]:
    """((word, start_s, end_s, good), ...) for every word of the text in order, and the way they were found."""
    words = words_with_places(text)
    if from_reply and (matched := _from_reply(words, from_reply)):
        return matched, BY_REPLY
    if language.split("-")[0].lower() == "en" and (aligned := align(clip, text)):
        right = says_the_text(clip, text, language)
        return (
            tuple((w, s, e, right and SHORTEST_WORD_S <= e - s <= LONGEST_WORD_S) for w, s, e in aligned),
            BY_RECOGNISER,
        )
    try:
        return _by_warping(clip, text, language), BY_WARP
    except InputError:
        return (), NOT_FOUND


def _from_reply(words: list[tuple[str, int, int]], given: tuple[tuple[str, float, float], ...]) -> tuple[WordTime, ...]:
    """The text's words at the times of the reply's, however that cuts them: letter by letter, evenly within one piece;
    () when its letters are not those of the text.
    """
    moments: list[tuple[str, float, float]] = []
    for said, start, end in given:
        letters = _letters(said)
        step = (end - start) / max(1, len(letters))
        moments += [(letter, start + k * step, start + (k + 1) * step) for k, letter in enumerate(letters)]
    if "".join(letter for letter, _, _ in moments) != "".join(_letters(word) for word, _, _ in words):
        return ()
    out, at = [], 0
    for word, _, _ in words:
        if not (count := len(_letters(word))):
            return ()
        start, end = moments[at][1], moments[at + count - 1][2]
        out.append((word, start, end, SHORTEST_WORD_S <= end - start <= LONGEST_WORD_S))
        at += count
    return tuple(out)


def _letters(word: str) -> str:
    return "".join(c for c in word.casefold() if c.isalnum())


# -- warping


def mel_cepstra(x: NDArray[np.float32], *, hop_s: float) -> NDArray[np.float32]:
    """MFCC 1..12 of mono sound at 16 kHz, each with mean 0 and spread 1, shape (frames, 12)."""
    from scipy.fft import dct  # a heavy import, left out of the program's start

    cepstra = dct(np.log(mel_bands_of(x, hop_s=hop_s) + 1e-9), type=2, norm="ortho", axis=1)[:, 1:13]
    cepstra = (cepstra - cepstra.mean(axis=0)) / (cepstra.std(axis=0) + 1e-6)
    out: NDArray[np.float32] = cepstra.astype(np.float32)
    return out


def mel_bands_of(x: NDArray[np.float32], *, hop_s: float) -> NDArray[np.float64]:
    """Power of mono sound at 16 kHz in 26 mel bands, 80 to 7600 Hz, in Hann windows of 25 ms, shape (frames, 26)."""
    hop, size = round(hop_s * _RATE_HZ), 400
    count = max(1, 1 + (len(x) - size) // hop)
    x = np.pad(x, (0, max(0, size + (count - 1) * hop - len(x))))
    frames = np.lib.stride_tricks.sliding_window_view(x, size)[::hop][:count]
    spectrum = np.abs(np.fft.rfft(frames * np.hanning(size).astype(np.float32), 512)) ** 2
    power: NDArray[np.float64] = spectrum @ _mel_bands().T
    return power


@lru_cache(maxsize=1)
def _mel_bands() -> NDArray[np.float64]:
    def mel(hz: float) -> float:
        return 2595 * float(np.log10(1 + hz / 700))

    points = 700 * (10 ** (np.linspace(mel(80), mel(7600), 28) / 2595) - 1)
    bins = np.fft.rfftfreq(512, 1 / _RATE_HZ)
    rising = (bins - points[:-2, None]) / (points[1:-1] - points[:-2])[:, None]
    falling = (points[2:, None] - bins) / (points[2:] - points[1:-1])[:, None]
    return np.maximum(0, np.minimum(rising, falling))


def warp(a: NDArray[np.float32], b: NDArray[np.float32]) -> tuple[NDArray[np.intp], NDArray[np.intp], float]:
    """Best path between two frame sequences: (indices into a, indices into b, mean cosine distance on the path).

    a, b: shapes (n, k) and (m, k). Steps (1,1), (1,0), (0,1). Computed along anti-diagonals, which are strided
    views of the cost table, so that each is one vector operation.
    """
    unit_a = a / (np.linalg.norm(a, axis=1, keepdims=True) + 1e-9)
    unit_b = b / (np.linalg.norm(b, axis=1, keepdims=True) + 1e-9)
    distance = 1 - unit_a @ unit_b.T
    n, m = distance.shape
    width = m + 1
    total = np.full((n + 1) * width, np.inf, dtype=np.float32)
    total[0] = 0
    padded = np.zeros((n + 1, width), dtype=np.float32)
    padded[1:, 1:] = distance
    flat = padded.ravel()
    for k in range(2, n + m + 1):
        low, high = max(1, k - m), min(n, k - 1)
        here = slice(low * m + k, high * m + k + 1, m)
        corner = slice((low - 1) * m + k - 2, (high - 1) * m + k - 1, m)
        above = slice((low - 1) * m + k - 1, (high - 1) * m + k, m)
        left = slice(low * m + k - 1, high * m + k, m)
        best = np.minimum(np.minimum(total[corner], total[above]), total[left])
        total[here] = flat[here] + best
    table = total.reshape(n + 1, width)
    i, j = n, m
    path_a, path_b = [i - 1], [j - 1]
    while i > 1 or j > 1:
        steps = (table[i - 1, j - 1], table[i - 1, j], table[i, j - 1])
        step = int(np.argmin(steps))
        i, j = i - (step != 2), j - (step != 1)
        path_a.append(i - 1)
        path_b.append(j - 1)
    cost = float(table[n, m]) / len(path_a)
    return np.array(path_a[::-1]), np.array(path_b[::-1]), cost


@lru_cache(maxsize=128)
def _reference_reading(text: str, language: str) -> tuple[NDArray[np.float32], tuple[float, ...], float]:
    """The built-in voice's reading: mono samples at 16 kHz, the start of each word in s, and the end of speech."""
    reading = builtin_voice.speak(text, voice=builtin_voice.voice_for_language(language))
    x = soxr.resample(reading.samples.astype(np.float32) / 32768, reading.rate_hz, _RATE_HZ)
    first: dict[int, float] = {}
    for place, at in reading.events:
        first.setdefault(place, at)
    words = words_with_places(text)
    total = len(x) / _RATE_HZ
    starts: list[float | None] = [
        next((first[place] for place in range(start, end) if place in first), None) for _, start, end in words
    ]
    return x, tuple(_filled(starts, [s for _, s, _ in words], len(text), total)), total


def _filled(starts: list[float | None], places: list[int], length: int, total_s: float) -> list[float]:
    """Words joined into one event get their start by their place in the text between known neighbours."""
    known = [(place, at) for place, at in zip(places, starts, strict=True) if at is not None]
    if not known:
        raise InputError(tr("The built-in voice gave no word times for this text."))
    xs, ys = [p for p, _ in known] + [length], [t for _, t in known] + [total_s]
    return [float(np.interp(place, xs, ys)) if at is None else at for place, at in zip(places, starts, strict=True)]


def says_the_text(clip: Clip, text: str, language: str) -> bool:
    """Whether a clip sounds like the text and not like just any speech. True where that cannot be told.

    An aligner finds a way through whatever is said. Here the clip is warped onto the built-in voice's reading and onto
    the same reading turned round in time: of another text both are equally bad (tried on twelve voices: 0.25 to 0.88
    of the turned one's cost for the same text, 0.86 to 1.1 for another).
    """
    if len(words_with_places(text)) < _FEWEST_WORDS_TOLD:
        return True
    try:
        ruler, _, _ = _reference_reading(text, language)
    except InputError:
        return True
    x, _, _ = _speaking_part(clip)
    if not len(x):
        return True
    hop_s = _hop_for(x, ruler, 2 * _HOP_S)
    return _fits(mel_cepstra(ruler, hop_s=hop_s), mel_cepstra(x, hop_s=hop_s))


def _fits(ruler: NDArray[np.float32], clip: NDArray[np.float32], cost: float | None = None) -> bool:
    cost = warp(ruler, clip)[2] if cost is None else cost
    return cost < _SAME_TEXT * warp(np.ascontiguousarray(ruler[::-1]), clip)[2]


def _hop_for(a: NDArray[np.float32], b: NDArray[np.float32], least_s: float) -> float:
    """A hop that keeps the table of a warp small for long clips."""
    return least_s * max(1, int(np.ceil(max(len(a), len(b)) / _RATE_HZ / least_s / _MOST_FRAMES)))


def _speaking_part(clip: Clip) -> tuple[NDArray[np.float32], float, NDArray[np.bool_]]:
    """(mono samples at 16 kHz from the first speaking frame to the last, where they begin in s, the frames that speak);
    no samples where none do."""
    speaks = speech_frames(frame_levels_dbfs(clip), clip)
    if not speaks.any():
        return np.zeros(0, dtype=np.float32), 0.0, speaks
    x = clip.mono()
    if clip.rate_hz != _RATE_HZ:
        x = soxr.resample(x, clip.rate_hz, _RATE_HZ)
    lead = int(np.argmax(speaks)) * FRAME_S
    end = (len(speaks) - int(np.argmax(speaks[::-1]))) * FRAME_S
    return x[int(lead * _RATE_HZ) : int(end * _RATE_HZ)], lead, speaks


def _by_warping(clip: Clip, text: str, language: str) -> tuple[WordTime, ...]:
    ruler, starts, total = _reference_reading(text, language)
    x, lead, speaks = _speaking_part(clip)
    if not len(x):
        return ()
    end = (len(speaks) - int(np.argmax(speaks[::-1]))) * FRAME_S
    hop_s = _hop_for(x, ruler, _HOP_S)
    of_ruler, of_clip = mel_cepstra(ruler, hop_s=hop_s), mel_cepstra(x, hop_s=hop_s)
    from_ruler, from_clip, cost = warp(of_ruler, of_clip)
    few = len(words_with_places(text)) < _FEWEST_WORDS_TOLD
    trusted = cost <= _WORST_COST and (few or _fits(of_ruler, of_clip, cost))
    places, first = np.unique(from_ruler, return_index=True)
    at = np.interp(np.array([*starts, total]) / hop_s, places, from_clip[first]) * hop_s + lead
    at[-1] = end
    out: list[WordTime] = []
    for index, (word, _, _) in enumerate(words_with_places(text)):
        start, stop = float(at[index]), max(float(at[index]), float(at[index + 1]))
        inside = speaks[int(start / FRAME_S) : max(int(start / FRAME_S) + 1, int(stop / FRAME_S))]
        if len(inside) and inside.any():  # a word ends where its sound ends, not where the next one begins
            stop = min(stop, start + (len(inside) - int(np.argmax(inside[::-1]))) * FRAME_S)
        good = trusted and SHORTEST_WORD_S <= stop - start <= LONGEST_WORD_S
        out.append((word, round(start, 4), round(stop, 4), bool(good)))
    return tuple(out)
