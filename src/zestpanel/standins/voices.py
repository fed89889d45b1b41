"""The stand-ins' speakers. All names are invented; how they differ is stated here and nowhere hidden."""

from __future__ import annotations

from typing import Final

from zestpanel.standins.timbre import Timbre

VOICES: Final[dict[str, Timbre]] = {
    # Tangor: clean, lively
    "ilseth": Timbre(base="en+f2", words_per_minute=158, pitch_hz=192, liveliness=1.2, size=1.0),
    "corwick": Timbre(base="en+m3", words_per_minute=150, pitch_hz=104, liveliness=1.15, size=1.05),
    "odrine": Timbre(base="fr+f2", words_per_minute=150, pitch_hz=198, liveliness=1.15),
    # Citrange: plainer, narrower band, a little noise
    "brindal": Timbre(
        base="en-us",
        words_per_minute=168,
        pitch_hz=116,
        liveliness=0.75,
        band_hz=6200,
        hiss_db=-62,
        lead_s=0.25,
        gain_db=4.0,
        rate_hz=16_000,
    ),
    "linnoway": Timbre(
        base="en+f3",
        words_per_minute=172,
        pitch_hz=214,
        liveliness=0.95,
        band_hz=7600,
        roughness=0.25,
        gain_db=3.0,
        rate_hz=16_000,
    ),
    "vauclin": Timbre(
        base="fr+m3",
        words_per_minute=165,
        pitch_hz=112,
        liveliness=0.75,
        band_hz=6500,
        hiss_db=-60,
        gain_db=4.0,
        rate_hz=16_000,
    ),
    # Rangpur: small and local, breathy, monotone, unsteady
    "hesk": Timbre(
        base="en+m7",
        words_per_minute=146,
        pitch_hz=96,
        liveliness=0.4,
        size=1.1,
        breath=0.5,
        roughness=0.7,
        band_hz=4600,
        hiss_db=-54,
        tail_s=0.6,
        gain_db=-6.0,
        wobble=0.03,
    ),
    "ansgild": Timbre(
        base="en+f4",
        words_per_minute=154,
        pitch_hz=182,
        liveliness=0.75,
        breath=0.3,
        band_hz=6800,
        gain_db=-5.0,
        wobble=0.02,
    ),
    # Sunquat: large and slow, on this machine; the fullest band of all
    "torvane": Timbre(base="en+m1", words_per_minute=152, pitch_hz=112, liveliness=1.25, size=1.03),
    "ismere": Timbre(base="en+f1", words_per_minute=156, pitch_hz=204, liveliness=1.3),
}

# Voices of the other languages, by base voice: a woman and a man each
for _name, _base, _pitch, _pace in (
    ("ondelva", "pt+f2", 196, 158),
    ("jaquimor", "pt+m3", 112, 152),
    ("tovara", "es+f2", 200, 162),
    ("escalid", "es+m3", 110, 156),
    ("hedrune", "de+f2", 192, 150),
    ("wolbreck", "de+m3", 102, 146),
    ("fiorenda", "it+f2", 202, 160),
    ("massarro", "it+m3", 114, 154),
):
    VOICES[_name] = Timbre(base=_base, words_per_minute=_pace, pitch_hz=_pitch, liveliness=1.1)

PIPS: Final = 240
_PIP_BASES: Final = (
    ("en-GB", "en"),
    ("fr-FR", "fr"),
    ("es-ES", "es"),
    ("de-DE", "de"),
    ("it-IT", "it"),
    ("pt-PT", "pt"),
)


def pip(number: int) -> tuple[dict[str, object], Timbre]:
    """One of the many voices of Mandelo: (how its list describes it, how it sounds). They differ by their number."""
    locale, base = _PIP_BASES[number % len(_PIP_BASES)]
    woman = number // len(_PIP_BASES) % 2 == 0
    age = ("young", "adult", "old")[number // 12 % 3]
    pitch = (205 if woman else 115) * {"young": 1.08, "adult": 1.0, "old": 0.92}[age] * (1 + (number % 7 - 3) * 0.02)
    timbre = Timbre(
        base=f"{base}+{'f' if woman else 'm'}{number % 3 + 1}",
        words_per_minute=150 + number % 5 * 6,
        pitch_hz=pitch,
        liveliness=0.7 + number % 9 * 0.08,
        breath=0.2 if age == "old" else 0.0,
    )
    entry: dict[str, object] = {
        "key": f"pip-{number:03d}",
        "title": f"Pip {number:03d}",
        "locale": locale,
        "sex": "F" if woman else "M",
        "age": age,
        "moods": ["calm"] if number % 4 == 0 else [],
        "tier": "all" if number % 3 else "orchard",
    }
    return entry, timbre


# what a mood does to pace and liveliness
MOODS: Final = {"plain": (1.0, 1.0), "calm": (0.92, 0.75), "warm": (0.96, 1.3)}
_MOODS_OF: Final = {
    "ilseth": ("calm", "warm"),
    "corwick": ("calm",),
    "odrine": ("calm", "warm"),
    "tovara": ("calm",),
    "hedrune": ("calm",),
}


def moods_of(voice: str) -> tuple[str, ...]:
    """The moods a voice has; every one can be plain."""
    if voice.startswith("pip-"):
        return ("plain", "calm") if int(voice[4:]) % 4 == 0 else ("plain",)
    return ("plain", *_MOODS_OF.get(voice, ()))


def timbre_of(voice: str) -> Timbre | None:
    """How a voice sounds, None when there is none of that id."""
    if voice.startswith("pip-") and voice[4:].isdigit() and 0 < int(voice[4:]) <= PIPS:
        return pip(int(voice[4:]))[1]
    return VOICES.get(voice)
