"""Where each word of the text lies in the clip. They are stored beside the figures, not among them."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Family, Material, Values

NAME: Final = "word times"


def _values(of: Material) -> Values:  # noqa: ARG001 as every family is called
    return {}


FAMILY: Final = Family(name=NAME, version=5, place=70, values=_values, measures=())
