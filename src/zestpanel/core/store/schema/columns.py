"""What all tables share: where they are collected, their own numbers, and those of others they point to."""

from __future__ import annotations

from sqlalchemy import Column, ForeignKey, Integer, MetaData

metadata = MetaData()


def own_id() -> Column[int]:
    return Column("id", Integer, primary_key=True)


def id_of(table: str, *, nullable: bool = False) -> Column[int]:
    return Column(f"{table.rstrip('s')}_id", Integer, ForeignKey(f"{table}.id"), nullable=nullable)
