"""What files that are dropped or chosen are meant to be: told from their endings, their heads and their content."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from zestpanel.core.listening.elsewhere.returned import is_from_a_pack
from zestpanel.core.own_files import first_bytes
from zestpanel.core.runs.files.bringing_in import is_sound_file
from zestpanel.core.text.readers.reading import READABLE

KINDS = ("engine", "script", "ratings", "voices", "votes", "clips", "sound", "unknown")


def sort_files(paths: Iterable[Path]) -> dict[str, list[Path]]:
    """Files by kind (see KINDS); a folder stands for the files in it."""
    out: dict[str, list[Path]] = {kind: [] for kind in KINDS}
    for path in paths:
        if path.is_dir():
            for inner in sorted(p for p in path.rglob("*") if p.is_file()):
                kind = kind_of(inner)
                if kind != "unknown":
                    out[kind].append(inner)
        else:
            out[kind_of(path)].append(path)
    return out


def kind_of(path: Path) -> str:
    suffix = path.suffix.lower()
    if suffix == ".jsonl" or (suffix == ".json" and is_from_a_pack(path)):
        return "ratings"
    if suffix in (".yaml", ".yml", ".json"):
        return "engine"
    if suffix in (".csv", ".tsv"):
        return _kind_of_table(path)
    if suffix in READABLE:
        return "script"
    return "sound" if is_sound_file(path) else "unknown"


def _kind_of_table(path: Path) -> str:
    """By its columns; a table without known ones is taken for ratings, whose reader says what is missing."""
    try:
        head = first_bytes(path, 10_000).decode("utf-8-sig", errors="replace").partition("\n")[0]
    except OSError:
        return "ratings"
    columns = {name.strip().strip('"').lower() for name in head.replace(";", ",").replace("\t", ",").split(",")}
    if {"file", "candidate", "passage"} <= columns:
        return "clips"
    if {"engine", "id", "languages"} <= columns:
        return "voices"
    if "name" in columns and columns & {"strength", "wins"}:
        return "votes"
    if columns & {"text", "line", "script", "narration", "sentence", "dialogue"} and "listener" not in columns:
        return "script"
    return "ratings"
