"""The project a verb works on."""

from __future__ import annotations

import argparse
import contextlib
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:  # loaded with the first project that is opened: --help must not wait for it
    from zestpanel.core.project.project import Project

Output = dict[str, Any]


@contextlib.contextmanager
def opened(options: argparse.Namespace) -> Iterator[Project]:
    """The project that the options name, closed again whatever happens. Raises InputError where there is none."""
    from zestpanel.core.project.project import Project

    project = Project.open(options.project)
    try:
        yield project
    finally:
        project.close()
