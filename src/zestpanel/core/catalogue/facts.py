"""A connector file's engine: what is stated of it, its models, voices, controls and plans, and how it is reached."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Annotated, Any, Final, Literal

from pydantic import Field, WithJsonSchema, field_validator, model_validator

from zestpanel.core.catalogue.fact_list import About, HasFacts
from zestpanel.core.catalogue.notation import Notation
from zestpanel.core.catalogue.outside import Claim, OutsideRank
from zestpanel.core.catalogue.reaching import Speak, Stated, VoiceList, VoiceMaking
from zestpanel.core.catalogue.voice_names import VoiceNames
from zestpanel.core.money.tariff import Tariff
from zestpanel.core.texts import tr

# YAML reads bare yes and no as truth values; both ways of writing are taken
Fact = Annotated[Literal["yes", "no", "unknown"], WithJsonSchema({"enum": ["yes", "no", "unknown", True, False]})]


class Model(HasFacts):
    id: str = Field(min_length=1)
    name: str = ""
    version: str = "unstated"
    released: date | None = None

    @classmethod
    def about(cls) -> About:
        return "model"

    @property
    def label(self) -> str:
        return self.name or self.id


def yes_or_no(value: Any) -> Any:
    """What YAML reads as a truth value, in words again; in a table of names, each of them."""
    if isinstance(value, dict):
        return {name: yes_or_no(one) for name, one in value.items()}
    return ("yes" if value else "no") if isinstance(value, bool) else value


class Voice(HasFacts):
    """A voice. tier: the plan that unlocks it, '' for all. models: ids it works with, empty for all.

    grade: the vendor's own. sample: a file of the vendor's, heard as such and never scored. route_of: the same voice
    as 'ENGINE/VOICE', reached by another route. made: how a voice of one's own came about.
    """

    id: str = Field(min_length=1)
    name: str = ""
    languages: tuple[str, ...] = Field(min_length=1)
    gender: str = "unknown"
    age: str = "unknown"
    tier: str = ""
    styles: tuple[str, ...] = ()
    character: tuple[str, ...] = ()
    models: tuple[str, ...] = ()
    grade: str = ""
    sample: str = ""
    same_as: str = ""
    made: Literal["listed", "recorded", "described"] = "listed"

    @classmethod
    def about(cls) -> About:
        return "voice"

    @property
    def label(self) -> str:
        return self.name or self.id

    def speaks(self, language: str) -> bool:
        """Whether the voice is stated to speak the language; 'en' and 'en-GB' meet, 'en-GB' and 'en-US' do too."""
        primary = language.split("-")[0].lower()
        return any(own.split("-")[0].lower() == primary for own in self.languages)


def language_for(voice: Voice | None, own: str, text: str) -> str:
    """The language a voice is asked to read a text in: its candidate's own (with its accent) where the text is in that,
    else the one of the voice's that fits the text; its own where none does. Tags are BCP 47."""
    key = text.split("-")[0].lower()
    if voice is None or own.split("-")[0].lower() == key:
        return own
    fitting = [tag for tag in voice.languages if tag.split("-")[0].lower() == key]
    return next((tag for tag in fitting if tag.lower() == text.lower()), fitting[0] if fitting else own)


class Control(Stated):
    """A setting of the engine, under the name the connector file gives it."""

    name: str = Field(pattern=r"^[A-Za-z][A-Za-z0-9_]*$")
    kind: Literal["number", "choice", "switch"] = "number"
    default: float | str | bool
    low: float | None = None
    high: float | None = None
    step: float | None = None
    choices: tuple[str, ...] = ()
    hint: str = ""
    means: Literal["", "style"] = ""
    effect: bool = Field(
        default=False,
        description=tr(
            "music, a room, breaths laid over the voice: takes away from the default are kept "
            "out of scores until a person lets them count"
        ),
    )
    models: tuple[str, ...] = ()
    voices: tuple[str, ...] = ()

    def applies(self, *, model: str, voice: str) -> bool:
        """Whether the control exists for this model and voice (its scope; empty means all)."""
        return (not self.models or model in self.models) and (not self.voices or voice in self.voices)

    def check(self, value: object) -> str:
        """'' when the value is allowed, else what is wrong with it."""
        if self.kind == "number":
            if isinstance(value, bool) or not isinstance(value, int | float):
                return tr("{name} wants a number", name=self.name)
            if (self.low is not None and value < self.low) or (self.high is not None and value > self.high):
                return tr("{name} goes from {low} to {high}", name=self.name, low=self.low, high=self.high)
        elif self.kind == "choice" and value not in self.choices:
            return tr("{name} is one of {choices}", name=self.name, choices=", ".join(self.choices))
        elif self.kind == "switch" and not isinstance(value, bool):
            return tr("{name} is on or off", name=self.name)
        return ""


