"""The International Phonetic Alphabet: its signs for the chart, and their way into the built-in voice.

Signs as in the IPA Chart revised to 2020 (International Phonetic Association): 59 pulmonic consonants, 28 vowels.
"""

from __future__ import annotations

import unicodedata
from typing import Final

from zestpanel.core.errors import InputError
from zestpanel.core.speech import builtin_voice
from zestpanel.core.texts import tr

# rows: manner; columns: place. '' where the chart has no sign.
PLACES: Final = (
    "bilabial", "labiodental", "dental", "alveolar", "postalveolar", "retroflex", "palatal", "velar", "uvular",
    "pharyngeal", "glottal",
)  # fmt: skip
CONSONANTS: Final[dict[str, tuple[str, ...]]] = {
    "plosive": ("p b", "", "", "t d", "", "ʈ ɖ", "c ɟ", "k ɡ", "q ɢ", "", "ʔ"),
    "nasal": ("m", "ɱ", "", "n", "", "ɳ", "ɲ", "ŋ", "ɴ", "", ""),
    "trill": ("ʙ", "", "", "r", "", "", "", "", "ʀ", "", ""),
    "tap": ("", "ⱱ", "", "ɾ", "", "ɽ", "", "", "", "", ""),
    "fricative": ("ɸ β", "f v", "θ ð", "s z", "ʃ ʒ", "ʂ ʐ", "ç ʝ", "x ɣ", "χ ʁ", "ħ ʕ", "h ɦ"),
    "lateral fricative": ("", "", "", "ɬ ɮ", "", "", "", "", "", "", ""),
    "approximant": ("", "ʋ", "", "ɹ", "", "ɻ", "j", "ɰ", "", "", ""),
    "lateral approximant": ("", "", "", "l", "", "ɭ", "ʎ", "ʟ", "", "", ""),
}
FRONTNESS: Final = ("front", "near-front", "central", "near-back", "back")
VOWELS: Final[dict[str, tuple[str, ...]]] = {
    "close": ("i y", "", "ɨ ʉ", "", "ɯ u"),
    "near-close": ("", "ɪ ʏ", "", "ʊ", ""),
    "close-mid": ("e ø", "", "ɘ ɵ", "", "ɤ o"),
    "mid": ("", "", "ə", "", ""),
    "open-mid": ("ɛ œ", "", "ɜ ɞ", "", "ʌ ɔ"),
    "near-open": ("æ", "", "ɐ", "", ""),
    "open": ("a ɶ", "", "", "", "ɑ ɒ"),
}
OTHERS: Final = {
    "ʍ": tr("voiceless labial-velar fricative"),
    "w": tr("voiced labial-velar approximant"),
    "ɥ": tr("voiced labial-palatal approximant"),
    "ʜ": tr("voiceless epiglottal fricative"),
    "ʢ": tr("voiced epiglottal fricative"),
    "ʡ": tr("epiglottal plosive"),
    "ɕ": tr("voiceless alveolo-palatal fricative"),
    "ʑ": tr("voiced alveolo-palatal fricative"),
    "ɺ": tr("voiced alveolar lateral flap"),
    "ɧ": tr("simultaneous ʃ and x"),
}
MARKS: Final = {
    "ˈ": tr("main stress"),
    "ˌ": tr("second stress"),
    "ː": "long",
    "ˑ": tr("half long"),
    ".": tr("syllable ends"),
    "\u0303": "nasal",
    "\u0361": tr("one sound of two"),
    "\u0329": tr("makes a syllable"),
    "ʰ": "breathed",
    "ʲ": "palatal",
    "ʷ": "rounded",
    "\u032f": tr("no syllable"),
    "\u0325": "voiceless",
    "‿": tr("no break"),
}


def consonants() -> list[str]:
    return [sign for row in CONSONANTS.values() for cell in row for sign in cell.split()]


def vowels() -> list[str]:
    return [sign for row in VOWELS.values() for cell in row for sign in cell.split()]


_KNOWN: Final = {*consonants(), *vowels(), *OTHERS, *MARKS, "g", "ɝ", "ɚ", "ɫ", " ", "|", "'", "ᵻ", "-"}


def name_of(sign: str) -> str:
    """What a sign stands for, in the chart's words."""
    for manner, row in CONSONANTS.items():
        for place, cell in zip(PLACES, row, strict=True):
            if sign in (signs := cell.split()):
                voice = "" if manner not in ("plosive", "fricative", "lateral fricative") else (
                    "voiced " if len(signs) == 2 and signs[1] == sign else "voiceless ")  # fmt: skip
                return f"{voice}{place} {manner}"
    for height, row in VOWELS.items():
        for front, cell in zip(FRONTNESS, row, strict=True):
            if sign in (signs := cell.split()):
                rounded = " rounded" if (len(signs) == 2 and signs[1] == sign) or sign == "ʊ" else ""
                return tr("{height} {front}{rounded} vowel", height=height, front=front, rounded=rounded)
    return OTHERS.get(sign) or MARKS.get(sign, "")


