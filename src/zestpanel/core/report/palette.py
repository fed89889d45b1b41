"""Colours by role, for both schemes. The only place where a colour is written down."""

from __future__ import annotations

from typing import Final

LIGHT: Final = {
    "paper": "#FAF6EC",
    "sheet": "#FFFDF7",
    "shade": "#F3EBDA",
    "ink": "#26221B",
    "quiet": "#665F52",
    "rule": "#D9D0BD",
    "zest": "#D98A00",
    "zest-pale": "#F0D9AE",
    "deep-zest": "#8F5200",
    "leaf": "#3F6B3A",
    "plum": "#7A2E4A",
    "wave": "#8A8171",
    "on-ink": "#FAF6EC",
    "focus": "#8F5200",
}
DARK: Final = {
    "paper": "#1E1B16",
    "sheet": "#26221C",
    "shade": "#2D2820",
    "ink": "#EFE8D8",
    "quiet": "#B0A692",
    "rule": "#4A4336",
    "zest": "#E39A1B",
    "zest-pale": "#5C4313",
    "deep-zest": "#F0B85A",
    "leaf": "#94C48C",
    "plum": "#E79AB5",
    "wave": "#958B79",
    "on-ink": "#1E1B16",
    "focus": "#F0B85A",
}
