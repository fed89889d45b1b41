"""The table that is everywhere: sorted, searched, narrowed and copied, and rows keep their numbers."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from zestpanel.desk.application import make_application
from zestpanel.desk.table import Table
from zestpanel.desk.theme.style import apply_theme
from zestpanel.desk.theme.tokens import theme

ROWS = [["Tangor", "1,200"], ["citrange", "–"], ["Rangpur", "−3.5"], ["Mandelo", "12 EUR"]]


def seen(table: Table) -> list[str]:
    """First cells as they stand from above."""
    down = table.verticalHeader()
    assert down is not None
    rows = [down.logicalIndex(k) for k in range(table.rowCount())]
    return [item.text() for row in rows if not table.isRowHidden(row) and (item := table.item(row, 0)) is not None]


def test_a_click_on_a_head_sorts_by_numbers_or_words_and_back_again(qtbot: QtBot) -> None:
    table = Table()
    qtbot.addWidget(table)
    table.show_rows(["Engine", "Price"], ROWS, numbers=[1])
    table.resize(500, 300)
    table.show()
    head = table.horizontalHeader()
    assert head is not None

    def click(column: int) -> None:
        x = head.sectionViewportPosition(column) + 10
        qtbot.mouseClick(head.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(x, 10))

    click(1)
    assert seen(table) == ["Rangpur", "Mandelo", "Tangor", "citrange"], "what has no value comes last"
    click(1)
    assert seen(table) == ["Tangor", "Mandelo", "Rangpur", "citrange"]
    click(1)
    assert seen(table) == ["Tangor", "citrange", "Rangpur", "Mandelo"], "as they came in"
    click(0)
    assert seen(table) == ["citrange", "Mandelo", "Rangpur", "Tangor"]
    table.show_rows(["Engine", "Price"], [*ROWS, ["Bergamot", "5"]], numbers=[1])
    assert seen(table)[0] == "Bergamot", "it stays sorted when it is filled anew"


def test_rows_keep_their_numbers_whatever_is_shown(qtbot: QtBot) -> None:
    table = Table()
    qtbot.addWidget(table)
    table.show_rows(["Engine", "Price"], ROWS, numbers=[1])
    table.sort_by("Price")
    chosen: list[int] = []
    table.row_chosen.connect(chosen.append)
    table.setCurrentCell(2, 0)
    table.show()
    qtbot.keyClick(table, Qt.Key.Key_Return)
    assert chosen == [2], "Rangpur, wherever it stands"
    qtbot.keyClick(table, Qt.Key.Key_Down)
    assert table.currentRow() == 3, "the arrow goes to what is seen below"
    table.show_only("an")
    assert seen(table) == ["Rangpur", "Mandelo", "Tangor", "citrange"]
    table.show_only("EUR")
    assert seen(table) == ["Mandelo"]
    table.clearSelection()
    table.copy()
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text() == "Engine\tPrice\nMandelo\t12 EUR"
    table.show_only("")
    table.copy()
    assert [line.split("\t")[0] for line in clipboard.text().splitlines()[1:]] == seen(table), "as it is seen"


def test_its_menu_hides_columns(qtbot: QtBot) -> None:
    table = Table()
    qtbot.addWidget(table)
    table.show_rows(["Engine", "Price"], ROWS)
    menu = QMenu()
    table.add_table_actions(menu, 1)
    texts = [action.text() for action in menu.actions()]
    assert texts[:3] == ["Copy", "Sort by Price, low first", "Sort by Price, high first"]
    columns = next(action.menu() for action in menu.actions() if action.text() == "Columns")
    assert columns is not None
    columns.actions()[1].trigger()
    assert table.isColumnHidden(1)


def test_a_row_that_is_shown_is_the_only_one_selected_while_control_is_held(qtbot: QtBot) -> None:
    """As it is while Ctrl+Z takes something back: Qt's own way adds the row, or takes it away."""
    table = Table()
    qtbot.addWidget(table)
    table.show_rows(["Engine", "Price"], ROWS, numbers=[1])
    table.show()
    table.selectRow(0)
    qtbot.keyPress(table, Qt.Key.Key_Control, Qt.KeyboardModifier.ControlModifier)
    try:
        for row in (2, 2):
            table.selectRow(row)
            assert {index.row() for index in table.selectedIndexes()} == {2}
    finally:
        qtbot.keyRelease(table, Qt.Key.Key_Control)


def test_the_line_below_a_row_runs_under_cells_of_one_line_and_of_two(qtbot: QtBot) -> None:
    application = make_application()
    apply_theme(application, theme)
    table = Table()
    qtbot.addWidget(table)
    table.show_rows(
        ["", "Candidate", "Plan"], [["1", "Tangor\ngrove", "Small\n12 EUR"], ["2", "Rangpur\nold", "Own\n–"]]
    )
    table.resize(500, 300)
    table.clearSelection()
    table.show()
    picture = table.viewport().grab().toImage()
    for row in range(2):
        cells = [table.visualRect(table.model().index(row, column)) for column in range(3)]
        below = {picture.pixelColor(cell.left() + 2, cell.bottom()).name() for cell in cells}
        assert below == {theme.colour("rule").name()}, "one line, from the first column to the last"
