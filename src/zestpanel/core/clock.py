"""The day it is, where the person is: prices, consents and facts are dated by the local calendar."""

from __future__ import annotations

from datetime import date, datetime


def today() -> date:
    return datetime.now().astimezone().date()
