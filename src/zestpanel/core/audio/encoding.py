"""Sound files as they are delivered: any length, block by block, in the formats that publishers ask for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from zestpanel.core.errors import AudioError
from zestpanel.core.own_files import written_beside
from zestpanel.core.texts import tr

if TYPE_CHECKING:
    import av.container

Kind = Literal["wav", "flac", "mp3", "opus", "aac"]
Block = NDArray[np.float32]  # shape (frames, channels), from -1 to 1


@dataclass(frozen=True, slots=True)
class _Coder:
    """How a kind of file is made: the container and the codec by the names of FFmpeg, the sample format it takes by
    depth, and the rates it takes, none for any."""

    ending: str
    container: str
    codec: Mapping[int, str]
    sample: Mapping[int, str]
    rates_hz: tuple[int, ...] = ()


_COMPRESSED: Final = (8_000, 11_025, 12_000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000)
_CODERS: Final[Mapping[Kind, _Coder]] = {
    "wav": _Coder("wav", "wav", {16: "pcm_s16le", 24: "pcm_s24le"}, {16: "s16", 24: "s32"}),
    "flac": _Coder("flac", "flac", {16: "flac", 24: "flac"}, {16: "s16", 24: "s32"}),
    "mp3": _Coder("mp3", "mp3", {16: "libmp3lame"}, {16: "fltp"}, _COMPRESSED),
    "opus": _Coder("opus", "ogg", {16: "libopus"}, {16: "flt"}, (8_000, 12_000, 16_000, 24_000, 48_000)),
    "aac": _Coder("m4a", "ipod", {16: "aac"}, {16: "fltp"}, _COMPRESSED),
}
KINDS: Final[tuple[Kind, ...]] = tuple(_CODERS)
LOSSLESS: Final = ("wav", "flac")
_FRAME: Final = 1_024 * 16


class OutputFormat(BaseModel):
    """rate_hz: None is the sound's own. loudness_lufs: integrated (ITU-R BS.1770), None leaves it as it is; peak_dbtp:
    true peak that is never passed. A mono file is heard 3 LU louder where it comes from two loudspeakers: −19 there is
    as loud as −16 in stereo (common practice, no source)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Kind = "wav"
    rate_hz: int | None = Field(default=None, ge=8_000, le=192_000)
    channels: Literal[1, 2] = 1
    bits: Literal[16, 24] = 24
    kbps: int = Field(default=128, ge=16, le=512)
    loudness_lufs: float | None = Field(default=-16.0, ge=-40, le=-8)
    peak_dbtp: float = Field(default=-1.0, ge=-12, le=0)
    head_s: float = Field(default=0.0, ge=0, le=60)
    tail_s: float = Field(default=0.0, ge=0, le=60)

    @model_validator(mode="after")
    def _takes_the_rate(self) -> OutputFormat:
        rates = _CODERS[self.kind].rates_hz
        if self.rate_hz is not None and rates and self.rate_hz not in rates:
            raise ValueError(tr("{kind} has no {rate} Hz; it has {rates}", kind=self.kind, rate=self.rate_hz,
                                rates=", ".join(map(str, rates))))  # fmt: skip
        return self

    @property
    def ending(self) -> str:
        return _CODERS[self.kind].ending

    def rate_for(self, own_hz: int) -> int:
        """The rate that is delivered of a sound of its own rate: the next one up that the format takes."""
        rates = _CODERS[self.kind].rates_hz
        wanted = self.rate_hz or own_hz
        return wanted if not rates or wanted in rates else next((r for r in rates if r >= wanted), rates[-1])


@dataclass(frozen=True, slots=True)
class Chapter:
    start_s: float
    end_s: float
    title: str


def encode(
    path: Path, blocks: Iterable[Block], rate_hz: int, to: OutputFormat, *, about: Mapping[str, str] | None = None,
    chapters: Sequence[Chapter] = (),
) -> None:  # fmt: skip
    """Write blocks as a file, beside and then into place. about: tags such as title and comment, by FFmpeg's names.

    Raises AudioError; OSError where it cannot be written.
    """
    import av  # large, and seldom needed

    coder = _CODERS[to.kind]
    bits = to.bits if to.kind in LOSSLESS else 16
    with written_beside(path) as part:
        try:
            with av.open(str(part), "w", format=coder.container) as container:
                container.metadata.update(about or {})
                _with_chapters(container, chapters)
                stream: Any = container.add_stream(coder.codec[bits], rate=rate_hz)
                stream.layout = "mono" if to.channels == 1 else "stereo"
                stream.format = coder.sample[bits]
                if to.kind not in LOSSLESS:
                    stream.bit_rate = to.kbps * 1_000
                elif to.kind == "flac" and bits == 24:
                    stream.options = {"bits_per_raw_sample": "24"}
                at = 0
                for frame in _frames(blocks, coder.sample[bits], to.channels, rate_hz):
                    frame.pts = at
                    at += frame.samples
                    for packet in stream.encode(frame):
                        container.mux(packet)
                for packet in stream.encode(None):
                    container.mux(packet)
        except av.error.FFmpegError as error:
            raise AudioError(tr("{name} could not be coded ({error}).", name=path.name, error=error)) from error


def _with_chapters(container: av.container.OutputContainer, chapters: Sequence[Chapter]) -> None:
    if chapters:
        container.set_chapters([
            {"id": k, "start": round(one.start_s * 1_000), "end": round(one.end_s * 1_000),
             "time_base": Fraction(1, 1_000), "metadata": {"title": one.title}} for k, one in enumerate(chapters)
        ])  # fmt: skip


def _frames(blocks: Iterable[Block], sample: str, channels: int, rate_hz: int) -> Iterator[Any]:
    import av

    for block in blocks:
        for begin in range(0, len(block), _FRAME):
            values: NDArray[Any] = np.clip(block[begin : begin + _FRAME], -1.0, 1.0)
            if sample.startswith("s16"):
                values = np.rint(values * 32_767).astype(np.int16)
            elif sample.startswith("s32"):
                values = (np.rint(values.astype(np.float64) * 8_388_607).astype(np.int32)) << 8  # 24 bits, at the top
            planar = sample.endswith("p")
            shaped = np.ascontiguousarray(values.T if planar else values.reshape(1, -1))
            frame = av.AudioFrame.from_ndarray(shaped, format=sample, layout="mono" if channels == 1 else "stereo")
            frame.sample_rate = rate_hz
            frame.time_base = Fraction(1, rate_hz)
            yield frame