class PlanLimits(Stated):
    """Limits of one plan, where they differ from those of the engine."""

    characters_per_request: int | None = Field(default=None, ge=1)
    requests_at_once: int | None = Field(default=None, ge=1, le=256)
    requests_per_minute: int | None = Field(default=None, ge=1)


class Plan(HasFacts):
    """A plan: tariff, rights by name (short for its yes-or-no facts); source and date of price and rights."""

    name: str = Field(min_length=1)
    tariff: Tariff
    rights: dict[str, Fact] = Field(default_factory=dict)
    tiers: tuple[str, ...] = Field(default=(), description=tr("voice tiers this plan unlocks"))
    source: str = ""
    dated: date | None = None
    check_again: date | None = Field(default=None, description=tr("by when the price is to be looked up again"))
    price_list: str = Field(
        default="", max_length=20_000, description=tr("the price list's own words, kept as a source")
    )
    limits: PlanLimits = PlanLimits()
    trial: bool = Field(default=False, description=tr("a trial: what it unlocks need not be in the plan bought later"))

    @classmethod
    def about(cls) -> About:
        return "plan"

    @field_validator("rights", mode="before")
    @classmethod
    def _yes_and_no(cls, value: Any) -> Any:
        return yes_or_no(value)


class Limits(Stated):
    characters_per_request: int | None = Field(default=None, ge=1)
    requests_at_once: int = Field(default=1, ge=1, le=256)
    requests_per_minute: int | None = Field(default=None, ge=1)
    source: str = ""
    dated: date | None = None


class Route(Stated):
    """A way the engine can be reached besides the one of this file. files: whether it yields sound files."""

    name: str = Field(min_length=1)
    files: Fact = "unknown"
    note: str = ""

    @field_validator("files", mode="before")
    @classmethod
    def _yes_and_no(cls, value: Any) -> Any:
        return yes_or_no(value)


class Hears(Stated):
    """What a program or a service tells of a clip: it is no engine, but listens to what engines made. {clip} is filled
    with the path of a WAV file, over HTTP in ``files``."""

    gives: Literal["words", "figure"] = Field(description=tr("the words that it hears, or one figure"))
    version: str = ""
    languages: tuple[str, ...] = Field(default=(), description=tr("empty: all"))
    answer: str = Field(default="", description=tr("'json PATH' in what it answers; empty: all of it"))


