"""The one style sheet, made from the tokens."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QPalette
from PyQt6.QtWidgets import QApplication

from zestpanel.desk.theme.tokens import SANS, SERIF, SIZES, Theme


def apply_theme(application: QApplication, theme: Theme) -> None:
    """Give the application the palette, the font and the style sheet of the scheme in force."""
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: "paper",
        QPalette.ColorRole.WindowText: "ink",
        QPalette.ColorRole.Base: "sheet",
        QPalette.ColorRole.AlternateBase: "shade",
        QPalette.ColorRole.Text: "ink",
        QPalette.ColorRole.Button: "sheet",
        QPalette.ColorRole.ButtonText: "ink",
        QPalette.ColorRole.Highlight: "zest-pale",
        QPalette.ColorRole.HighlightedText: "ink",
        QPalette.ColorRole.ToolTipBase: "ink",
        QPalette.ColorRole.ToolTipText: "on-ink",
        QPalette.ColorRole.PlaceholderText: "quiet",
        QPalette.ColorRole.Link: "deep-zest",
    }
    for role, name in roles.items():
        palette.setColor(role, theme.colour(name))
    application.setPalette(palette)
    application.setFont(theme.font())
    application.setStyleSheet(style_sheet(theme))


def style_sheet(theme: Theme) -> str:
    c = theme.colours
    size = {name: round(value * theme.scale) for name, value in SIZES.items()}
    px = theme.px
    folder = (Path(__file__).parent).as_posix()
    return f"""
* {{ font-family: "{SANS}"; font-size: {size["body"]}px; }}
QWidget {{ color: {c["ink"]}; }}
QMainWindow, QDialog, #page, #booth {{ background: {c["paper"]}; }}
#header, #trail {{ background: {c["paper"]}; }}
#header {{ border-bottom: 1px solid {c["rule"]}; }}
#trail {{ border-right: 1px solid {c["rule"]}; }}
#card, #card QWidget {{ background: {c["sheet"]}; }}
#card {{ border-left: 1px solid {c["rule"]}; }}
#strip {{ background: {c["shade"]}; border-top: 1px solid {c["ink"]}; }}
QLabel {{ background: transparent; }}
QLabel[role="quiet"] {{ color: {c["quiet"]}; }}
QLabel[role="small"] {{ color: {c["quiet"]}; font-size: {size["small"]}px; }}
QLabel[role="bad"] {{ color: {c["plum"]}; font-weight: bold; }}
QLabel[role="good"] {{ color: {c["leaf"]}; font-weight: bold; }}
QLabel[role="strong"] {{ font-weight: bold; }}
QLabel[role="channel"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: {size["title"]}px; }}
QLabel[role="page"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: {size["page"]}px; }}
QLabel[role="name"] {{ font-family: "{SERIF}"; font-weight: 600; font-size: {size["title"]}px; }}
QLabel[role="reading"] {{ font-family: "{SERIF}"; font-size: {size["title"]}px; }}
QLabel[role="lead"] {{ font-size: {size["lead"]}px; }}
QPushButton, QToolButton {{ background: {c["sheet"]}; border: 1px solid {c["rule"]}; border-radius: 4px;
  padding: {px(6)}px {px(12)}px; min-height: {px(16)}px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {c["quiet"]}; }}
QPushButton:pressed, QPushButton:checked {{ background: {c["zest-pale"]}; }}
QPushButton:disabled {{ color: {c["quiet"]}; background: {c["paper"]}; }}
QPushButton:focus, QToolButton:focus {{ border: 2px solid {c["focus"]}; padding: {px(5)}px {px(11)}px; }}
QPushButton[role="main"] {{ background: {c["ink"]}; color: {c["on-ink"]}; border-color: {c["ink"]}; }}
QPushButton[role="main"]:disabled {{ background: {c["rule"]}; color: {c["quiet"]}; border-color: {c["rule"]}; }}
QPushButton[role="main"]:focus {{ border: 2px solid {c["zest"]}; }}
QPushButton[role="chosen"] {{ border-color: {c["zest"]}; font-weight: bold; }}
QPushButton[role="link"] {{ background: transparent; border: none; border-radius: 2px; padding: 1px; text-align: left;
  min-height: 0; }}
QPushButton[role="link"]:hover {{ color: {c["deep-zest"]}; }}
QPushButton[role="link"]:focus {{ border: 1px solid {c["focus"]}; padding: 0; }}
QPushButton[role="tab"] {{ background: transparent; border: none; border-bottom: 2px solid transparent;
  border-radius: 0; color: {c["quiet"]}; padding: {px(4)}px {px(10)}px; }}
QPushButton[role="tab"]:hover {{ color: {c["ink"]}; }}
QPushButton[role="tab"]:checked {{ color: {c["ink"]}; font-weight: bold; border-bottom: 2px solid {c["zest"]};
  background: transparent; }}
QPushButton[role="tab"]:focus {{ color: {c["ink"]}; border: none; border-bottom: 2px solid {c["focus"]}; }}
QPushButton[role="sign"] {{ padding: {px(2)}px {px(5)}px; min-width: {px(16)}px; font-size: {size["lead"]}px; }}
QPushButton[role="grade"] {{ text-align: left; padding: {px(12)}px {px(18)}px; font-size: {size["lead"]}px; }}
QPushButton[role="low grade"] {{ text-align: left; padding: {px(4)}px {px(18)}px; font-size: {size["lead"]}px; }}
QLineEdit, QPlainTextEdit, QTextEdit, QAbstractSpinBox, QComboBox {{ background: {c["sheet"]};
  border: 1px solid {c["rule"]}; border-radius: 3px; padding: {px(5)}px {px(8)}px;
  selection-background-color: {c["zest-pale"]}; selection-color: {c["ink"]}; }}
