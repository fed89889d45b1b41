"""Who listens, and what was answered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any, Final, Literal

FLUENCY: Final = ("first language", "fluent", "well", "a little")
BY_LINK: Final = "by link"  # in the place of the form of clips, which the page fetches
MOST_ENROLLED: Final = 10_000
MOST_KEPT_DAYS: Final = 3_650


@dataclass(frozen=True, slots=True, kw_only=True)
class Listener:
    """accent, audience and age are as the listener states them, '' where nothing is said. own_voice: the id of the
    voice that is the listener's own; answers about it are kept apart. fluency: one of FLUENCY by language tag.
    forgotten: only a number is left of the person."""

    id: int
    alias: str
    languages: tuple[str, ...]
    hearing: str
    kit: str
    simulated: bool
    accent: str = ""
    audience: str = ""
    age: str = ""
    own_voice: str = ""
    fluency: Mapping[str, str] = field(default_factory=dict)
    forgotten: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Rating:
    """One rating that stands. origin: 'booth', 'file' or 'simulated'."""

    id: int
    listener_id: int
    candidate_id: int
    passage_version_id: int
    score: float
    scale: str
    training: bool
    origin: str
    trial: int | None
    session_id: int | None
    test_id: int = 0


RATING: Final = "ACR"  # the kind of test in which each clip is rated by itself, as it is stored
QUALITY: Final = "ACR"  # the scale that the choice rests on, and of ratings from tables that say nothing else
Role = Literal["judged", "reference", "anchor", "context", "check"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Stimulus:
    """One clip of a trial. take_id is None for answers that came in a table, which do not say which take was heard."""

    candidate_id: int
    passage_version_id: int
    take_id: int | None
    role: Role = "judged"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedTrial:
    """stimuli: in the order they are heard or switched. detail: what else the kind of test needs, as it was drawn."""

    stimuli: tuple[Stimulus, ...]
    training: bool = False
    detail: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial(PlannedTrial):
    """place: within its session, from 0."""

    id: int
    session_id: int
    place: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What was answered to a trial, as its kind of test words it. origin: 'booth', 'pack', 'file' or 'simulated'.

    heard_share: of the least heard clip, how much of it; heard: of each lane how much of it, and how often it was
    started, empty where that is not known. took_s: from the beginning of the trial. spoken: the clip of
    a remark said aloud, by its name in the project, '' for none. client, sequence: where it was given and as the how
    manieth there, which tells the same answer from another one; client_clock: what the clock there said.
    """

    given: Mapping[str, Any]
    origin: str
    heard_share: float | None = None
    plays: int | None = None
    took_s: float | None = None
    note: str = ""
    spoken: str = ""
    heard: tuple[tuple[float, int], ...] = ()
    client: str = ""
    sequence: int = 0
    client_clock: str = ""
    id: int = 0
    created: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Invitation:
    """A session that is answered elsewhere, from a file of its own. secret: what its answers are signed with; clips:
    the form in which they are in it. ended: the moment from which on its answers are not taken in, '' for none; came:
    when answers came last."""

    id: int
    session_id: int
    code: str
    secret: str
    clips: str
    created: str
    ended: str = ""
    came: str = ""

    @property
    def by_link(self) -> bool:
        return self.clips == BY_LINK


@dataclass(frozen=True, slots=True, kw_only=True)
class Answered:
    """An answer that stands, with its trial and who gave it."""

    answer: Answer
    trial: Trial
    test_id: int
    listener_id: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Sitting:
    """One time at a session. begun and ended: moments, '' for one that has not ended or of which nobody knows. kit:
    headphones or speakers; room: as the listener states it; device: the name of the sound device."""

    begun: str = ""
    ended: str = ""
    kit: str = ""
    room: str = ""
    device: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """A listener's way through a test. checks: what the checks before it found, by name. sittings: in order. created,
    finished_on: moments, the second '' while it is not finished."""

    id: int
    test_id: int
    listener_id: int
    trials: tuple[Trial, ...]
    finished: bool
    checks: Mapping[str, Any] = field(default_factory=dict)
    sittings: tuple[Sitting, ...] = ()
    created: str = ""
    finished_on: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Notice:
    """What is said of a listener's data, and agreed to before the first trial. by: who asks; contact: whom a listener
    turns to; keep_days: after which nothing is left of a person but the answers under a number; since: the moment from
    which it stands."""

    by: str
    contact: str
    keep_days: int
    since: str

    @classmethod
    def from_document(cls, value: Mapping[str, Any] | None) -> Notice | None:
        return None if not value else cls(by=str(value["by"]), contact=str(value["contact"]),
                                          keep_days=int(value["keep_days"]), since=str(value["since"]))  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Enrolment:
    """A link by which listeners come of themselves. most: so many at all; languages: of those that may come, how many
    are wanted of each, 0 for any number."""

    code: str
    most: int
    languages: Mapping[str, int]

    @classmethod
    def from_document(cls, value: Mapping[str, Any] | None) -> Enrolment | None:
        if not value:
            return None
        wanted = {str(k): int(n) for k, n in value["languages"].items()}
        return cls(code=str(value["code"]), most=int(value["most"]), languages=wanted)


