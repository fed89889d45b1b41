"""Names of languages and regions, by Babel from the Unicode CLDR."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any, Final

from zestpanel.core.texts import LANGUAGE, tr

# how the trade calls the accents of English; CLDR names the territory
_ACCENTS: Final = {"GB": tr("British"), "US": tr("American"), "IE": tr("Irish"), "AU": tr("Australian")}


@lru_cache(maxsize=1)
def _names() -> Any:
    from babel import Locale  # takes a moment, and is wanted only where a name is shown

    return Locale(LANGUAGE)


@lru_cache(maxsize=1024)
def language_name(tag: str) -> str:
    """'fr-FR' -> 'French'; the tag itself when CLDR knows none of that code."""
    name: str = _names().languages.get(tag.split("-")[0].lower(), tag)
    return name


@lru_cache(maxsize=1024)
def locale_name(tag: str) -> str:
    """'en-GB' -> 'English, British'; 'ko-KR' -> 'Korean, South Korea'; 'zh-Hant-TW' -> 'Chinese, Taiwan'."""
    region = next((part.upper() for part in tag.split("-")[1:] if len(part) == 2 or part.isdecimal()), "")
    accent = _ACCENTS.get(region) if tag.lower().partition("-")[0] == "en" else None
    name = accent or _names().territories.get(region, region)
    return language_name(tag) + (f", {name}" if name else "")


@lru_cache(maxsize=1024)
def own_name(tag: str) -> str:
    """'fr-FR' -> 'français': what those who speak it call it; the tag itself where CLDR knows none."""
    from babel import Locale, UnknownLocaleError

    code = tag.split("-")[0].lower()
    try:
        return str(Locale.parse(code).get_display_name(code) or tag)
    except (UnknownLocaleError, ValueError):
        return tag


@lru_cache(maxsize=1)
def _by_name() -> dict[str, str]:
    """Codes by names in small letters: in the interface's language, in English, and in the language itself."""
    from babel import Locale

    out: dict[str, str] = {}
    for own in _SPOKEN:
        known = Locale.parse(own)
        for name in (known.get_display_name(own), known.get_display_name("en"), known.get_display_name(LANGUAGE)):
            if name:
                out[name.casefold()] = own
    for locale in (Locale("en"), _names()):
        for code, name in locale.languages.items():
            if len(code) <= 3:
                out.setdefault(name.casefold(), code)
    return out


# languages whose own names are known beside those in English and in the interface's language
_SPOKEN: Final = (
    "ar", "bg", "bn", "ca", "cs", "da", "de", "el", "en", "es", "et", "eu", "fa", "fi", "fr", "ga", "gl", "gu", "he",
    "hi", "hr", "hu", "hy", "id", "is", "it", "ja", "ka", "kk", "km", "kn", "ko", "lt", "lv", "mk", "ml", "mr", "ms",
    "mt", "nb", "nl", "pa", "pl", "pt", "ro", "ru", "sk", "sl", "sq", "sr", "sv", "sw", "ta", "te", "th", "tr", "uk",
    "ur", "vi", "zh",
)  # fmt: skip


def tag_of(word: str) -> str | None:
    """The tag that somebody means: 'en-GB' of 'EN_gb', 'de' of 'German' or 'Deutsch'; None for no language."""
    plain = word.strip()
    code, _, rest = plain.replace("_", "-").partition("-")
    if _TAG.fullmatch(plain.replace("_", "-")) and code.lower() in _names().languages:
        return code.lower() + (f"-{rest}" if rest else "")
    return _by_name().get(plain.casefold())


_TAG: Final = re.compile(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8}){0,3}")


def spoken_names() -> list[str]:
    """Names of languages to choose from, in the interface's language."""
    return sorted({language_name(code) for code in _SPOKEN})
