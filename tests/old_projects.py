"""Projects as earlier programs left them."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from alembic import command
from alembic.config import Config

from zestpanel.core.store import opening
from zestpanel.core.store.database import FILE, connecting


def project_of(folder: Path, revision: str, *, channel: str = "Kept") -> Path:
    """A project of an earlier revision, with a brief in it and nothing more."""
    (folder / "clips").mkdir(parents=True)
    config = Config()
    config.set_main_option("script_location", str(Path(opening.__file__).parent / "migrations"))
    config.attributes["connect"] = connecting(folder / FILE)
    command.upgrade(config, revision)
    with sqlite3.connect(folder / FILE) as old:
        old.execute("INSERT INTO documents VALUES ('brief', ?)", (f'{{"channel": "{channel}"}}',))
    old.close()
    return folder
