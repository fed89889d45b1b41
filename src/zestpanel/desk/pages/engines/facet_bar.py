"""Facets in a row: a button for each, whose menu holds the values with how many each would leave."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QPushButton, QSizePolicy, QWidget

from zestpanel.core.catalogue.browsing import FacetValue
from zestpanel.core.texts import tr, word
from zestpanel.desk.flow import FlowLayout
from zestpanel.desk.pages.engines.chosen_facets import ChosenFacets
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, set_role


class FacetBar(ChosenFacets, QWidget):
    """chosen: facet -> values. ``changed`` is emitted when a value was chosen or given up."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.chosen: dict[str, frozenset[str]] = {}
        self._facets: dict[str, list[FacetValue]] = {}
        self.buttons: dict[str, QPushButton] = {}
        self._row = FlowLayout(self)
        self._row.setSpacing(theme.px(6))
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.all = button(tr("Show all"), self.clear_choice, role="link", tip=tr("Give up all that was chosen"))
        self._row.addWidget(self.all)
        self.all.hide()

    def show_facets(self, facets: dict[str, list[FacetValue]]) -> None:
        self._facets = facets
        for name in [one for one in self.buttons if one not in facets]:
            gone = self.buttons.pop(name)
            self._row.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        for name in facets:
            if name not in self.buttons:
                self.buttons[name] = button("", partial(self._ask, name))
                self._row.addWidget(self.buttons[name])
            picked = sorted(self.chosen.get(name, ()))
            self.buttons[name].setText(f"{word(name)}: {', '.join(map(word, picked))}" if picked else f"{word(name)} …")
            set_role(self.buttons[name], "chosen" if picked else "")
        self.all.setVisible(any(self.chosen.values()))

    def _ask(self, name: str) -> None:
        self.menu(name).popup(self.buttons[name].mapToGlobal(self.buttons[name].rect().bottomLeft()))

    def menu(self, name: str) -> QMenu:
        menu = QMenu(self)
        for value in self._facets[name]:
            action = menu.addAction(f"{word(value.value)}  ({value.count})", partial(self.toggle, name, value.value))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(value.chosen)
        return menu
