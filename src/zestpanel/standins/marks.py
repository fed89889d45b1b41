"""What a stand-in that understands delivery marks does with them: pauses become silence, the rest is left out."""

from __future__ import annotations

import re

_TAG = re.compile(r"<[^>]*>")
_BREAK = re.compile(r"<break\b[^>]*>")


def without_marks(text: str) -> str:
    """The text as it is spoken: a pause as the full stop the built-in voice pauses at, other tags left out."""
    return re.sub(r"\s+", " ", _TAG.sub("", _BREAK.sub(" ... ", text))).strip()
