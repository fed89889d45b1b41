"""The English recogniser's words: its dictionary, and pronunciations for words that are not in it.

PocketSphinx with its shipped US English model. Words it does not know (names, numbers, foreign words) are pronounced by
the built-in voice and spelt in the model's phones, so that Latin names are found as well.
"""

from __future__ import annotations

import threading
from functools import cache
from importlib.metadata import version
from typing import Any, Final

import numpy as np
import soxr

from zestpanel.core.audio.clip import Clip
from zestpanel.core.speech import builtin_voice

RATE_HZ: Final = 16_000
_PEAK: Final = 0.7
_MOST_WAYS: Final = 9  # of saying one word, in the dictionary

# IPA as the built-in voice writes it -> phones of the model (CMU set); longest first, so that the order matters
_PHONES: Final[tuple[tuple[str, str], ...]] = (
    ("tʃ", "CH"), ("dʒ", "JH"), ("aɪə", "AY AH"), ("aʊ", "AW"), ("aɪ", "AY"), ("eɪ", "EY"), ("oʊ", "OW"),
    ("əʊ", "OW"), ("ɔɪ", "OY"), ("iə", "IH R"), ("eə", "EH R"), ("ʊə", "UH R"), ("ɔː", "AO"), ("ɑː", "AA"),
    ("iː", "IY"), ("uː", "UW"), ("ɜː", "ER"), ("ɚ", "ER"), ("ɐ", "AH"), ("ə", "AH"), ("ʌ", "AH"),
    ("æ", "AE"), ("a", "AE"), ("ɛ", "EH"), ("e", "EH"), ("ɪ", "IH"), ("i", "IY"), ("ɒ", "AA"), ("ɔ", "AO"),
    ("ɑ", "AA"), ("ʊ", "UH"), ("u", "UW"), ("o", "OW"), ("y", "Y"), ("ɡ", "G"), ("g", "G"), ("ŋ", "NG"),
    ("θ", "TH"), ("ð", "DH"), ("ʃ", "SH"), ("ʒ", "ZH"), ("ɹ", "R"), ("r", "R"), ("j", "Y"), ("ɾ", "D"),
    ("ɬ", "L"), ("x", "K"), ("ɲ", "N"), ("h", "HH"), ("b", "B"), ("d", "D"), ("f", "F"), ("k", "K"),
    ("l", "L"), ("m", "M"), ("n", "N"), ("p", "P"), ("s", "S"), ("t", "T"), ("v", "V"), ("w", "W"),
    ("z", "Z"),
)  # fmt: skip

LOCK: Final = threading.Lock()  # held while the recogniser works


def recogniser_name() -> str:
    return f"PocketSphinx {version('pocketsphinx')}, US English"


@cache
def dictionary() -> Any:
    """The recogniser with its whole dictionary, to align with and to look words up in."""
    from pocketsphinx import Decoder  # a model of some 30 MB, loaded on first use

    return Decoder(samprate=RATE_HZ, loglevel="FATAL", lm=None, cmn="batch")


def pcm_for(clip: Clip) -> bytes:
    """A clip as the recogniser takes it: mono, 16 kHz, 16 bit, at one level; empty for silence."""
    samples = clip.mono()
    top = float(np.abs(samples).max()) if len(samples) else 0.0
    if top == 0.0:
        return b""
    if clip.rate_hz != RATE_HZ:
        samples = soxr.resample(samples, clip.rate_hz, RATE_HZ)
    pcm: bytes = (np.clip(samples / top * _PEAK, -1, 1) * 32767).astype("<i2").tobytes()
    return pcm


def model_phones(ipa: str) -> list[str]:
    """IPA spelt in the model's phones; marks of stress and length, and what the model has no phone for, fall away."""
    out: list[str] = []
    place = 0
    while place < len(ipa):
        found = next((pair for pair in _PHONES if ipa.startswith(pair[0], place)), None)
        if found is None:
            place += 1
        else:
            out += found[1].split()
            place += len(found[0])
    return out


def known_name(word: str) -> str:
    """The dictionary's entry for a word, made from the built-in voice's pronunciation when there is none."""
    key = word.lower().replace("’", "'")
    if dictionary().lookup_word(key) is not None:
        return key
    phones = model_phones(builtin_voice.phonemes(word, voice="en")) or ["AH"]
    name = "made_" + "_".join(phones).lower()
    if dictionary().lookup_word(name) is None:
        dictionary().add_word(name, " ".join(phones), True)
    return name


def ways_of_saying(name: str) -> list[tuple[str, str]]:
    """(entry, phones) of a dictionary word: 'the' and 'the(2)' for two pronunciations."""
    entries = [name, *(f"{name}({n})" for n in range(2, _MOST_WAYS + 1))]
    return [(entry, phones) for entry in entries if (phones := dictionary().lookup_word(entry)) is not None]
