"""Moments as they are shown: in local time."""

from __future__ import annotations

from datetime import datetime

from zestpanel.core.texts import dated, tr


def day_and_hour(stamp: str) -> str:
    """'27 Nov 20:45' of an ISO stamp."""
    return dated(datetime.fromisoformat(stamp).astimezone(), tr("d MMM HH:mm"))
