"""One table of actions: menus, shortcuts and the shortcut sheet come from it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Deed:
    """An action: id, text, menu ('' for none), keys as Qt names them. plain: a bare key, not taken while typing."""

    id: str
    text: str
    menu: str
    keys: str = ""
    plain: bool = False


DEEDS: tuple[Deed, ...] = (
    Deed("new", "New project …", "Project", "Ctrl+N"),
    Deed("open", "Open project …", "Project", "Ctrl+O"),
    Deed("import", "Import scripts or engines …", "Project", "Ctrl+I"),
    Deed("bring", "Bring in clips made elsewhere …", "Project", "Ctrl+B"),
    Deed("clips", "Save all clips …", "Project", "Ctrl+Shift+S"),
    Deed("record", "Write decision record", "Project", "Ctrl+S"),
    Deed("check", "Check project", "Project"),
    Deed("quit", "Quit", "Project", "Ctrl+Q"),
    Deed("undo", "Undo", "Edit", "Ctrl+Z"),
    Deed("redo", "Redo", "Edit", "Ctrl+Shift+Z"),
    Deed("play", "Play or pause", "Listen", "Space", plain=True),
    Deed("labels", "Hide or show labels", "Listen", "H", plain=True),
    Deed("real_time", "Words or real time", "Listen", "T", plain=True),
    Deed("mark", "Mark a defect", "Listen", "M", plain=True),
    Deed("star", "Prefer this take", "Listen", "S", plain=True),
    Deed("back", "Back to the start of the clip", "Listen", "Home", plain=True),
    Deed("audition", "Hear my line in this voice", "Listen", "P", plain=True),
    *(Deed(f"lane_{n}", f"Hear lane {n}", "", str(n), plain=True) for n in range(1, 10)),
    Deed("render", "Render what is missing", "Listen", "Ctrl+R"),
    Deed("plan", "Plan a run …", "Listen", "Ctrl+Shift+R"),
    Deed("again", "Render this cell once more", "Listen", "R", plain=True),
    Deed("takes", "Takes of this cell …", "Listen", "L", plain=True),
    *(
        Deed(f"step_{key}", text, "Go", f"Alt+{n}")
        for n, (key, text) in enumerate(
            (
                ("brief", "Brief"),
                ("engines", "Engines and voices"),
                ("passages", "Passages"),
                ("renders", "Renders"),
                ("evidence", "Evidence"),
                ("listening", "Listening"),
                ("cost", "Cost"),
                ("choice", "Choice"),
            ),
            1,
        )
    ),
    Deed("find", "Find a voice", "Go", "Ctrl+F"),
    Deed("dark", "Dark scheme", "View", "Ctrl+D"),
    Deed("larger", "Larger text", "View", "Ctrl++"),
    Deed("smaller", "Smaller text", "View", "Ctrl+-"),
    Deed("card", "Show or hide the card", "View", "Ctrl+E"),
    Deed("keys", "Shortcuts", "Help", "F1"),
    Deed("report", "Text for a bug report", "Help"),
)
