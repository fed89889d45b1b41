"""Names of languages and regions, by Babel from the Unicode CLDR."""

from __future__ import annotations

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
