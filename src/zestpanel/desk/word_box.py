"""Boxes to choose a word in: files and exports know it in English, a person sees it in the interface's language."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtWidgets import QComboBox

from zestpanel.core.texts import word


def add_words(box: QComboBox, words: Iterable[str]) -> None:
    for one in words:
        box.addItem(word(one), one)


def chosen_word(box: QComboBox) -> str:
    """The chosen word in English; what was typed, where it is none of them."""
    at = box.findText(box.currentText())
    data = box.itemData(at) if at >= 0 else None
    return data if isinstance(data, str) else box.currentText()


def choose_word(box: QComboBox, english: str) -> None:
    """Choose a word where it is among them."""
    at = box.findData(english)
    if at >= 0:
        box.setCurrentIndex(at)
