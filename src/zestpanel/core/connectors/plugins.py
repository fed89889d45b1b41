"""Plug-ins by entry point: connectors (group zestpanel.connectors) and signers (group zestpanel.signers)."""

from __future__ import annotations

from collections.abc import Callable
from importlib.metadata import EntryPoint, entry_points
from typing import Any, Final

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.speaking import Connector
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr

CONNECTORS: Final = "zestpanel.connectors"
SIGNERS: Final = "zestpanel.signers"

# (method, address, headers, body, secret) -> headers to add
Signer = Callable[[str, str, dict[str, str], bytes, str], dict[str, str]]


def names(group: str) -> list[str]:
    """The plug-ins installed, by name."""
    return sorted({point.name for point in entry_points(group=group)})


def _load(group: str, name: str, what: str) -> Any:
    found: list[EntryPoint] = [point for point in entry_points(group=group) if point.name == name]
    if not found:
        known = ", ".join(names(group)) or "none"
        raise SynthesisFailure(
            "program", tr("There is no {what} '{name}'. Installed: {known}.", what=what, name=name, known=known)
        )
    try:
        return found[0].load()
    except Exception as error:  # a plug-in may fail in any way; the person is told which one and why
        raise SynthesisFailure(
            "program", tr("The {what} '{name}' cannot be loaded ({error}).", what=what, name=name, error=error)
        ) from error


def signer(name: str) -> Signer:
    """The signer of that name. Raises SynthesisFailure when it is not installed; its own errors are wrapped."""
    plugged: Signer = _load(SIGNERS, name, "signer")

    def sign(method: str, address: str, headers: dict[str, str], body: bytes, secret: str) -> dict[str, str]:
        try:
            return {str(k): str(v) for k, v in plugged(method, address, headers, body, secret).items()}
        except Exception as error:  # likewise
            raise SynthesisFailure(
                "refused", tr("The signer '{name}' failed ({name2}).", name=name, name2=type(error).__name__)
            ) from error

    return sign


def plugged_connector(engine: Engine) -> Connector:
    """A plug-in's connector for the engine: its entry point is called with the engine."""
    assert engine.speak.kind == "plugin"
    make = _load(CONNECTORS, engine.speak.plugin, "plug-in")
    try:
        made: Connector = make(engine)
    except Exception as error:  # likewise
        raise SynthesisFailure(
            "program", tr("The plug-in '{plugin}' did not start ({error}).", plugin=engine.speak.plugin, error=error)
        ) from error
    return made
