"""The connector an engine's file asks for."""

from __future__ import annotations

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.speaking import Connector
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr


def open_connector(engine: Engine) -> Connector:
    """A connector for the engine, to be closed by the caller.

    Raises SynthesisFailure('refused') where it would use what nobody has agreed to on this machine.
    """
    require_agreement(engine)
    return connector_of(engine)


def connector_of(engine: Engine) -> Connector:
    """The same, unasked: to describe a request that is not sent, and for workers, whose machine's user has handed them
    to the scheduler's. What a kind needs is loaded only where it is used."""
    match engine.speak.kind:
        case "http":
            from zestpanel.core.connectors.http.connector import HttpConnector

            return HttpConnector(engine)
        case "websocket":
            from zestpanel.core.connectors.http.conversation import WebSocketConnector

            return WebSocketConnector(engine)
        case "command":
            if engine.speak.resident:
                from zestpanel.core.connectors.resident import ResidentConnector

                return ResidentConnector(engine)
            from zestpanel.core.connectors.command import CommandConnector

            return CommandConnector(engine)
        case "folder":
            from zestpanel.core.connectors.folder import FolderConnector

            return FolderConnector(engine)
        case "heard of":
            raise SynthesisFailure(
                "unreachable", tr("{engine} was only heard of: nothing says how to ask it.", engine=engine.engine)
            )
        case "plugin":
            from zestpanel.core.connectors.plugins import plugged_connector

            return plugged_connector(engine)
