"""Roles are records: each has an id, which decisions are kept under, and the language of whoever fills it."""

import json
import re
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    connection = op.get_bind()
    read = connection.exec_driver_sql
    found = {}
    for name in ("brief", "decisions"):
        row = read("select value from documents where name = ?", (name,)).first()
        try:
            found[name] = json.loads(row[0]) if row is not None else None
        except (TypeError, ValueError):
            found[name] = None
    brief, decisions = found["brief"], found["decisions"]
    if not isinstance(brief, dict):
        return
    kept = [one for one in decisions or [] if isinstance(one, dict)] if isinstance(decisions, list) else []
    names = brief.get("roles", ["main narrator", "fall-back"])
    if not isinstance(names, list) or not all(isinstance(one, str) and one.strip() for one in names):
        return
    roles = _records(connection, [one.strip()[:80] for one in names], kept)
    if not roles:
        return
    ids = {one["name"]: one["id"] for one in roles}
    for one in kept:
        name = str(one.get("role", ""))
        one["role"], one["role_name"] = ids.get(name, _slug(name)), name
    _put(connection, "brief", {**brief, "roles": roles})
    if kept:
        _put(connection, "decisions", kept)


def _records(connection: sa.Connection, names: list[str], decisions: list[dict[str, Any]]) -> list[dict[str, Any]]:
    chosen = {str(one.get("role", "")): one.get("candidate_id") for one in decisions}
    roles: list[dict[str, Any]] = []
    for name in dict.fromkeys(names):
        taken = {one["id"] for one in roles}
        stem = _slug(name)
        role = {"id": next(one for one in (stem, *(f"{stem}-{k}" for k in range(2, 200))) if one not in taken),
                "name": name}  # fmt: skip
        row = None
        if isinstance(chosen.get(name), int):
            row = connection.exec_driver_sql("select language from candidates where id = ?", (chosen[name],)).first()
        if row is not None and row[0]:
            role["language"] = row[0]
        if name == "fall-back" and roles:
            role |= {"share_percent": "0", "not_engine_of": [roles[0]["id"]]}
        roles.append(role)
    return roles[:20]


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "role"


def _put(connection: sa.Connection, name: str, value: object) -> None:
    connection.exec_driver_sql("update documents set value = ? where name = ?", (json.dumps(value), name))
