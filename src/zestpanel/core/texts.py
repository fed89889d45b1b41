"""The texts of the interface: written in English where they are used, shown in the language of the interface.

The catalogue is gettext's, one folder for each language beside this file; ``docs/languages.md`` says how it is kept.
The language is settled when the program starts: by what a person has chosen, else by the environment as gettext reads
it.
"""

from __future__ import annotations

import gettext
import os
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date, datetime
from functools import cache, lru_cache
from importlib import resources
from pathlib import Path
from typing import Final

DOMAIN: Final = "zestpanel"
LANGUAGES: Final = {"en": "English", "de": "Deutsch", "fr": "Français"}
_WORD: Final = "word\x04"  # gettext's context for words that files and exports know in English


def _chosen_in() -> Path:
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "zestpanel" / "language"


def chosen() -> str:
    """The language a person has chosen, '' for that of the environment."""
    try:
        found = _chosen_in().read_text(encoding="utf-8").strip()
    except (OSError, UnicodeError):
        return ""
    return found if found in LANGUAGES else ""


def choose(language: str) -> None:
    """Keep a choice for the next start; '' gives it up. Raises OSError."""
    path = _chosen_in()
    if language:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(language + "\n", encoding="utf-8")
    else:
        path.unlink(missing_ok=True)


def language_of(environment: Mapping[str, str]) -> str:
    """The first language of ours that the environment names, as gettext reads it; English otherwise."""
    if (wanted := environment.get("ZEST_LANGUAGE", "")) in LANGUAGES:
        return wanted
    named = next((environment[n] for n in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG") if environment.get(n)), "")
    tags = [tag.partition(".")[0].partition("_")[0].lower() for tag in named.split(":")]
    return next((tag for tag in tags if tag in LANGUAGES), "en")


@cache
def table(language: str) -> gettext.NullTranslations:
    """The catalogue of a language; texts stay as they are in English and where there is none. Read once."""
    if language == "en" or language not in LANGUAGES:
        return gettext.NullTranslations()
    file = resources.files("zestpanel.core") / "texts_of" / language / "LC_MESSAGES" / f"{DOMAIN}.mo"
    with file.open("rb") as opened:
        return gettext.GNUTranslations(opened)


LANGUAGE: Final = language_of({**os.environ, "LANGUAGE": os.environ.get("ZEST_LANGUAGE") or chosen()
                               or os.environ.get("LANGUAGE", "")})  # fmt: skip
_translations: Final = table(LANGUAGE)
_stored: ContextVar[bool] = ContextVar("stored", default=False)


@contextmanager
def as_stored() -> Iterator[None]:
    """Within this block texts stay as they are in the code: for what is kept, and compared with what was kept in
    another language."""
    token = _stored.set(True)
    try:
        yield
    finally:
        _stored.reset(token)


def _said(text: str) -> str:
    return text if _stored.get() else _translations.gettext(text)


def tr(text: str, /, **values: object) -> str:
    """A text in the language of the interface, its places in braces filled in."""
    found = _said(text)
    return found.format(**values) if values else found


def trn(one: str, many: str, count: int, /, **values: object) -> str:
    """A text about a number of things, in the form that number takes."""
    found = (one if count == 1 else many) if _stored.get() else _translations.ngettext(one, many, count)
    return found.format(**values) if values else found


def dated(value: date, pattern: str) -> str:
    """A day, or a moment, by a pattern of CLDR ('d MMM y')."""
    if isinstance(value, datetime):
        from babel.dates import format_datetime

        return str(format_datetime(value, pattern, tzinfo=value.tzinfo, locale=LANGUAGE))
    return _of_day(value, pattern)


@lru_cache(maxsize=1000)
def _of_day(value: date, pattern: str) -> str:
    """Tables of prices say few days many times."""
    from babel.dates import format_date

    return str(format_date(value, pattern, locale=LANGUAGE))


def day(value: date) -> str:
    """A day with its year."""
    return dated(value, tr("dd MMM y"))


def capital(text: str) -> str:
    """With a capital at its beginning."""
    return text[:1].upper() + text[1:]


def marked(_context: str, english: str) -> str:
    """Names a word for the catalogue, which ``word`` then shows; gives it back as it is."""
    return english


def asked(english: str) -> str:
    """Marks what a listener is asked, or answers, for the catalogue; ``Told.tr`` says it in the listener's language."""
    return english


def word(english: str) -> str:
    """A word that files and exports know in English, as it is shown; any other text as it stands."""
    return _said(_WORD + english).removeprefix(_WORD)


def some_of(parts: Sequence[str], most: int) -> str:
    """Parts of a list in a line: the first few, and how many more there are."""
    if len(parts) <= most:
        return "; ".join(parts)
    return tr("{shown} and {rest} more", shown="; ".join(parts[:most]), rest=len(parts) - most)
