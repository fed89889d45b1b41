"""Listening copies: every clip of a session in one form and of one size in bytes, so that no file tells a candidate."""

from __future__ import annotations

import hashlib
import io
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np
import soundfile

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.audio.encoding import OutputFormat, encode
from zestpanel.core.playback.mixer import RATE_HZ, Lane, Stereo, prepare_lanes
from zestpanel.core.speech.builtin_voice import speak, voice_for_language

LOSSY_KBPS: Final = 96
LOSSLESS_BYTES_A_SECOND, LOSSY_BYTES_A_SECOND = 45_000, 12_500  # of speech: as measured, for a size told before
_PADDING, _LAST = 1, 0x80  # a kind of FLAC's metadata blocks, and the mark of the last one (RFC 9639, 8.1)
_MOST_PADDING: Final = 2**24 - 1
_STREAM_INFO_END: Final = 42  # "fLaC", a head of four bytes, and 34 bytes
_HEAD: Final = 4  # of a block


@dataclass(frozen=True, slots=True)
class Copy:
    """lossy: for slow lines; Ogg Opus, whose delay the decoder takes out by what the file says of it (RFC 7845)."""

    lossy: bool = False

    @property
    def form(self) -> str:
        return f"Opus, 48 kHz, {LOSSY_KBPS} kbit/s" if self.lossy else "FLAC, 48 kHz, 16 bit"

    def of(self, samples: Stereo) -> tuple[str, bytes]:
        """(a digest of the sound, its copy). Two channels that are alike are written as one."""
        alike = samples.shape[1] == 1 or bool(np.array_equal(samples[:, 0], samples[:, 1]))
        sound = np.ascontiguousarray(samples[:, :1] if alike else samples)
        digest = hashlib.sha256(sound.tobytes()).hexdigest()
        return digest, self._lossy(sound) if self.lossy else self._lossless(sound)

    def _lossless(self, sound: Stereo) -> bytes:
        out = io.BytesIO()
        soundfile.write(out, np.clip(sound, -1.0, 1.0), RATE_HZ, format="FLAC", subtype="PCM_16")
        return out.getvalue()

    def _lossy(self, sound: Stereo) -> bytes:
        with tempfile.TemporaryDirectory(prefix="zest-") as folder:
            path = Path(folder) / "copy.opus"
            to = OutputFormat(kind="opus", rate_hz=RATE_HZ, channels=1 if sound.shape[1] == 1 else 2, kbps=LOSSY_KBPS,
                              loudness_lufs=None)  # fmt: skip
            encode(path, [sound], RATE_HZ, to)
            return path.read_bytes()

    def alike(self, coded: Mapping[str, bytes]) -> dict[str, bytes]:
        """All of the greatest one's size: FLAC by a block of padding, Ogg by what stands behind its end, which no
        decoder reads."""
        size = max(map(len, coded.values()), default=0)
        if self.lossy:
            return {code: data + bytes(size - len(data)) for code, data in coded.items()}
        return {code: padded(data, size + _HEAD) for code, data in coded.items()}


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
