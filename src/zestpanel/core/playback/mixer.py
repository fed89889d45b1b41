"""The one mixer of the program: holds the tray's lanes decoded and levelled, and renders what is heard.

It knows no device: whoever plays asks ``render`` for the next frames. A swap takes effect in the next block with a
short cross-fade; pausing, resuming and seeking fade as well, so that nothing clicks.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import resampled
from zestpanel.core.errors import AudioError
from zestpanel.core.measures.loudness import TARGET_LUFS, Loudness, matching_gains_db, measure_loudness
from zestpanel.core.playback.text_axis import TextAxis, text_axis
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way

RATE_HZ: Final = 48_000
ENVELOPE_S: Final = 0.005
FADE_S: Final = 0.012
_FADE: Final = round(FADE_S * RATE_HZ)
_BED_PEAK: Final = 0.1  # lanes peak at -1 dBTP at most, 0.891: together they stay below full scale
MONO_ON_TWO_DB: Final = 10 * math.log10(2)

Stereo = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """One clip ready to be heard: (frames, 2) at 48 kHz, levelled; with its text axis, and the greatest magnitude of
    every 5 ms (``ENVELOPE_S``) over both channels."""

    key: int
    samples: Stereo = field(repr=False, compare=False)
    axis: TextAxis = field(repr=False, compare=False)
    envelope: NDArray[np.float32] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "envelope", _envelope(self.samples))

    @property
    def duration_s(self) -> float:
        return len(self.samples) / RATE_HZ


def _envelope(samples: Stereo, step: int = round(ENVELOPE_S * RATE_HZ)) -> NDArray[np.float32]:
    magnitude = np.maximum(np.abs(samples[:, 0]), np.abs(samples[:, 1]))
    whole = len(magnitude) // step
    return magnitude[: whole * step].reshape(whole, step).max(axis=1) if whole else magnitude[:1]


def as_heard(clip: Clip) -> Loudness:
    """Loudness over both channels: a mono clip is played on two and reads 3.01 LU more than by itself."""
    found = measure_loudness(clip)
    if clip.channels > 1 or found.integrated_lufs is None:
        return found
    return replace(found, integrated_lufs=found.integrated_lufs + MONO_ON_TWO_DB)


def as_measured(lufs: float, true_peak_dbtp: float, channels: int) -> Loudness:
    """What was measured of a clip, as it is heard on two channels."""
    over = 0.0 if channels > 1 else MONO_ON_TWO_DB
    return Loudness(integrated_lufs=lufs + over, true_peak_dbtp=true_peak_dbtp, why="")


def prepare_lanes(
    clips: Sequence[tuple[int, Clip, Sequence[tuple[str, float, float, bool]], int]],
    *,
    target_lufs: float = TARGET_LUFS,
    known: Mapping[int, Loudness] | None = None,
) -> tuple[list[Lane], float]:
    """Lanes of equal loudness from (key, clip, word times, words in the text); and the target that was reached.

    No clip is ever clipped: where one would, the target is lowered for all. known: loudness as heard on two channels,
    by key, of clips that were measured before: it is not worked out again.
    """
    played = []
    for _, clip, _, _ in clips:
        give_way()
        played.append(resampled(clip, RATE_HZ))
    found = [(known or {}).get(key) or as_heard(clip) for (key, _, _, _), clip in zip(clips, played, strict=True)]
    gains, target = matching_gains_db(found, target_lufs=target_lufs)
    lanes = []
    for (key, clip, words, count), gain, at_rate in zip(clips, gains, played, strict=True):
        give_way()
        samples = at_rate.samples * np.float32(10 ** (gain / 20))
        stereo = samples[:, :2] if samples.shape[1] >= 2 else np.repeat(samples, 2, axis=1)
        lanes.append(
            Lane(key=key, samples=np.ascontiguousarray(stereo), axis=text_axis(words, clip.duration_s, count=count))
        )
    return lanes, target


def as_played(key: int, clip: Clip) -> Lane:
    """A lane at the clip's own level: for signals whose level is the point."""
    samples = resampled(clip, RATE_HZ).samples
    stereo = samples[:, :2] if samples.shape[1] >= 2 else np.repeat(samples, 2, axis=1)
    return Lane(key=key, samples=np.ascontiguousarray(stereo), axis=text_axis((), clip.duration_s, count=1))


