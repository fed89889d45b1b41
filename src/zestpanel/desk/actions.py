"""One table of actions: menus, shortcuts and the shortcut sheet come from it."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.listening.defects import KINDS
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
    Action("new", "New project …", "Project", "Ctrl+N"),
    Action("open", "Open project …", "Project", "Ctrl+O"),
    Action("import", "Import scripts or engines …", "Project", "Ctrl+I"),
    Action("bring", "Bring in clips made elsewhere …", "Project", "Ctrl+B"),
    Action("clips", "Save all clips …", "Project", "Ctrl+Shift+S"),
    Action("record", "Write decision record", "Project", "Ctrl+S"),
    Action("check", "Check project", "Project"),
    Action("quit", "Quit", "Project", "Ctrl+Q"),
    Action("undo", "Undo", "Edit", "Ctrl+Z"),
    Action("redo", "Redo", "Edit", "Ctrl+Shift+Z"),
    Action("play", "Play or pause", "Listen", "Space", plain=True),
    Action("labels", "Hide or show labels", "Listen", "H", plain=True),
    Action("real_time", "Words or real time", "Listen", "T", plain=True),
    Action("mark", "Mark a defect", "Listen", "M", plain=True),
    *(Action(f"defect_{n}", f"Mark: {kind}", "Defects", f"F{n}") for n, kind in enumerate(KINDS, 2)),
    Action("defects", "All defects …", "Listen", "Shift+M", plain=True),
    Action("loop", "Words over and over, or no more", "Listen", "O", plain=True),
    Action("copies", "Listening copies or raw clips", "Listen", "C", plain=True),
    Action("neighbours", "Between the passages before and after, or alone", "Listen", "B", plain=True),
    Action("bed", "Music or a room under it …", "Listen"),
    Action("pin", "Keep this lane among the first, or no more", "Listen", "N", plain=True),
    Action("star", "Prefer this take", "Listen", "S", plain=True),
    Action("impression", "Impressions of this voice …", "Listen", "I", plain=True),
    Action("back", "Back to the start of the clip", "Listen", "Home", plain=True),
    Action("audition", "Hear my line in this voice", "Listen", "P", plain=True),
    *(Action(f"lane_{n}", f"Hear lane {n}", "", str(n), plain=True) for n in range(1, 10)),
    Action("render", "Render what is missing", "Listen", "Ctrl+R"),
    Action("plan", "Plan a run …", "Listen", "Ctrl+Shift+R"),
    Action("again", "Render this cell once more", "Listen", "R", plain=True),
    Action("takes", "Takes of this cell …", "Listen", "L", plain=True),
    *(Action(f"step_{step.key}", step.title, "Go", f"Alt+{n}") for n, step in enumerate(STEPS, 1)),
    Action("go_back", "Back to where I was", "Go", "Alt+Left"),
    Action("go_on", "On again", "Go", "Alt+Right"),
    Action("find", "Find a voice", "Go", "Ctrl+F"),
    Action("dark", "Dark scheme", "View", "Ctrl+D"),
    Action("larger", "Larger text", "View", "Ctrl++ Ctrl+="),
    Action("smaller", "Smaller text", "View", "Ctrl+-"),
    Action("card", "Show or hide the card", "View", "Ctrl+E"),
    Action("keys", "Shortcuts", "Help", "F1"),
    Action("said", "What was said", "Help"),
    Action("report", "Text for a bug report", "Help"),
)
