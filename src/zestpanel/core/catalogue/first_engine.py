"""An engine to begin with: the built-in voice as a program of this machine, over the same door as any other program."""

from __future__ import annotations

from typing import Any, Final

import yaml

from zestpanel.core.texts import tr

NAME: Final = "Built-in voice"
_VOICES: Final = (
    ("en", "English", "en-GB"), ("en-us", "English, American", "en-US"), ("de", "German", "de-DE"),
    ("fr", "French", "fr-FR"), ("es", "Spanish", "es-ES"), ("it", "Italian", "it-IT"), ("pt", "Portuguese", "pt-PT"),
    ("nl", "Dutch", "nl-NL"), ("pl", "Polish", "pl-PL"),
)  # fmt: skip


def first_engine_text() -> str:
    """Its connector file. It speaks plainly: for finding one's way, and as a lower end to compare with."""
    document: dict[str, Any] = {
        "zest-connector": 1,
        "engine": NAME,
        "note": tr("Comes with the program, speaks at once and costs nothing: to find one's way, not to publish."),
        "voices": [{"id": voice, "name": name, "languages": [tag]} for voice, name, tag in _VOICES],
        "controls": [{"name": "pace", "kind": "number", "default": 160, "low": 80, "high": 400, "step": 10,
                      "hint": "words a minute"}],
        "plans": [{
            "name": tr("comes with it"),
            "tariff": {"currency": "EUR", "components": [{"kind": "subscription", "price": "0", "every": "month"}]},
            "rights": {"commercial use": "yes", "download": "yes", "no watermark": "yes", "no attribution": "yes"},
            "source": tr("comes with the program"),
        }],
        "speak": {
            "kind": "command",
            "arguments": ["${ZEST_PYTHON}", "-m", "zestpanel", "say", "--voice", "{voice}", "--pace", "{pace}", "--to",
                          "{output}", "{text}"],
        },
    }  # fmt: skip
    return yaml.safe_dump(document, sort_keys=False, allow_unicode=True)
