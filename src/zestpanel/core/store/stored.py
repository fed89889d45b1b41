"""What is kept whole in the project under a name: each such document has a type, and is read and written by it."""

from __future__ import annotations

import contextlib
from functools import cached_property
from typing import Annotated, Any, Generic, TypeVar

from pydantic import BeforeValidator, TypeAdapter, ValidationError

from zestpanel.core.errors import ProjectError
from zestpanel.core.store.documents import Documents
from zestpanel.core.texts import tr

T = TypeVar("T")


def Readable(one: Any) -> Any:
    """Several of one type, of which those that make no sense are left out."""
    each: TypeAdapter[Any] = TypeAdapter(one)

    def those(value: Any) -> Any:
        out = []
        for item in value if isinstance(value, list) else []:
            with contextlib.suppress(ValidationError):
                out.append(each.validate_python(item))
        return out

    return Annotated[tuple[one, ...], BeforeValidator(those)]


class Stored(Generic[T]):
    """A document's name, its type, and what holds where it was never written.

    forgiving: what makes no sense is as if it were not there, for what a stranger's project may hold and the rest does
    without; otherwise it is refused, and nothing is written over it.
    """

    def __init__(self, name: str, kind: Any, nothing: T, *, forgiving: bool = False, sparing: bool = False) -> None:
        """kind: as pydantic reads annotations. sparing: values that are as usual are not written."""
        self.name, self._kind, self._nothing = name, kind, nothing
        self._forgiving, self._sparing = forgiving, sparing

    def of(self, thing: object) -> Stored[T]:
        """The document of one thing, such as an engine: its name is added to this one's."""
        one: Stored[T] = Stored(
            f"{self.name}{thing}", self._kind, self._nothing, forgiving=self._forgiving, sparing=self._sparing
        )
        one.__dict__["_adapter"] = self._adapter
        return one

    @cached_property
    def _adapter(self) -> TypeAdapter[T]:
        return TypeAdapter(self._kind)

    def read(self, documents: Documents) -> T:
        """Raises ProjectError where it makes no sense and is not forgiven."""
        return self.understood(documents.get(self.name))

    def understood(self, value: Any) -> T:
        """A document's JSON value as what it says."""
        if value is None:
            return self._nothing
        try:
            return self._adapter.validate_python(value)
        except ValidationError as error:
            if self._forgiving:
                return self._nothing
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise ProjectError(
                tr("The project's document '{name}' makes no sense ({where}: {error}).", name=self.name, where=where,
                   error=first["msg"]),
                kept=tr("Nothing was changed."),
                remedy=tr("Take a copy of the folder from a backup."),
            ) from error  # fmt: skip

    def as_json(self, value: T) -> Any:
        return self._adapter.dump_python(value, mode="json", exclude_defaults=self._sparing)

    def write(self, documents: Documents, value: T) -> None:
        documents.put(self.name, self.as_json(value))

    def forget(self, documents: Documents) -> None:
        documents.put(self.name, None)