QLineEdit:focus, QPlainTextEdit:focus, QTextEdit:focus, QAbstractSpinBox:focus, QComboBox:focus {{
  border: 2px solid {c["focus"]}; padding: {px(4)}px {px(7)}px; }}
QPlainTextEdit[role="reading"], QTextEdit[role="reading"] {{ font-family: "{SERIF}";
  font-size: {size["title"]}px; padding: {px(12)}px; }}
QPlainTextEdit[role="code"], QTextEdit[role="code"] {{ font-family: monospace; font-size: {size["small"] + 1}px; }}
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ subcontrol-origin: border; width: {px(20)}px;
  border: none; background: transparent; }}
QAbstractSpinBox::up-button {{ subcontrol-position: top right; }}
QAbstractSpinBox::down-button {{ subcontrol-position: bottom right; }}
QAbstractSpinBox::up-arrow {{ image: url({folder}/up.svg); width: {px(9)}px; height: {px(6)}px; }}
QAbstractSpinBox::down-arrow, QComboBox::down-arrow {{ image: url({folder}/down.svg); width: {px(9)}px;
  height: {px(6)}px; }}
QComboBox::drop-down {{ border: none; width: {px(24)}px; }}
QAbstractSpinBox {{ padding-right: {px(22)}px; }}
QComboBox QAbstractItemView, QMenu {{ background: {c["sheet"]}; border: 1px solid {c["rule"]}; color: {c["ink"]};
  selection-background-color: {c["zest-pale"]}; selection-color: {c["ink"]}; }}
QMenu::item {{ padding: {px(6)}px {px(24)}px; }}
QMenu::item:selected {{ background: {c["zest-pale"]}; }}
QMenu::item:disabled {{ color: {c["quiet"]}; }}
QMenuBar {{ background: {c["paper"]}; }} QMenuBar::item:selected {{ background: {c["zest-pale"]}; }}
QCheckBox {{ spacing: {px(8)}px; padding: 2px; }} QCheckBox:focus {{ border: 1px solid {c["focus"]}; padding: 1px; }}
QCheckBox::indicator, QAbstractItemView::indicator {{ width: {px(14)}px; height: {px(14)}px;
  border: 1px solid {c["quiet"]}; border-radius: 3px; background: {c["sheet"]}; }}
QCheckBox::indicator:checked, QAbstractItemView::indicator:checked {{ background: {c["deep-zest"]};
  border-color: {c["deep-zest"]}; image: url({folder}/tick-{"dark" if theme.dark else "light"}.svg); }}
QCheckBox::indicator:disabled {{ border-color: {c["rule"]}; background: {c["paper"]}; }}
QTableView, QListView, QTreeView {{ background: {c["paper"]}; border: none; gridline-color: {c["rule"]};
  selection-background-color: {c["zest-pale"]}; selection-color: {c["ink"]}; outline: none; }}
QTableView::item, QListView::item {{ padding: {px(5)}px {px(8)}px; border-bottom: 1px solid {c["rule"]}; }}
QListView::item:selected {{ background: {c["zest-pale"]}; color: {c["ink"]}; }}
QTableView:focus, QListView:focus {{ border: 1px solid {c["focus"]}; }}
#benchGrid:focus {{ border: none; }}
QTableView::item:focus {{ border: none; border-bottom: 1px solid {c["rule"]}; }}
QHeaderView {{ background: {c["paper"]}; border: none; }}
QHeaderView::section {{ background: {c["paper"]}; color: {c["quiet"]}; border: none;
  border-bottom: 1px solid {c["ink"]}; padding: {px(5)}px {px(8) + 3}px; font-size: {size["small"]}px; }}
QAbstractScrollArea::corner {{ background: transparent; border: none; }}
QTableCornerButton::section {{ background: {c["paper"]}; border: none; }}
QScrollArea, QScrollArea > QWidget#qt_scrollarea_viewport > QWidget {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: {px(10)}px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: {px(10)}px; margin: 0; }}
QScrollBar::handle {{ background: {c["rule"]}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::handle:hover {{ background: {c["wave"]}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {c["zest-pale"]}; border: none; border-radius: 3px; max-height: {px(6)}px;
  min-height: {px(6)}px; }}
QProgressBar::chunk {{ background: {c["zest"]}; border-radius: 3px; }}
QSplitter::handle {{ background: {c["rule"]}; }}
QToolTip {{ background: {c["ink"]}; color: {c["on-ink"]}; border: none; padding: {px(5)}px; }}
#doors {{ background: {c["sheet"]}; border: 1px solid {c["rule"]}; border-radius: 5px; }}
#notice {{ background: {c["sheet"]}; border: 1px solid {c["wave"]}; border-radius: 5px; }}
#popup {{ background: {c["sheet"]}; border: 1px solid {c["ink"]}; border-radius: 5px; }}
#rule {{ background: {c["rule"]}; }}
#dropping {{ background: {c["zest-pale"]}; }}
"""