class Engine(HasFacts):
    """One connector file: an engine, everything stated about it, and how it is made to speak."""

    format: Literal[1] = Field(alias="zest-connector")
    engine: str = Field(min_length=1)
    vendor: str = ""
    hosted: bool | None = None
    route: str = ""
    routes: tuple[Route, ...] = ()
    source: str = Field(default="", description=tr("where the facts of this file are from, unless they say otherwise"))
    dated: date | None = None
    found: date | None = None
    recommended_by: str = ""
    note: str = ""
    models: tuple[Model, ...] = Field(default=(Model(id="default"),), min_length=1)
    voices: tuple[Voice, ...] = ()
    voices_from: VoiceList | None = None
    voice_names: VoiceNames | None = Field(default=None, description=tr("what the ids of voices are coded with"))
    controls: tuple[Control, ...] = ()
    plans: tuple[Plan, ...] = ()
    limits: Limits = Limits()
    marks: dict[str, Fact] = Field(default_factory=dict, description=tr("delivery marks by SSML element: understood?"))
    notation: Notation | None = Field(default=None, description=tr("how delivery marks are written to the engine"))
    takes_recordings: bool = Field(default=False, description=tr("{reference} is filled with a voice's recording"))
    makes_voices: VoiceMaking | None = Field(
        default=None, description=tr("http only: how a voice is made of recordings before it can speak")
    )
    takes_descriptions: bool = Field(default=False, description=tr("{gender}, {age}, {accent}, {strength} are filled"))
    human: bool = Field(default=False, description=tr("recordings of a person: heard and compared with, never chosen"))
    staged: bool = Field(
        default=False, description=tr("dialogues put together of several voices: heard and compared with, never chosen")
    )
    claims: tuple[Claim, ...] = ()
    outside: tuple[OutsideRank, ...] = ()
    hears: Hears | None = Field(default=None, description=tr("set, it listens to clips instead of making them"))
    speak: Speak

    @classmethod
    def about(cls) -> About:
        return "engine"

    @property
    def only_compared(self) -> bool:
        """Whether it is there to be compared with, and is no voice to choose."""
        return self.human or self.staged

    @field_validator("marks", mode="before")
    @classmethod
    def _yes_and_no(cls, value: Any) -> Any:
        return yes_or_no(value)

    @model_validator(mode="before")
    @classmethod
    def _coded_names(cls, data: Any) -> Any:
        """Voices of the file that are bare ids, or lack what their names are coded with, are filled in."""
        if isinstance(data, dict) and data.get("voice_names") and isinstance(data.get("voices"), list | tuple):
            names = VoiceNames.model_validate(data["voice_names"])
            data = {**data, "voices": [names.completed(one) for one in data["voices"]]}
        return data

    @model_validator(mode="after")
    def _has_voices(self) -> Engine:
        if self.makes_voices is not None and self.speak.kind != "http":
            raise ValueError(tr("makes_voices: only a service that is reached by http makes voices"))
        makes_voices = self.takes_recordings or self.takes_descriptions or self.makes_voices is not None
        if self.hears is not None and self.speak.kind not in ("http", "command"):
            raise ValueError(tr("hears: only a program or a service that is reached by http listens"))
        if self.speak.kind != "heard of" and not (
            self.hears or self.voices or self.voices_from is not None or makes_voices
        ):
            raise ValueError(tr("voices: list at least one, or say with voices_from where the list is fetched"))
        for what, items in (("voice", self.voices), ("model", self.models)):
            ids = [item.id for item in items]
            if len(set(ids)) < len(ids):
                first = {name: at for at, name in reversed(list(enumerate(ids)))}
                twice = next(name for at, name in enumerate(ids) if first[name] != at)
                raise ValueError(tr("{what} '{twice}' is listed twice", what=what, twice=twice))
        return self

    @property
    def writes(self) -> Notation:
        """How marks are written: as stated, else SSML where any of its elements is understood; without a frame of its
        own where the request has one."""
        if self.notation is not None:
            return self.notation
        if "yes" not in self.marks.values():
            return Notation()
        framed = any("<speak" in str(getattr(self.speak, part, "")) for part in ("body", "send", "arguments"))
        return Notation(form="ssml", wrap="{text}" if framed else "")

    @property
    def is_hosted(self) -> bool:
        return self.speak.kind in ("http", "websocket") if self.hosted is None else self.hosted

    @property
    def route_label(self) -> str:
        return self.route or _ROUTES[self.speak.kind]

    def voice(self, voice_id: str) -> Voice | None:
        return next((v for v in self.voices if v.id == voice_id), None)

    def model(self, model_id: str) -> Model | None:
        return next((m for m in self.models if m.id == model_id), None)

    def limits_under(self, plans: Iterable[str]) -> Limits:
        """The limits under a plan; under several at once the narrowest of each."""
        asked = [plan.limits for name in dict.fromkeys(plans) if (plan := self.plan(name)) is not None]
        update: dict[str, int] = {}
        for name in PlanLimits.model_fields:
            own = getattr(self.limits, name)
            stated = [value for one in asked if (value := getattr(one, name) or own) is not None]
            if stated and min(stated) != own:
                update[name] = min(stated)
        return self.limits.model_copy(update=update) if update else self.limits

    def plan(self, name: str) -> Plan | None:
        return next((p for p in self.plans if p.name == name), None)

    def factory_settings(self) -> dict[str, Any]:
        return {control.name: control.default for control in self.controls}


_ROUTES: Final = {
    "http": "programming interface",
    "websocket": "programming interface",
    "command": "local program",
    "folder": "files made elsewhere",
    "plugin": "plug-in",
    "heard of": "only heard of",
}
UNPRICED: Final = Plan(name="no plan stated", tariff=Tariff(currency="EUR"))
