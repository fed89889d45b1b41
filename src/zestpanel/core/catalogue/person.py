"""A person's recordings as an engine of one voice: heard and compared with, and never chosen."""

from __future__ import annotations

import yaml

from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

VOICE = "own-voice"


def person_text(name: str, *, language: str, folder: str) -> str:
    """The connector file of a person's recordings. Files are found in the folder by a passage's title, or are brought
    in by hand. Raises InputError without a name or a language."""
    if not name.strip() or not language.strip():
        raise InputError(tr("A person's recordings need a name and a language."), kept=tr("Nothing was added."))
    document = {
        "zest-connector": 1,
        "engine": name.strip(),
        "human": True,
        "hosted": False,
        "voices": [{"id": VOICE, "name": "own voice", "languages": [language.strip()]}],
        "speak": {"kind": "folder", "folder": folder, "pattern": "*{passage}*"},
    }
    return yaml.safe_dump(document, sort_keys=False, allow_unicode=True)
