"""espeak-ng's library, driven in this process: sound, word events and phonemes.

The library keeps global state, so one lock guards it, and it is loaded anew (about 1 ms) for each reading: the slow
wavering of its pitch would otherwise depend on all that was said before. Its word events carry the place in the text
(1-based, in characters) and the place in the sound (milliseconds).
"""

from __future__ import annotations

import _ctypes
import ctypes
import threading
from dataclasses import dataclass, field
from functools import cache
from typing import Any, Final

import espeakng_loader
import numpy as np
from numpy.typing import NDArray

from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

_SYNCHRONOUS: Final = 2
_CHARS_UTF8: Final = 1
_SSML, _PHONEME_INPUT = 0x10, 0x100
_EVENT_END, _EVENT_WORD = 0, 1
_RATE, _VOLUME, _PITCH, _RANGE = 1, 2, 3, 4
_POS_CHARACTER: Final = 1
NORMAL_WORDS_PER_MINUTE: Final = 165


class _EventId(ctypes.Union):
    _fields_ = [("number", ctypes.c_int), ("name", ctypes.c_char_p), ("string", ctypes.c_char * 8)]


class _Event(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_int),
        ("unique_identifier", ctypes.c_uint),
        ("text_position", ctypes.c_int),
        ("length", ctypes.c_int),
        ("audio_position", ctypes.c_int),
        ("sample", ctypes.c_int),
        ("user_data", ctypes.c_void_p),
        ("id", _EventId),
    ]


_CALLBACK = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(_Event))


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """What the built-in voice said: int16 mono samples, and (character index from 0, seconds) per word event."""

    samples: NDArray[np.int16] = field(repr=False, compare=False)
    rate_hz: int
    events: tuple[tuple[int, float], ...]


_lock = threading.Lock()


@cache
def _library() -> tuple[Any, int]:
    library = ctypes.CDLL(espeakng_loader.get_library_path())
    rate_hz = library.espeak_Initialize(_SYNCHRONOUS, 0, espeakng_loader.get_data_path().encode(), 0)
    if rate_hz <= 0:
        raise InputError(tr("The built-in voice could not be started: its language data were not found."))
    library.espeak_TextToPhonemes.restype = ctypes.c_char_p
    library.espeak_ng_SetRandSeed(1)  # it seeds its breath and wavering by the clock
    return library, int(rate_hz)


def _fresh_library() -> tuple[Any, int]:
    """The library as if nothing had been said yet: the same text then gives the same samples."""
    if _library.cache_info().currsize:
        used, _ = _library()
        used.espeak_Terminate()
        _library.cache_clear()
        _ctypes.dlclose(used._handle)  # noqa: SLF001 the library's own handle
    ctypes.CDLL(None).srand(1)  # some of its noises are drawn from the C library's numbers
    return _library()


_REGIONAL = {"en-us": "en-us", "fr-be": "fr-be", "fr-ch": "fr-ch", "es-mx": "es-419", "pt-br": "pt-br"}


def voice_for_language(language: str) -> str:
    """The built-in voice's name for a BCP 47 tag: 'en-GB' -> 'en', 'en-US' -> 'en-us', 'de-AT' -> 'de'."""
    tag = language.lower()
    return _REGIONAL.get(tag, tag.split("-")[0])


def speak(
    text: str,
    *,
    voice: str,
    rate_wpm: int = NORMAL_WORDS_PER_MINUTE,
    pitch: int = 50,
    pitch_range: int = 50,
    marked_up: bool = False,
) -> Reading:
    """Say plain text. voice: an espeak-ng name such as 'en' or 'en+f2'; pitch and range 0..100.

    marked_up: the text is SSML, and sounds may stand between double brackets; places of words are then counted in
    the markup.

    Raises InputError when the voice is not known or nothing was said.
    """
    with _lock:
        library, rate_hz = _fresh_library()
        if library.espeak_SetVoiceByName(voice.encode()) != 0:
            raise InputError(tr("The built-in voice has no voice named '{voice}'.", voice=voice))
        for parameter, value in ((_RATE, rate_wpm), (_VOLUME, 90), (_PITCH, pitch), (_RANGE, pitch_range)):
            library.espeak_SetParameter(parameter, value, 0)
        pieces: list[NDArray[np.int16]] = []
        events: list[tuple[int, float]] = []

        def receive(wave: Any, count: int, event: Any) -> int:
            if wave and count > 0:
                pieces.append(np.ctypeslib.as_array(wave, shape=(count,)).copy())
            place = 0
            while event[place].type != _EVENT_END:
                if event[place].type == _EVENT_WORD:
                    events.append((event[place].text_position - 1, event[place].audio_position / 1000.0))
                place += 1
            return 0

        callback = _CALLBACK(receive)
        library.espeak_SetSynthCallback(callback)
        data = text.encode("utf-8") + b"\0"
        flags = _CHARS_UTF8 | (_SSML | _PHONEME_INPUT if marked_up else 0)
        status = library.espeak_Synth(data, len(data), 0, _POS_CHARACTER, 0, flags, None, None)
        library.espeak_Synchronize()
    if status != 0 or not pieces:
        raise InputError(tr("The built-in voice said nothing: the text has no words it can read."))
    return Reading(samples=np.concatenate(pieces), rate_hz=rate_hz, events=tuple(events))


def phonemes(text: str, *, voice: str, separator: str = "") -> str:
    """The text as IPA, as the built-in voice would say it; ``separator`` stands between its sounds."""
    with _lock:
        library, _ = _library()
        if library.espeak_SetVoiceByName(voice.encode()) != 0:
            raise InputError(tr("The built-in voice has no voice named '{voice}'.", voice=voice))
        buffer = ctypes.create_string_buffer(text.encode("utf-8"))
        pointer = ctypes.c_void_p(ctypes.addressof(buffer))
        spoken = []
        mode = 0x02 | (ord(separator) << 8 if separator else 0)
        while pointer.value:
            piece = library.espeak_TextToPhonemes(ctypes.byref(pointer), _CHARS_UTF8, mode)
            if not piece:
                break
            spoken.append(piece.decode("utf-8"))
    return " ".join(spoken).strip()
