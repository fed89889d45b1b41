"""Moments as they are shown: in local time."""

from __future__ import annotations

from datetime import datetime


def day_and_hour(stamp: str) -> str:
    """'27 Nov 20:45' of an ISO stamp."""
    return f"{datetime.fromisoformat(stamp).astimezone():%-d %b %H:%M}"