def unknown_symbols(ipa: str) -> list[str]:
    """Signs in a transcription that the alphabet does not have, each once."""
    return list(dict.fromkeys(c for c in unicodedata.normalize("NFD", ipa) if c not in _KNOWN and c != "\u0327"))


# The built-in voice takes ASCII names of its sounds between double brackets; names that English, French, Spanish,
# German, Italian and Portuguese share, found by asking the library for the IPA of each name.
_NAMES: Final[dict[str, str]] = {
    "tʃ": "tS", "dʒ": "dZ", "ts": "ts", "eɪ": "eI", "aɪ": "aI", "ɔɪ": "OI", "aʊ": "aU", "əʊ": "oU", "oʊ": "oU",
    "ɪə": "i@", "eə": "e@", "ʊə": "U@", "iə": "i@", "iː": "i:", "uː": "u:", "ɑː": "A:", "ɔː": "O:", "ɜː": "3:",
    "ɛː": "e@", "p": "p", "b": "b", "t": "t", "d": "d", "k": "k", "ɡ": "g", "g": "g", "f": "f", "v": "v", "θ": "T",
    "ð": "D", "s": "s", "z": "z", "ʃ": "S", "ʒ": "Z", "h": "h", "m": "m", "n": "n", "ŋ": "N", "l": "l", "ɫ": "l",
    "r": "r", "ɹ": "r", "ʁ": "r", "ʀ": "r", "ɾ": "r", "j": "j", "w": "w", "ɲ": "n^", "ʎ": "l^", "x": "x", "ç": "C",
    "i": "i", "ɪ": "I", "e": "e", "ɛ": "E", "æ": "a", "a": "a", "ɑ": "A:", "ɒ": "0", "ɔ": "O", "o": "o", "ʊ": "U",
    "u": "u", "ʌ": "V", "ɐ": "a#", "ə": "@", "ɜ": "3", "ɚ": "3", "ɝ": "3:", "y": "y", "ø": "Y", "œ": "W",
    "β": "B", "ɣ": "Q", "ʝ": "J", "ɟ": "J", "ɐ̃": "&~", "ʊ̃": "U~", "ĩ": "i~", "ũ": "u~", "õ": "o~", "ẽ": "e~",
    "ɑ̃": "A~", "ɛ̃": "E~", "ɔ̃": "O~", "œ̃": "W~", "ʔ": "?", "ˈ": "'", "ˌ": ",", "ː": ":",
}  # fmt: skip


def to_builtin(ipa: str, language: str) -> str:
    """A transcription as the built-in voice takes it, between double brackets.

    Raises InputError for a sign it has no sound for. Sounds are those of the voice's language; foreign ones come out
    as its nearest.
    """
    text = unicodedata.normalize("NFC", ipa).replace("\u0361", "").replace("‿", "").replace(".", "")
    text = text.replace("ɑ\u0303", "ɑ̃")
    out: list[str] = []
    at = 0
    while at < len(text):
        if text[at] in " |-'":
            out.append(" " if text[at] == " " else "")
            at += 1
            continue
        size = next((n for n in (3, 2, 1) if unicodedata.normalize("NFC", text[at : at + n]) in _NAMES), 0)
        if not size:
            if unicodedata.combining(text[at]) or text[at] in MARKS:
                at += 1  # a shade the built-in voice has not
                continue
            raise InputError(tr("The built-in voice has no sound for '{words}'.", words=text[at]))
        out.append(_NAMES[unicodedata.normalize("NFC", text[at : at + size])])
        at += size
    del language
    return "[[" + _parted(out) + "]]"


def _parted(names: list[str]) -> str:
    """Names put together; a bar parts two that would read as another one."""
    joined = ""
    for name in names:
        if joined and any((joined[-1] + name).startswith(other) and other != joined[-1] for other in _LONG):
            joined += "|"
        joined += name
    return joined


_LONG: Final = tuple(sorted({name for name in _NAMES.values() if len(name) > 1}, key=len, reverse=True))


def sounds_of(text: str, language: str) -> str:
    """How the built-in voice would say a text, in IPA."""
    return builtin_voice.phonemes(text, voice=builtin_voice.voice_for_language(language))
