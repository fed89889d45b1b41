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
ASIDE = "set aside: "


def Readable(one: Any, *first: Any) -> Any:
    """Several of one type, of which those that make no sense are left out. first: what each is read by before."""
    each: TypeAdapter[Any] = TypeAdapter(Annotated[one, *first] if first else one)

    def those(value: Any) -> Any:
        out = []
        for item in value if isinstance(value, list) else []:
            with contextlib.suppress(ValidationError):
                out.append(each.validate_python(item))
        return out

    return Annotated[tuple[one, ...], BeforeValidator(those)]


class Stored(Generic[T]):
    """A document's name, its type, and what holds where it was never written.

    What makes no sense, as a stranger's project may hold it, is as if it were not there; where something is written in
    its place, it is kept under ASIDE and its name.
    """

    def __init__(self, name: str, kind: Any, nothing: T, *, sparing: bool = False, binding: bool = False) -> None:
        """kind: as pydantic reads annotations. sparing: values that are as usual are not written. binding: the project
        must not be worked with as if it were not there: reading one that makes no sense raises ProjectError."""
        self.name, self._kind, self._nothing = name, kind, nothing
        self._sparing, self._binding = sparing, binding

    def of(self, thing: object) -> Stored[T]:
        """The document of one thing, such as an engine: its name is added to this one's."""
        one: Stored[T] = Stored(
            f"{self.name}{thing}", self._kind, self._nothing, sparing=self._sparing, binding=self._binding
        )
        one.__dict__["_adapter"] = self._adapter
        return one

    @cached_property
    def _adapter(self) -> TypeAdapter[T]:
        return TypeAdapter(self._kind)

    def read(self, documents: Documents) -> T:
        return self.understood(documents.get(self.name))

    def understood(self, value: Any) -> T:
        """A document's JSON value as what it says. Raises ProjectError for one that binds and makes no sense."""
        try:
            return self._nothing if value is None else self._adapter.validate_python(value)
        except ValidationError as error:
            if not self._binding:
                return self._nothing
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise ProjectError(
                tr("The project's {name} make no sense ({where}: {error}).", name=self.name, where=where,
                   error=first["msg"]),
                kept=tr("Nothing was asked for."), remedy=tr("Set them anew; what stands there is kept."),
            ) from error  # fmt: skip

    def is_odd(self, documents: Documents) -> bool:
        """Whether what is kept there makes no sense."""
        try:
            if (value := documents.get(self.name)) is not None:
                self._adapter.validate_python(value)
        except ValidationError:
            return True
        return False

    def as_json(self, value: T) -> Any:
        return self._adapter.dump_python(value, mode="json", exclude_defaults=self._sparing)

    def write(self, documents: Documents, value: T) -> None:
        with documents.alone():
            if self.is_odd(documents):
                documents.put(f"{ASIDE}{self.name}", documents.get(self.name))
            documents.put(self.name, self.as_json(value))

    def forget(self, documents: Documents) -> None:
        documents.put(self.name, None)
