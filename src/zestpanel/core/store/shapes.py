"""What each column of the tables may hold beyond its type: a project may come from anybody, and a value of a wrong
shape would be met far from where it stands. Checked row by row: see ``checking``."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime
from functools import cache
from typing import Annotated, Any, Final, get_args

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter
from sqlalchemy import JSON, Boolean, Column, Integer, LargeBinary, String

from zestpanel.core.catalogue.facts import Voice
from zestpanel.core.domain.listening import MOST_ENROLLED, MOST_KEPT_DAYS, Role
from zestpanel.core.domain.passage import RIGHTS, Review
from zestpanel.core.domain.sweep import SweepSpec
from zestpanel.core.domain.take import Timing
from zestpanel.core.store.own_voices import AtService

Real = Annotated[float, Field(allow_inf_nan=False)]
Words = dict[str, str]
Setting = Real | str | bool
NEVER: Final = "1970-01-01T00:00:00.000+00:00"  # in the place of a moment that cannot be told
_MOMENTS: Final = frozenset({
    "created", "removed", "changed", "added", "opened", "closed", "ended", "finished", "at", "decided", "client_clock",
    "came",
})  # fmt: skip
_MOST: Final = 10**12
_FEW: Final = 10_000  # of what is gone through one by one: repeats, tries, places


class _Open(BaseModel):
    """A document of which these fields are known; others may be there."""

    model_config = ConfigDict(extra="allow", strict=True)


class _Consent(_Open):
    who: str
    given: date
    use: str
    until: date | None = None
    evidence: str = ""


class _EntryAnswer(_Open):
    words: str
    admits: bool = True
    wanted: int = Field(default=0, ge=0, le=_FEW)


class _Entry(_Open):
    words: str
    answers: list[_EntryAnswer] = Field(min_length=2, max_length=9)


class _Content(_Open):
    version_id: int
    words: str
    right: str
    wrong: list[str] = Field(min_length=1, max_length=8)


class _Settings(_Open):
    """Of a test, as far as its kinds share them; an earlier program wrote fewer."""

    candidate_ids: list[int] = []
    passage_ids: list[int] = []
    must_hear: Real = 0.8
    training: int = Field(default=0, ge=0, le=_FEW)
    seed: int = 1
    scale: str = "ACR"
    also: list[str] = []
    steps: list[str] = []
    most: int = Field(default=0, ge=0, le=_FEW)
    blocks: bool = False
    times: int = Field(default=1, ge=1, le=100)
    controls: bool = False
    stranger_id: int = 0
    question: str = ""
    stated_id: int = 0
    version_of: int = 0
    take_rule: str = ""
    reference_id: int = 0
    anchors: bool = False
    repeats: int = Field(default=0, ge=0, le=_FEW)
    listeners: int = Field(default=0, ge=0, le=_FEW)
    traps: int = Field(default=0, ge=0, le=_FEW)
    strength: bool = False
    comments: bool = False
    trim: bool = False
    context: str = "dry"
    bed: str = ""
    bed_name: str = ""
    bed_below_lu: Real = 15.0
    level_check: bool = False
    headphone_check: bool = False
    entry: list[_Entry] = []
    content: list[_Content] = []
    gold: int = Field(default=0, ge=0, le=_FEW)
    good_id: int = 0
    poor_id: int = 0


class _Notice(_Open):
    by: str
    contact: str
    keep_days: int = Field(ge=1, le=MOST_KEPT_DAYS)
    since: str


class _Enrolment(_Open):
    code: str
    most: int = Field(ge=1, le=MOST_ENROLLED)
    languages: dict[str, Annotated[int, Field(ge=0, le=MOST_ENROLLED)]] = Field(min_length=1)


class _Conduct(_Open):
    name: str = ""
    level_lufs: Real | None = None
    reasons: dict[Annotated[str, Field(pattern=r"^\d{1,9}$")], str] = {}
    removed: str = ""
    mixed: bool | None = None
    old_texts: bool = False
    looks: list[tuple[str, int]] = []
    left_out: list[int] = []
    kept_in: list[int] = []
    notice: _Notice | None = None
    enrolment: _Enrolment | None = None


class _Headphones(_Open):
    right: int
    of: int
    passed: bool


class _Checks(_Open):
    headphones: _Headphones | None = None
    skipped: dict[Annotated[str, Field(pattern=r"^\d{1,6}$")], str] = {}
    entry: list[int] | None = None
    turned_away: str = ""
    consent: str = ""
    enrolled: str = ""


class _Sitting(_Open):
    begun: str = ""
    ended: str = ""
    kit: str = ""
    room: str = ""
    device: str = ""


class _Pool(_Open):
    in_order: list[int]


class _About(_Open):
    accent: str = ""
    audience: str = ""
    age: str = ""
    own_voice: str = ""
    fluency: Words = {}
    forgotten: bool = False


class _Conditions(_Open):
    at_once: int | None = Field(default=0, ge=0, le=_FEW)
    side_by_side: bool = True
    cold: bool = False


class _Brought(_Open):
    file: str = ""
    note: str = ""


Mark = tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=0)], str, str]
Word = tuple[str, Real, Real, bool]

_DOCUMENTS: Final[Mapping[str, Any]] = {
    "statements.value": str | bool | Real | list[str],
    "voice_notes.tags": list[str],
    "recordings.checks": list[dict[str, Any]],
    "recordings.consent": _Consent | None,
    "own_voices.described": Words,
    "own_voices.at_service": AtService | None,
    "candidates.settings": dict[str, Setting],
    "sweeps.spec": SweepSpec,
    "tests.settings": _Settings,
    "tests.conduct": _Conduct | None,
    "tests.pool": _Pool | list[int] | None,
    "listeners.languages": list[str],
    "listeners.about": _About | None,
    "sessions.checks": _Checks | None,
    "sessions.sittings": list[_Sitting] | None,
    "trials.detail": dict[str, Any],
    "answers.given": dict[str, Any],
    "answers.heard": list[tuple[Real, int]] | None,
    "runs.conditions": _Conditions | None,
    "takes.timing": Timing | None,
    "takes.brought": _Brought | None,
    "takes.sent": list[str] | None,
    "takes.doubts": list[str] | None,
    "measures.values": dict[str, Real | str | None],
    "measures.words": list[Word],
    "measures.families": dict[str, int] | None,
    "measures.segments": list[tuple[str, Real, Real, Real, str]] | None,
    "auditions.reply": dict[str, Any] | None,
    "passages.tags": list[str] | None,
    "passages.reviewed": Review | None,
    "passage_versions.marks": list[Mark] | None,
}
_WORDS: Final[Mapping[str, tuple[str, ...]]] = {
    "stimuli.role": get_args(Role),
    "requests.state": ("open", "done", "failed", "cancelled", "unused", "abandoned"),
    "auditions.state": ("open", "done", "failed", "cancelled", "unused", "abandoned"),
    "passages.rights": tuple(RIGHTS),
    "own_voices.made": get_args(Voice.model_fields["made"].annotation),
}
_LANGUAGES: Final = frozenset(
    {"passages.language", "passage_versions.language", "candidates.language", "own_voices.language"}
)
_NAMES: Final = frozenset({
    "own_voices.voice", "own_voices.engine", "candidates.voice", "candidates.engine", "passage_versions.text",
})  # fmt: skip
_CLIPS: Final = frozenset({"clip", "delivered", "spoken"})  # names of files in the project
# (least, most) of numbers; others lie within plus and minus _MOST
_RANGES: Final[Mapping[str, tuple[float, float]]] = {
    "runs.repeats": (1, _FEW), "requests.repeat": (1, _FEW), "takes.repeat": (1, _FEW), "requests.attempt": (1, _FEW),
    "requests.characters": (0, _MOST), "auditions.characters": (0, _MOST), "takes.characters_billed": (0, _MOST),
    "auditions.requests": (0, _FEW), "requests.beside": (0, _FEW), "requests.sound_s": (0, 1e6),
    "takes.duration_s": (1e-6, 1e6), "recordings.duration_s": (1e-6, 1e6), "takes.rate_hz": (1_000, 1_000_000),
    "recordings.rate_hz": (1_000, 1_000_000), "takes.channels": (1, 64), "marks.at_s": (0, 1e6),
    "verdicts.start_s": (0, 1e6), "verdicts.end_s": (0, 1e6),
    "setup_log.minutes": (0, 1e7), "trials.place": (0, 1e6), "answers.heard_share": (0, 1e6),
    "answers.plays": (0, 1e9), "answers.took_s": (0, 1e9), "passages.gap_s": (0, 1e4), "measures.version": (0, _FEW),
    "passage_versions.number": (1, _FEW), "answers.sequence": (0, 1e9),
}  # fmt: skip


Check = Callable[[Any], bool]


@cache
def check_of(column: Column[Any]) -> Check:
    """Whether a value as SQLite gives it (a text as its bytes) is what the column holds."""
    plain = _plain_check(column)
    return (lambda value: value is None or plain(value)) if column.nullable else plain


def fits(name: str, value: Any) -> bool:
    """Whether a value may stand in a column of documents, such as 'tests.settings'."""
    return _of_shape(name)(json.dumps(value).encode("utf-8"))


def _plain_check(column: Column[Any]) -> Check:
    name = f"{column.table.name}.{column.name}"
    if isinstance(column.type, JSON):
        return _of_shape(name)
    if isinstance(column.type, String):
        return _text(name, column.name)
    if isinstance(column.type, LargeBinary):
        return lambda value: isinstance(value, bytes)
    if isinstance(column.type, Boolean):
        return lambda value: value in (0, 1)
    low, high = _RANGES.get(name, (-float(_MOST), float(_MOST)))
    kinds = (int,) if isinstance(column.type, Integer) else (int, float)
    return lambda value: isinstance(value, kinds) and low <= value <= high


def _text(name: str, column: str) -> Check:
    if name in _WORDS:
        return lambda value: _decoded(value) in _WORDS[name]
    if name in _LANGUAGES:
        return lambda value: (text := _decoded(value)) is not None and (not text or bool(_TAG.fullmatch(text)))
    if name in _NAMES:
        return lambda value: bool(_decoded(value))
    if column in _CLIPS:
        return lambda value: (text := _decoded(value)) is not None and not set(text) & set("/\0")
    if column in _MOMENTS:
        return lambda value: (text := _decoded(value)) is not None and (not text or is_moment(text))
    return lambda value: _decoded(value) is not None


def _decoded(value: Any) -> str | None:
    try:
        return value.decode("utf-8") if isinstance(value, bytes) else None
    except UnicodeDecodeError:
        return None


def is_moment(value: str) -> bool:
    """Whether it is a date and time that a project may hold."""
    try:
        moment = datetime.fromisoformat(value)
        return _FIRST <= (moment if moment.tzinfo else moment.replace(tzinfo=UTC)) <= _LAST
    except (ValueError, OverflowError):
        return False


_FIRST: Final = datetime(1970, 1, 1, tzinfo=UTC)
_LAST: Final = datetime(9998, 1, 1, tzinfo=UTC)
_TAG: Final = re.compile(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8}){0,3}")  # RFC 5646, section 2.1, without extensions


def _of_shape(name: str) -> Check:
    adapter = TypeAdapter[Any](_DOCUMENTS.get(name, Any))

    def check(value: Any) -> bool:
        if not isinstance(value, bytes):
            return False
        try:
            if b"NaN" in value or b"Infinity" in value:  # as words of a text they may stand there
                json.loads(value, parse_constant=_refuse)
            adapter.validate_json(value, strict=True)
        except (ValueError, RecursionError):  # pydantic's errors are of the first
            return False
        return True

    return check


def _refuse(constant: str) -> None:
    """NaN and Infinity as numbers are no JSON (RFC 8259, section 6), though Python writes and reads them."""
    raise ValueError(constant)
