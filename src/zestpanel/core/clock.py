"""One notion of the day: that of the person's calendar. Prices, consents and facts are dated by it, and what was used
counts for the day, the week and the month it was there. Stamps in files and in the journal are UTC."""

from __future__ import annotations

from datetime import date, datetime


def today() -> date:
    """The day it is, where the person is."""
    return datetime.now().astimezone().date()


def day_of(stamp: str) -> date:
    """The day that a stamp of the journal (ISO 8601, UTC) was, where the person is. Raises ValueError."""
    return datetime.fromisoformat(stamp).astimezone().date()
