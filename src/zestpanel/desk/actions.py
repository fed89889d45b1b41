"""One table of actions: menus, shortcuts and the shortcut sheet come from it."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.listening.defects import KINDS
from zestpanel.core.texts import tr
from zestpanel.desk.viewmodels.steps import STEPS


@dataclass(frozen=True, slots=True)
class Action:
    """An action: id, text, menu ('' for none), keys as Qt names them. plain: a bare key, not taken while typing."""

    id: str
    text: str
    menu: str
    keys: str = ""
    plain: bool = False


ACTIONS: tuple[Action, ...] = (
    Action("new", tr("New project …"), "Project", "Ctrl+N"),
    Action("open", tr("Open project …"), "Project", "Ctrl+O"),
    Action("duplicate", tr("Duplicate project …"), "Project"),
    Action("archive", tr("Archive to one file …"), "Project"),
    Action("unpack", tr("Open an archive …"), "Project"),
    Action("import", tr("Import scripts or engines …"), "Project", "Ctrl+I"),
    Action("bring", tr("Bring in clips made elsewhere …"), "Project", "Ctrl+B"),
    Action("clips", tr("Save all clips …"), "Project", "Ctrl+Shift+S"),
    Action("record", tr("Write decision record"), "Project", "Ctrl+S"),
    Action("check", tr("Check project"), "Project"),
    Action("quit", tr("Quit"), "Project", "Ctrl+Q"),
    Action("undo", tr("Undo"), tr("Edit"), "Ctrl+Z"),
    Action("redo", tr("Redo"), tr("Edit"), "Ctrl+Shift+Z"),
    Action("play", tr("Play or pause"), tr("Listen"), "Space", plain=True),
    Action("labels", tr("Hide or show labels"), tr("Listen"), "H", plain=True),
    Action("real_time", tr("Words or real time"), tr("Listen"), "T", plain=True),
    Action("mark", tr("Mark a defect"), tr("Listen"), "M", plain=True),
    *(Action(f"defect_{n}", tr("Mark: {kind}", kind=kind), tr("Defects"), f"F{n}") for n, kind in enumerate(KINDS, 2)),
    Action("defects", tr("All defects …"), tr("Listen"), "Shift+M", plain=True),
    Action("loop", tr("Words over and over, or no more"), tr("Listen"), "O", plain=True),
    Action("copies", tr("Listening copies or raw clips"), tr("Listen"), "C", plain=True),
    Action("neighbours", tr("Between the passages before and after, or alone"), tr("Listen"), "B", plain=True),
    Action("bed", tr("Music or a room under it …"), tr("Listen")),
    Action("pin", tr("Keep this lane among the first, or no more"), tr("Listen"), "N", plain=True),
    Action("star", tr("Prefer this take"), tr("Listen"), "S", plain=True),
    Action("impression", tr("Impressions of this voice …"), tr("Listen"), "I", plain=True),
    Action("back", tr("Back to the start of the clip"), tr("Listen"), "Home", plain=True),
    Action("audition", tr("Hear my line in this voice"), tr("Listen"), "P", plain=True),
    *(Action(f"lane_{n}", tr("Hear lane {n}", n=n), "", str(n), plain=True) for n in range(1, 10)),
    Action("render", tr("Render what is missing"), tr("Listen"), "Ctrl+R"),
    Action("plan", tr("Plan a run …"), tr("Listen"), "Ctrl+Shift+R"),
    Action("again", tr("Render this cell once more"), tr("Listen"), "R", plain=True),
    Action("takes", tr("Takes of this cell …"), tr("Listen"), "L", plain=True),
    *(Action(f"step_{step.key}", step.title, "Go", f"Alt+{n}") for n, step in enumerate(STEPS, 1)),
    Action("go_back", tr("Back to where I was"), "Go", "Alt+Left"),
    Action("go_on", tr("On again"), "Go", "Alt+Right"),
    Action("find", tr("Find a voice"), "Go", "Ctrl+F"),
    Action("search", tr("Search everything …"), "Go", "Ctrl+K"),
    Action("dark", tr("Dark scheme"), tr("View"), "Ctrl+D"),
    Action("larger", tr("Larger text"), tr("View"), "Ctrl++ Ctrl+="),
    Action("smaller", tr("Smaller text"), tr("View"), "Ctrl+-"),
    Action("language", tr("Language …"), tr("View")),
    Action("card", tr("Show or hide the card"), tr("View"), "Ctrl+E"),
    Action("keys", tr("Shortcuts"), tr("Help"), "F1"),
    Action("said", tr("What was said"), tr("Help")),
    Action("report", tr("Text for a bug report"), tr("Help")),
)