@dataclass(frozen=True, slots=True, kw_only=True)
class Conduct:
    """What was done with a test since it was opened. name: what the lead calls it, '' where it has none. level_lufs:
    that all clips of it are heard at, None before the first listener. looks: (date, listeners by then) of looks at the
    result before all planned listeners had answered. left_out, kept_in: listeners whose answers the lead has taken out,
    or kept against the screening; reasons: the lead's own, by listener. removed: the date it was taken off the list,
    with its answers, '' for none. mixed: whether its ratings enter the panel's score with those of other tests, None
    where the rule decides. old_texts: answers to texts that were changed since count on. notice: what listeners agree
    to; enrolment: how they come of themselves.
    """

    name: str = ""
    level_lufs: float | None = None
    looks: tuple[tuple[str, int], ...] = ()
    left_out: frozenset[int] = frozenset()
    kept_in: frozenset[int] = frozenset()
    reasons: Mapping[int, str] = field(default_factory=dict)
    removed: str = ""
    mixed: bool | None = None
    old_texts: bool = False
    notice: Notice | None = None
    enrolment: Enrolment | None = None

    def as_document(self) -> dict[str, Any]:
        return {"name": self.name, "level_lufs": self.level_lufs, "looks": [list(one) for one in self.looks],
                "left_out": sorted(self.left_out), "kept_in": sorted(self.kept_in),
                "reasons": {str(k): why for k, why in self.reasons.items()}, "removed": self.removed,
                "mixed": self.mixed, "old_texts": self.old_texts,
                "notice": self.notice and asdict(self.notice),
                "enrolment": self.enrolment and asdict(self.enrolment)}  # fmt: skip

    @classmethod
    def from_document(cls, value: Mapping[str, Any]) -> Conduct:
        return cls(
            name=str(value.get("name", "")), level_lufs=value.get("level_lufs"),
            looks=tuple((str(d), int(n)) for d, n in value.get("looks", ())),
            left_out=frozenset(value.get("left_out", ())), kept_in=frozenset(value.get("kept_in", ())),
            reasons={int(k): str(why) for k, why in value.get("reasons", {}).items()},
            removed=str(value.get("removed", "")), mixed=value.get("mixed"),
            old_texts=bool(value.get("old_texts", False)), notice=Notice.from_document(value.get("notice")),
            enrolment=Enrolment.from_document(value.get("enrolment")),
        )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """How far a test is: sessions begun and finished, and listeners who have given an answer that may count."""

    begun: int = 0
    finished: int = 0
    answered: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class ListeningTest:
    """kind: which kind of listening test (see listening/kinds). settings: as the kind reads and writes them."""

    id: int
    kind: str
    settings: Mapping[str, Any]
    created: str
    closed: str
    conduct: Conduct = Conduct()

    @property
    def planned(self) -> int:
        """Listeners, 0 where that is not stated."""
        return int(self.settings.get("listeners") or 0)

    def covered(self, progress: Progress) -> bool:
        """Whether the result is not to be seen: fewer than planned have finished, and the lead has not opened it at
        this number of listeners. What is seen before the end tempts to end where it pleases."""
        return (
            not self.closed and progress.answered > 0 and progress.finished < self.planned
            and all(n != progress.answered for _, n in self.conduct.looks)
        )  # fmt: skip
