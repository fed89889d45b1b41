"""The connector an engine's file asks for."""

from __future__ import annotations

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.speaking import Connector


def open_connector(engine: Engine) -> Connector:
    """A connector for the engine, to be closed by the caller. What a kind needs is loaded only where it is used."""
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
        case "plugin":
            from zestpanel.core.connectors.plugins import plugged_connector

            return plugged_connector(engine)
