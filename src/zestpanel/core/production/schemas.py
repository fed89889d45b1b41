"""JSON Schemas (2020-12) of the formats that others read and write, as published in docs/schema/."""

from __future__ import annotations

from typing import Any

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.listening.answer_file import LINES
from zestpanel.core.listening.elsewhere.description import Description
from zestpanel.core.listening.elsewhere.returned import Returned
from zestpanel.core.production.sheet import Sheet
from zestpanel.core.report.catalogue_file import Catalogue


def schemas() -> dict[str, dict[str, Any]]:
    """By file name."""
    return {
        "connector.schema.json": Engine.model_json_schema(by_alias=True),
        "catalogue.schema.json": Catalogue.model_json_schema(by_alias=True),
        "production-sheet.schema.json": Sheet.model_json_schema(by_alias=True),
        "answers.schema.json": LINES.json_schema(),
        "session.schema.json": Description.model_json_schema(),
        "session-answers.schema.json": Returned.model_json_schema(),
    }
