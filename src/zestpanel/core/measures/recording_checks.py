"""A recording that a voice is to be made from: checked, trimmed to its best stretch, cleaned of steady noise.

Bounds are common practice, no source, unless stated; each check gives its figure, so that a person can judge.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.measures.pitch import CEILING_HZ, FLOOR_HZ, semitones
from zestpanel.core.measures.silence import FRAME_S, frame_levels_dbfs, measure_silence, speech_frames
from zestpanel.core.texts import tr

SHORTEST_S: Final = 30.0  # 30 to 45 s are asked for (common practice, no source)
LONGEST_S: Final = 45.0
TOO_SHORT_S: Final = 6.0
_WINDOW_S: Final = 1.5
_APART_ST: Final = 5.0  # two groups of pitch this far apart are hardly one person reading
_KEPT_SILENCE_S: Final = 0.2

State = Literal["pass", "warning", "fail"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """One check: its state, the figure it rests on, and the reason in a sentence part."""

    name: str
    state: State
    figure: str
    why: str

    def as_document(self) -> dict[str, Any]:
        return {"name": self.name, "state": self.state, "figure": self.figure, "why": self.why}


def check_recording(clip: Clip) -> list[Check]:
    """All checks of a reference recording, in the order they are shown."""
    levels = frame_levels_dbfs(clip)
    speaks = speech_frames(levels, clip)
    return [
        _length(clip.duration_s),
        _speakers(clip),
        _noise(levels, speaks),
        _clipping(clip),
        _evenness(levels, speaks),
        _pauses(clip),
        _rate(clip.rate_hz),
    ]


def _graded(value: float, good: float, bearable: float) -> State:
    """Smaller is better."""
    return "pass" if value <= good else "warning" if value <= bearable else "fail"


def _length(seconds: float) -> Check:
    figure = f"{seconds:.1f} s"
    if seconds < TOO_SHORT_S:
        return Check(name="length", state="fail", figure=figure, why=tr("too short to make a voice from: 30 to 45 s"))
    if seconds < SHORTEST_S:
        return Check(name="length", state="warning", figure=figure, why=tr("30 to 45 s are asked for"))
    if seconds > LONGEST_S:
        return Check(name="length", state="warning", figure=figure, why=tr("longer than needed: take the best stretch"))
    return Check(name="length", state="pass", figure=figure, why=tr("within 30 to 45 s"))


def window_pitches_hz(clip: Clip) -> NDArray[np.float64]:
    """Median pitch of each window of 1.5 s that is mostly voiced (Praat's autocorrelation method)."""
    import parselmouth  # loaded only where sound is measured

    if clip.duration_s < _WINDOW_S:
        return np.array([])
    sound = parselmouth.Sound(clip.mono().astype(np.float64), sampling_frequency=float(clip.rate_hz))
    track = sound.to_pitch_ac(time_step=0.01, pitch_floor=FLOOR_HZ, pitch_ceiling=CEILING_HZ)
    f0 = np.asarray(track.selected_array["frequency"], dtype=np.float64)
    step = round(_WINDOW_S / 0.01)
    windows = [f0[i : i + step] for i in range(0, len(f0) - step + 1, step)]
    return np.array([np.median(w[w > 0]) for w in windows if (w > 0).mean() > 0.25])


def _speakers(clip: Clip) -> Check:
    """Two groups of windows, by the best split of their pitch (two-means in one dimension, all splits tried)."""
    pitches = window_pitches_hz(clip)
    if len(pitches) < 4:
        return Check(name="one speaker", state="warning", figure="–", why=tr("too little voice to tell"))
    st = np.sort(semitones(pitches, float(np.median(pitches))))
    smallest = max(2, round(0.15 * len(st)))
    splits = range(smallest, len(st) - smallest + 1)
    within, at = min((float(st[:k].var() * k + st[k:].var() * (len(st) - k)) / len(st), k) for k in splits)
    apart = float(np.median(st[at:]) - np.median(st[:at]))
    two = apart > _APART_ST and np.sqrt(within) < 0.35 * apart
    figure = tr("{apart} semitones", apart=f"{apart:.1f}")
    if two:
        return Check(name="one speaker", state="fail", figure=figure,
                     why=tr("its pitch falls into two groups, as of two people"))  # fmt: skip
    return Check(name="one speaker", state="pass", figure=figure,
                 why=tr("its pitch is one group; two people of the same pitch are not told apart"))  # fmt: skip


def _noise(levels: NDArray[np.float64], speaks: NDArray[np.bool_]) -> Check:
    quiet, loud = levels[~speaks], levels[speaks]
    if not len(loud) or len(quiet) < 3:
        return Check(name="speech to noise", state="warning", figure="–", why=tr("no pause to hear the noise in"))
    ratio = _mean_db(loud) - _mean_db(quiet)
    state = _graded(-ratio, -30.0, -20.0)
    why = {"pass": tr("quiet room"), "warning": tr("some noise"), "fail": tr("noisy: record again, or clean it")}[state]
    return Check(name="speech to noise", state=state, figure=f"{ratio:.0f} dB", why=why)


def _mean_db(levels: NDArray[np.float64]) -> float:
    return float(10 * np.log10(np.mean(10 ** (levels / 10))))


def clipped_share(clip: Clip) -> float:
    """Share of samples in runs of three or more at full scale (within 0.1 % of the clip's own ceiling near 0 dBFS)."""
    x = np.abs(clip.samples).max(axis=1)
    full = x >= 0.999 * max(float(x.max()), 0.97)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], full.astype(int), [0]])))
    runs = edges[1::2] - edges[::2]
    return float(runs[runs >= 3].sum()) / len(x)