def bed_of(clip: Clip, *, lufs: float) -> Stereo:
    """Music or a room to lie under lanes, (frames, 2) at 48 kHz, at a loudness; softer where its peaks would leave
    lanes too little room to stay unclipped. Its end fades into its beginning. Raises AudioError for silence."""
    played = resampled(clip, RATE_HZ)
    found = as_heard(played)
    if found.integrated_lufs is None:
        raise AudioError(
            tr("This sound is silent or too short to lie under others."), kept=tr("Nothing was laid under.")
        )
    gain = 10 ** ((lufs - found.integrated_lufs) / 20)
    peak = float(np.abs(played.samples).max())
    gain = min(gain, _BED_PEAK / peak if peak > 0 else gain)
    samples = played.samples * np.float32(gain)
    stereo = samples[:, :2] if samples.shape[1] >= 2 else np.repeat(samples, 2, axis=1)
    stereo = np.ascontiguousarray(stereo)
    fade = min(len(stereo) // 4, RATE_HZ // 2)
    if fade:
        ramp = np.linspace(0.0, 1.0, fade, dtype=np.float32)[:, None]
        stereo[:fade] = stereo[:fade] * ramp + stereo[-fade:] * (1 - ramp)
        stereo = stereo[:-fade]
    return stereo


class Mixer:
    """Plays one lane at a time. All methods may be called from any thread."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._lanes: list[Lane] = []
        self._on, self._frame = 0, 0
        self._playing = False
        self._tail: Stereo | None = None  # what was heard before, as it fades out under what is heard now
        self._faded = 0  # frames of it that are over
        self._heard: dict[int, NDArray[np.bool_]] = {}
        self._aligned = True
        self._loop: tuple[float, float] | None = None  # places in the text
        self._went_round = False
        self._bed: Stereo | None = None
        self._bed_frame = 0

    # -- the tray

    def load(self, lanes: Sequence[Lane], *, on: int = 0, place: float | None = None) -> None:
        """Put lanes on. With a place in the text playback stands there, otherwise at the beginning."""
        with self._lock:
            self._begin_fade()
            self._lanes = list(lanes)
            self._on = min(on, max(0, len(lanes) - 1))
            self._frame = 0
            if place is None:
                self._loop = None  # another text: its places are others
            self._heard = {lane.key: np.zeros(int(lane.duration_s * 20) + 1, dtype=bool) for lane in lanes}
            if place is not None and lanes:
                self._frame = round(self._lanes[self._on].axis.time_at(place) * RATE_HZ)

    @property
    def lanes(self) -> list[Lane]:
        return self._lanes

    @property
    def on(self) -> int:
        """Index of the lane that is heard."""
        return self._on

    @property
    def playing(self) -> bool:
        return self._playing

    @property
    def time_s(self) -> float:
        """Where the heard lane stands, in its own time."""
        return self._frame / RATE_HZ

    @property
    def place(self) -> float:
        """Where playback stands in the text."""
        with self._lock:
            return self._lanes[self._on].axis.place_at(self.time_s) if self._lanes else 0.0

    def forget_heard(self) -> None:
        """What was pulled until now was heard by nobody: there was no sound device."""
        with self._lock:
            for heard in self._heard.values():
                heard[:] = False

    def heard_share(self, key: int) -> float:
        """Share of a lane that has been rendered since it was loaded, counted in steps of 50 ms."""
        with self._lock:
            heard = self._heard.get(key)
            return float(heard.mean()) if heard is not None and len(heard) else 0.0

    # -- control

    @property
    def loop(self) -> tuple[float, float] | None:
        """Places of the text between which playback goes round, None where it goes on to the end."""
        return self._loop

    def set_loop(self, places: tuple[float, float] | None) -> None:
        """Go round between two places of the text, from the first on; None takes the loop away."""
        with self._lock:
            self._loop = places if places is not None and places[1] > places[0] else None
            self._went_round = False
            if self._loop is not None and self._lanes:
                self.seek_place(self._loop[0])

    def lay_bed(self, bed: Stereo | None) -> None:
        """Sound under all lanes, (frames, 2) at 48 kHz, over and over and without a break at swaps; None for none."""
        with self._lock:
            self._begin_fade()
            self._bed, self._bed_frame = bed, 0

    def play(self) -> None:
        with self._lock:
            if self._lanes and not self._playing:
                if self._frame >= len(self._lanes[self._on].samples):
                    self._frame = 0
                self._begin_fade()
                self._playing = True

    def pause(self) -> None:
        with self._lock:
            self._begin_fade()
            self._playing = False

    def swap(self, index: int, *, by_text: bool = True) -> None:
        """Hear another lane from the same place in the text (or the same second, in real time)."""
        with self._lock:
            if not 0 <= index < len(self._lanes) or index == self._on:
                return
            old, new = self._lanes[self._on], self._lanes[index]
            self._begin_fade()
            if by_text:
                self._frame = round(new.axis.time_at(old.axis.place_at(self.time_s)) * RATE_HZ)
            self._frame = min(self._frame, len(new.samples))
            self._on = index

    def seek(self, time_s: float) -> None:
        """Go to a second of the heard lane."""
        with self._lock:
            if self._lanes:
                self._begin_fade()
                self._frame = int(np.clip(round(time_s * RATE_HZ), 0, len(self._lanes[self._on].samples)))

    def seek_place(self, place: float) -> None:
        """Go to a place in the text."""
        with self._lock:
            if self._lanes:
                self.seek(self._lanes[self._on].axis.time_at(place))

    def _begin_fade(self) -> None:
        """What is heard now, whatever that is, goes on under the new sound while it fades out."""
        before = self._frame, self._bed_frame, self._went_round
        tail = self._sound(_FADE, heard=False)
        self._frame, self._bed_frame, self._went_round = before
        self._tail, self._faded = self._cross_faded(tail), 0

    # -- sound

    def render(self, frames: int) -> Stereo:
        """The next frames, shape (frames, 2) float32 at 48 kHz; silence when nothing plays."""
        with self._lock:
            out = self._cross_faded(self._sound(frames, heard=True))
            self._faded += frames
            if self._faded >= _FADE:
                self._tail = None
            if self._playing and self._lanes and self._frame >= len(self._lanes[self._on].samples):
                self._begin_fade()  # a bed does not end with a click either
                self._playing = False
            return out

    def _sound(self, frames: int, *, heard: bool) -> Stereo:
        """The lane that is on, and what lies under it. heard: whether it counts as heard."""
        out = np.zeros((frames, 2), dtype=np.float32)
        if not self._playing or not self._lanes:
            return out
        at = 0
        while at < frames and (piece := self._next_piece(frames - at, heard=heard)) is not None:
            out[at : at + len(piece)] = piece
            at += len(piece)
        if self._bed is not None and len(self._bed):
            out += self._bed_piece(frames)
        return out

    def _next_piece(self, most: int, *, heard: bool) -> Stereo | None:
        """What the heard lane says next, as far as a loop's end; None at the end of the lane."""
        lane = self._lanes[self._on]
        first, last = 0, len(lane.samples)
        if (bounds := self._loop_frames(lane)) is not None:
            first, last = bounds
            if self._frame >= last:
                self._frame, self._went_round = first, True
        piece = lane.samples[self._frame : min(last, self._frame + most)]
        if not len(piece):
            return None
        if bounds is not None:
            piece = piece * self._edges(self._frame + np.arange(len(piece)), first, last)
        steps = slice(int(self._frame / RATE_HZ * 20), int((self._frame + len(piece)) / RATE_HZ * 20) + 1)
        if heard:
            self._heard[lane.key][steps] = True
        self._frame += len(piece)
        return piece

    def _loop_frames(self, lane: Lane) -> tuple[int, int] | None:
        """Where the loop lies in a lane; None where it is too short there to be faded."""
        if self._loop is None:
            return None
        first, last = (min(len(lane.samples), round(lane.axis.time_at(place) * RATE_HZ)) for place in self._loop)
        return (first, last) if last - first > 2 * _FADE else None

    def _edges(self, frames: NDArray[np.int_], first: int, last: int) -> NDArray[np.float32]:
        """Gain towards a loop's end, and after it at its beginning: a block may end anywhere in it."""
        near = last - frames if not self._went_round else np.minimum(last - frames, frames - first)
        share = np.clip(near / _FADE, 0.0, 1.0)
        return np.asarray(np.sin(np.pi / 2 * share) ** 2, dtype=np.float32)[:, None]

    def _bed_piece(self, frames: int) -> Stereo:
        assert self._bed is not None
        at = (self._bed_frame + np.arange(frames)) % len(self._bed)
        self._bed_frame = int((self._bed_frame + frames) % len(self._bed))
        piece: Stereo = self._bed[at]
        return piece

    def _cross_faded(self, out: Stereo) -> Stereo:
        """Equal-gain fade over 12 ms (the clips speak the same words: their sum must not swell), as far as it has come:
        a device may ask for less at a time."""
        length = min(_FADE - self._faded, len(out)) if self._tail is not None else 0
        if self._tail is not None and length > 0:
            at = self._faded + np.arange(length)
            ramp = (0.5 - 0.5 * np.cos(np.pi * (at + 0.5) / _FADE)).astype(np.float32)[:, None]
            out[:length] = out[:length] * ramp + self._tail[self._faded : self._faded + length] * (1 - ramp)
        return out
