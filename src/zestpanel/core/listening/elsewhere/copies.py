"""Listening copies: every clip of a session in one form and of one size in bytes, so that no file tells a candidate."""

from __future__ import annotations

import hashlib
from collections.abc import Hashable, Iterable
from pathlib import Path
from typing import Final

import numpy as np
import soundfile

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.audio.encoding import OutputFormat, encode
from zestpanel.core.playback.mixer import RATE_HZ, Lane, Stereo, prepare_lanes
from zestpanel.core.playback.text_axis import TextAxis
from zestpanel.core.speech.builtin_voice import speak, voice_for_language

LOSSY_KBPS: Final = 96
LOSSLESS_BYTES_A_SECOND, LOSSY_BYTES_A_SECOND = 32_000, 12_500  # of speech: as measured, for a size told before
_PADDING, _LAST = 1, 0x80  # a kind of FLAC's metadata blocks, and the mark of the last one (RFC 9639, 8.1)
_MOST_PADDING: Final = 2**24 - 1
_STREAM_INFO_END: Final = 42  # "fLaC", a head of four bytes, and 34 bytes
_HEAD: Final = 4  # of a block


class Copies:
    """Copies of what is heard, each made and kept once, in a folder. lossy: for slow lines; Ogg Opus, whose delay the
    decoder takes out by what the file says of it (RFC 7845)."""

    def __init__(self, folder: Path, *, lossy: bool = False) -> None:
        self._folder, self.lossy = folder, lossy
        self._sizes: dict[str, int] = {}  # by digest of the sound
        self.made: dict[Hashable, tuple[str, TextAxis]] = {}  # what was put in before, by how it is made

    @property
    def form(self) -> str:
        return f"Opus, 48 kHz, {LOSSY_KBPS} kbit/s" if self.lossy else "FLAC, 48 kHz, 16 bit"

    def put(self, samples: Stereo) -> str:
        """The digest of the sound, by which its copy is known. Two channels that are alike are written as one."""
        alike = samples.shape[1] == 1 or bool(np.array_equal(samples[:, 0], samples[:, 1]))
        sound = np.ascontiguousarray(samples[:, :1] if alike else samples)
        digest = hashlib.sha256(sound.tobytes()).hexdigest()
        if digest not in self._sizes:
            path = self._folder / digest
            if self.lossy:
                to = OutputFormat(kind="opus", rate_hz=RATE_HZ, channels=1 if alike else 2, kbps=LOSSY_KBPS,
                                  loudness_lufs=None)  # fmt: skip
                encode(path, [sound], RATE_HZ, to)
            else:
                soundfile.write(path, np.clip(sound, -1.0, 1.0), RATE_HZ, format="FLAC", subtype="PCM_16")
            self._sizes[digest] = path.stat().st_size
        return digest

    def largest(self, digests: Iterable[str]) -> int:
        return max((self._sizes[one] for one in digests), default=0) + _HEAD

    def read(self, digest: str, size: int) -> bytes:
        """A copy made so long: FLAC by a block of padding, Ogg by what stands behind its end and no decoder reads."""
        data = (self._folder / digest).read_bytes()
        return data + bytes(max(0, size - len(data))) if self.lossy else padded(data, size)


def padded(flac: bytes, size: int) -> bytes:
    """A FLAC file made so long by a block of padding behind its first one; as it is where it is as long already."""
    room = size - len(flac) - _HEAD
    if room < 0 or room > _MOST_PADDING:
        return flac
    head = bytearray(flac[:_STREAM_INFO_END])
    was_last = head[4] & _LAST
    head[4] &= ~_LAST & 0xFF
    block = bytes([_PADDING | was_last]) + room.to_bytes(3, "big") + bytes(room)
    return bytes(head) + block + flac[_STREAM_INFO_END:]


def spoken_at(text: str, language: str, level_lufs: float) -> Lane:
    """A sentence by the built-in voice, as loud as the clips."""
    said = speak(text, voice=voice_for_language(language))
    clip = Clip(samples=as_samples(said.samples), rate_hz=said.rate_hz)
    return prepare_lanes([(0, clip, (), 1)], target_lufs=level_lufs)[0][0]