def _clipping(clip: Clip) -> Check:
    share = clipped_share(clip) * 100
    state = _graded(share, 0.0, 0.02)
    why = tr("no clipped run") if state == "pass" else tr("the recording is clipped: record again, quieter")
    return Check(name="clipping", state=state, figure=f"{share:.3f} %", why=why)


def _evenness(levels: NDArray[np.float64], speaks: NDArray[np.bool_]) -> Check:
    step = round(1.0 / FRAME_S)
    seconds = [
        _mean_db(levels[i : i + step][speaks[i : i + step]])
        for i in range(0, len(levels) - step + 1, step)
        if speaks[i : i + step].mean() > 0.4
    ]
    if len(seconds) < 3:
        return Check(name="even level", state="warning", figure="–", why=tr("too little speech to tell"))
    spread = float(np.std(seconds, ddof=1))
    state = _graded(spread, 3.0, 5.0)
    why = {"pass": "steady", "warning": tr("somewhat uneven"), "fail": tr("the distance to the microphone changed")}[
        state
    ]
    return Check(name="even level", state=state, figure=tr("SD {spread} dB", spread=f"{spread:.1f}"), why=why)


def _pauses(clip: Clip) -> Check:
    found = measure_silence(clip)
    share = 100 * (found.lead_s + found.tail_s + found.pauses_s) / clip.duration_s
    state = _graded(share, 30.0, 45.0)
    why = tr("mostly speech") if state == "pass" else tr("too much silence: take the best stretch")
    return Check(
        name="pauses",
        state=state,
        figure=tr(
            "{share} %, longest {longest_pause_s} s",
            share=f"{share:.0f}",
            longest_pause_s=f"{found.longest_pause_s:.1f}",
        ),
        why=why,
    )


def _rate(rate_hz: int) -> Check:
    state = _graded(-rate_hz, -22_050, -16_000)
    why = {"pass": "enough", "warning": "narrow", "fail": tr("telephone quality")}[state]
    return Check(name="sample rate", state=state, figure=f"{rate_hz:,} Hz", why=why)


def worst(checks: list[Check]) -> State:
    order: list[State] = ["pass", "warning", "fail"]
    return max((c.state for c in checks), key=order.index, default="pass")


