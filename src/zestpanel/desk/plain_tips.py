"""Tool tips that show what a file says as it stands: a tool tip takes text with tags in it for a page."""

from __future__ import annotations

import html


def plain_tip(text: str) -> str:
    """The text, so written that a tool tip shows it and does nothing else with it."""
    return f"<p style='white-space:pre-wrap'>{html.escape(text)}</p>" if "<" in text else text
