"""All kinds of listening tests: found by standing in ``kinds``."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from zestpanel.core.errors import InputError
from zestpanel.core.listening import kinds as _kinds
from zestpanel.core.listening.kind import Kind
from zestpanel.core.texts import tr


@cache
def kinds() -> Mapping[str, Kind]:
    """All kinds by name: found by standing in ``kinds``."""
    found: list[Kind] = [import_module(f"{_kinds.__name__}.{one.name}").KIND for one in iter_modules(_kinds.__path__)]
    return {kind.name: kind for kind in found}


def kind_of(name: str) -> Kind:
    """Raises InputError for a kind that this version does not know."""
    if name not in kinds():
        raise InputError(
            tr("This program does not know listening tests of the kind '{name}'.", name=name),
            kept=tr("Its answers are kept."),
            remedy=tr("Open the project with a newer version."),
        )
    return kinds()[name]