def best_stretch(clip: Clip) -> tuple[float, float]:
    """(from, to) in s: 30 to 45 s that begin and end in pauses, with the most and the evenest speech in them.

    A recording of 45 s or less is only freed of the silence around it. Raises NotEnoughData where nobody speaks.
    """
    levels = frame_levels_dbfs(clip)
    speaks = speech_frames(levels, clip)
    if not speaks.any():
        raise NotEnoughData(tr("Nobody speaks in this recording."))
    first, last = int(np.argmax(speaks)), len(speaks) - int(np.argmax(speaks[::-1]))
    if (last - first) * FRAME_S <= LONGEST_S:
        return _widened(first, last, clip.duration_s)
    starts = [first, *_pause_ends(speaks, first, last)]
    ends = [*_pause_starts(speaks, first, last), last]
    loud = float(np.percentile(levels[speaks], 50))
    best, found = -np.inf, (first, min(last, first + round(LONGEST_S / FRAME_S)))
    for start in starts:
        for end in ends:
            length = (end - start) * FRAME_S
            if not SHORTEST_S <= length <= LONGEST_S:
                continue
            inside, speaking = levels[start:end], speaks[start:end]
            spread = float(inside[speaking].std())
            off = abs(float(np.median(inside[speaking])) - loud)
            noise = float(np.percentile(inside, 5)) - loud  # the quietest frames there tell of the room
            score = 50 * speaking.mean() - 2 * spread - 2 * off - max(-60.0, noise)
            if score > best:
                best, found = score, (start, end)
    return _widened(*found, clip.duration_s)


def _pause_edges(speaks: NDArray[np.bool_], first: int, last: int) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[1], speaks[first:last].astype(int), [1]])))
    return [(first + int(a), first + int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a >= 15]


def _pause_ends(speaks: NDArray[np.bool_], first: int, last: int) -> list[int]:
    return [b for _, b in _pause_edges(speaks, first, last)]


def _pause_starts(speaks: NDArray[np.bool_], first: int, last: int) -> list[int]:
    return [a for a, _ in _pause_edges(speaks, first, last)]


def _widened(start: int, end: int, duration_s: float) -> tuple[float, float]:
    """With a fifth of a second of silence kept around it."""
    return max(0.0, start * FRAME_S - _KEPT_SILENCE_S), min(duration_s, end * FRAME_S + _KEPT_SILENCE_S)


def cut(clip: Clip, from_s: float, to_s: float) -> Clip:
    """The part between two times, with edges of 5 ms faded so that it does not click."""
    a, b = round(from_s * clip.rate_hz), round(to_s * clip.rate_hz)
    part = clip.samples[a:b].copy()
    n = min(len(part) // 2, round(0.005 * clip.rate_hz))
    ramp = np.linspace(0, 1, n, dtype=np.float32)[:, None]
    part[:n] *= ramp
    part[len(part) - n :] *= ramp[::-1]
    return Clip(samples=as_samples(part), rate_hz=clip.rate_hz)


def cleaned(clip: Clip) -> Clip:
    """Steady noise taken down by at most 15 dB: Wiener gains from the noise heard in the pauses.

    Raises NotEnoughData where there is no pause to learn the noise from. Reference: Lim & Oppenheim (1979), the
    non-causal Wiener filter with estimated spectra.
    """
    from scipy.signal import istft, stft  # takes a second to load; the desk does not wait for it

    levels = frame_levels_dbfs(clip)
    speaks = speech_frames(levels, clip)
    size = 2 ** round(np.log2(0.03 * clip.rate_hz))
    out = []
    for channel in clip.samples.T.astype(np.float64):
        _, t, spectrum = stft(channel, clip.rate_hz, nperseg=size, noverlap=3 * size // 4)
        power = np.abs(spectrum) ** 2
        quiet = ~speaks[np.minimum((t / FRAME_S).astype(int), len(speaks) - 1)]
        if quiet.sum() < 10:
            raise NotEnoughData(tr("There is no pause in this recording to learn its noise from."))
        noise = power[:, quiet].mean(axis=1, keepdims=True)
        gain = np.clip(1 - noise / np.maximum(power, 1e-20), 10 ** (-15 / 20), 1.0)
        gain = np.apply_along_axis(lambda row: np.convolve(row, np.ones(5) / 5, mode="same"), 1, gain)
        _, x = istft(spectrum * gain, clip.rate_hz, nperseg=size, noverlap=3 * size // 4)
        out.append(x[: len(channel)])
    return Clip(samples=as_samples(np.stack(out, axis=1)), rate_hz=clip.rate_hz)
