"""What the channel needs: the first step of the trail, and the yardstick of all later ones."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field, field_validator

from zestpanel.core.domain.money import Money
from zestpanel.core.domain.role import Role, checked, roles_named, sensible, usual_roles
from zestpanel.core.texts import tr

MUST_HAVES: Final = {
    "commercial use": tr("Commercial use is allowed"),
    "download": tr("The sound may be downloaded and kept"),
    "no watermark": tr("No watermark in the sound"),
    "runs locally": tr("Runs on our own machine"),
    "no attribution": tr("No credit line is demanded"),
    "streams": tr("The sound comes while it is still being made"),
    "offline": tr("Works without a network"),
    "keeps no data": tr("The vendor keeps neither texts nor sound"),
}

WORKING_DAYS: Final = 21  # common practice, no source: working days of a month


class ExchangeRate(BaseModel):
    """One unit of another currency in the brief's own, as somebody read it somewhere on a day."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    currency: str = Field(pattern=r"^[A-Z]{3}$")
    rate: Decimal = Field(gt=0)
    dated: date | None = None
    source: str = ""


class Brief(BaseModel):
    """The brief. Languages are BCP 47 tags, the first is the main one; money in ``currency`` (ISO 4217)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    channel: str = ""
    about: str = ""
    languages: tuple[str, ...] = ("en-GB",)
    accent: str = ""
    audience: str = ""
    episodes_per_month: int = Field(default=4, ge=0, le=10_000)
    episode_minutes: Decimal = Field(default=Decimal(8), ge=0, le=10_000)
    minutes_in_months: dict[int, Decimal] = Field(
        default_factory=dict, description=tr("finished minutes of months that are not like the others, 1 is January")
    )
    currency: str = Field(default="EUR", pattern=r"^[A-Z]{3}$")
    budget_per_month: Decimal | None = Field(default=None, ge=0)
    longest_wait_s: Decimal | None = Field(default=None, gt=0)
    must_haves: tuple[str, ...] = ("commercial use", "download")
    equal_within: Decimal = Field(
        default=Decimal("0.3"), gt=0, le=2, description=tr("categories that means may differ by and be called equal")
    )
    human_price_per_minute: Decimal | None = Field(default=None, ge=0)
    days_of_work: int = Field(
        default=WORKING_DAYS, ge=1, le=31, description=tr("days a month on which texts are rendered")
    )
    one_off_months: int | None = Field(
        default=None, ge=1, le=600, description=tr("over which one-off purchases are spread")
    )
    seats: int = Field(
        default=1, ge=1, le=10_000, description=tr("people who work with an engine, for plans by the seat")
    )
    retakes_percent: Decimal = Field(
        default=Decimal(0), ge=0, le=1_000, description=tr("minutes rendered again, of 100")
    )
    hours_per_month: Decimal = Field(default=Decimal(0), ge=0, le=10_000, description=tr("of people, at an engine"))
    hourly_rate: Decimal | None = Field(default=None, ge=0, le=10**6)
    exchange_rates: tuple[ExchangeRate, ...] = ()
    roles: tuple[Role, ...] = Field(default_factory=usual_roles)
    audition_lines: dict[str, str] = Field(default_factory=dict)

    @field_validator("roles", mode="before")
    @classmethod
    def _by_name(cls, value: Any) -> Any:
        """As earlier programs kept them: by their names alone. Of a stranger's, those that make sense."""
        if not isinstance(value, list | tuple) or all(isinstance(one, Role) for one in value):
            return value
        if value and all(isinstance(one, str) for one in value):
            return roles_named(value)
        return sensible(value)

    @field_validator("roles")
    @classmethod
    def _roles_that_differ(cls, value: tuple[Role, ...]) -> tuple[Role, ...]:
        return checked(value)

    def role(self, role_id: str) -> Role | None:
        return next((one for one in self.roles if one.id == role_id), None)

    def language_of(self, role: Role) -> str:
        """The language a role speaks, '' where neither it nor the brief names one."""
        return role.language or next(iter(self.languages), "")

    def of_role(self, role: Role) -> Brief:
        """The brief as it is for one role: its own must-haves and retakes, where it has such, and its language."""
        own: dict[str, Any] = {}
        if role.language and role.language not in self.languages:
            own["languages"] = (*self.languages, role.language)
        if role.must_haves is not None:
            own["must_haves"] = role.must_haves
        if role.retakes_percent is not None:
            own["retakes_percent"] = role.retakes_percent
        return self.model_copy(update=own) if own else self

    @property
    def minutes_of_episodes(self) -> Decimal:
        """Finished minutes of a month like most."""
        return self.episodes_per_month * self.episode_minutes

    @property
    def minutes_per_month(self) -> Decimal:
        """Finished minutes of a month, in the mean of the year where its months differ."""
        if not self.minutes_in_months:
            return self.minutes_of_episodes
        return sum(self.minutes_by_month(), Decimal(0)) / 12

    def minutes_by_month(self) -> tuple[Decimal, ...]:
        """Finished minutes of January to December."""
        usual = self.minutes_of_episodes
        return tuple(self.minutes_in_months.get(month, usual) for month in range(1, 13))

    @field_validator("minutes_in_months")
    @classmethod
    def _twelve_months(cls, value: dict[int, Decimal]) -> dict[int, Decimal]:
        if any(not 1 <= month <= 12 or not 0 <= minutes <= 10**6 for month, minutes in value.items()):
            raise ValueError(tr("months are 1 to 12, with minutes from 0 up"))
        return value

    @field_validator("exchange_rates")
    @classmethod
    def _one_a_currency(cls, value: tuple[ExchangeRate, ...]) -> tuple[ExchangeRate, ...]:
        if len({one.currency for one in value}) < len(value):
            raise ValueError(tr("a currency has two exchange rates"))
        return value

    def rate_of(self, currency: str) -> ExchangeRate | None:
        return next((one for one in self.exchange_rates if one.currency == currency), None)

    def in_own_currency(self, money: Money) -> Money | None:
        """An amount in the brief's currency, exact; None where no exchange rate is given."""
        if money.currency == self.currency:
            return money
        rate = self.rate_of(money.currency)
        return None if rate is None else Money(money.amount * rate.rate, self.currency)

    def in_currency(self, money: Money, currency: str) -> Decimal | None:
        """An amount in any currency that the rates lead to; None where they do not."""
        if money.currency == currency:
            return money.amount
        ours, rate = self.in_own_currency(money), self.rate_of(currency)
        if ours is None or currency == self.currency:
            return None if ours is None else ours.amount
        return None if rate is None else ours.amount / rate.rate

    def audition_line(self, language: str) -> str:
        """The user's own line for a language ('' when there is none yet); 'en' serves 'en-GB'."""
        primary = language.split("-")[0].lower()
        return self.audition_lines.get(language) or self.audition_lines.get(primary, "")
