"""Word times by forced alignment: the English recogniser is told the words and finds where each one is.

PocketSphinx with its shipped US English model. Words that are not in its dictionary (names, numbers, foreign words) are
pronounced by the built-in voice and spelt in the model's phones, so that Latin names align as well.
"""

from __future__ import annotations

import threading
from functools import cache
from typing import Any, Final

import numpy as np
import soxr

from zestpanel.core.audio.clip import Clip
from zestpanel.core.passages.passage import words_with_places
from zestpanel.core.speech import builtin_voice

_RATE_HZ: Final = 16_000
_FRAME_S: Final = 0.01
_PEAK: Final = 0.7

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

_lock = threading.Lock()


@cache
def _decoder() -> Any:
    from pocketsphinx import Decoder  # a model of some 30 MB, loaded on first use

    return Decoder(samprate=_RATE_HZ, loglevel="FATAL", lm=None, cmn="batch")


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


def align(clip: Clip, text: str) -> tuple[tuple[str, float, float], ...]:
    """(word, start_s, end_s) for every word of an English text in order; () where the recogniser finds no way through
    the clip, as happens with some synthetic voices."""
    words = [word for word, _, _ in words_with_places(text)]
    samples = clip.mono()
    top = float(np.abs(samples).max())
    if not words or top == 0.0:
        return ()
    if clip.rate_hz != _RATE_HZ:
        samples = soxr.resample(samples, clip.rate_hz, _RATE_HZ)
    pcm = (np.clip(samples / top * _PEAK, -1, 1) * 32767).astype("<i2").tobytes()
    with _lock:
        decoder = _decoder()
        names = [_known_name(decoder, word) for word in words]
        decoder.reinit_feat()  # or the times would hang, by a frame, on the clips that came before
        decoder.set_align_text(" ".join(names))
        decoder.start_utt()
        decoder.process_raw(pcm, full_utt=True)
        decoder.end_utt()
        found = list(decoder.seg()) if decoder.hyp() else []
    wanted = set(names)
    # alternative pronunciations come as 'word(2)', silences as '<sil>' and the like
    spoken = [segment for segment in found if segment.word.split("(")[0] in wanted]
    if len(spoken) != len(words):
        return ()
    return tuple(
        (word, segment.start_frame * _FRAME_S, (segment.end_frame + 1) * _FRAME_S)
        for word, segment in zip(words, spoken, strict=True)
    )


def _known_name(decoder: Any, word: str) -> str:
    """The dictionary's entry for a word, made from the built-in voice's pronunciation when there is none."""
    key = word.lower().replace("’", "'")
    if decoder.lookup_word(key) is not None:
        return key
    phones = model_phones(builtin_voice.phonemes(word, voice="en")) or ["AH"]
    name = "made_" + "_".join(phones).lower()
    if decoder.lookup_word(name) is None:
        decoder.add_word(name, " ".join(phones), True)
    return name
