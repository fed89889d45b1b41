"""The window in German and French, and how a language is chosen."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from tests.catalogue import TRANSLATED
from tests.desk.conftest import Opener
from zestpanel.core.store.project import Project
from zestpanel.desk.language_dialog import LanguageDialog


def test_nothing_is_left_in_english_and_nothing_grows_out_of_the_window(bench_project: Project) -> None:
    windows = [
        subprocess.Popen(
            [sys.executable, "-m", "tests.desk.other_language", str(bench_project.folder)],
            env={**os.environ, "ZEST_LANGUAGE": language},
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        for language in TRANSLATED
    ]
    for window in windows:
        said, _ = window.communicate(timeout=300)
        assert window.returncode == 0, said


def test_the_chosen_language_is_that_of_the_next_start(
    empty_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    monkeypatch.setenv("LANG", "de_DE.UTF-8")
    monkeypatch.delenv("ZEST_LANGUAGE")
    window = open_window(empty_project)

    def at_the_next_start() -> str:
        asked = "from zestpanel.core.texts import LANGUAGE, tr; print(LANGUAGE, tr('Cancel'))"
        return subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True).stdout.strip()

    def choose(name: str) -> None:
        window.actions_by_id["language"].trigger()
        dialog = window.findChildren(LanguageDialog)[-1]
        dialog.box.setCurrentIndex(dialog.box.findText(name))
        qtbot.keyClick(dialog, Qt.Key.Key_Return)
        assert not dialog.isVisible()

    assert at_the_next_start() == "de Abbrechen"
    choose("Français")
    assert at_the_next_start() == "fr Annuler"
    choose("English")
    assert at_the_next_start() == "en Cancel"
    choose("As the system has it")
    assert at_the_next_start() == "de Abbrechen"
    (tmp_path / "zestpanel" / "language").write_bytes(b"\xff\x00")
    assert at_the_next_start() == "de Abbrechen"
