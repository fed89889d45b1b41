from __future__ import annotations

from pathlib import Path

import pytest


@pytest.fixture
def own_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Nothing was agreed to yet."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "settings"))
    return tmp_path / "settings"
