"""What a tariff is put together from: one file a component, found by being here. To add one, add its file: plans read
from files, the editor, the bill, runs, caps, the curves and the record follow.

Source of the kinds: common practice of the trade, no published source.
"""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from operator import attrgetter
from pkgutil import iter_modules
from typing import TYPE_CHECKING, Annotated, Final, Union

from pydantic import Field

from zestpanel.core.money.components.part import Part

for _one in iter_modules(__path__):
    import_module(f"{__name__}.{_one.name}")

# by kind, in the order they are shown
KINDS: Final[Mapping[str, type[Part]]] = {
    str(part.model_fields["kind"].default): part for part in sorted(Part.__subclasses__(), key=attrgetter("place"))
}

if TYPE_CHECKING:
    Component = Part
else:
    Component = Annotated[Union[tuple(KINDS.values())], Field(discriminator="kind")]  # noqa: UP007 - made of a list
