"""The project a verb works on."""

from __future__ import annotations

import argparse
import contextlib
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from zestpanel.core.errors import ProjectError, ZestError

if TYPE_CHECKING:  # loaded with the first project that is opened: --help must not wait for it
    from zestpanel.core.store.project import Project

Output = dict[str, Any]


@contextlib.contextmanager
def opened(options: argparse.Namespace) -> Iterator[Project]:
    """The project that the options name, closed again whatever happens. Raises InputError where there is none."""
    from zestpanel.core.store.project import Project

    project = Project.open(options.project)
    try:
        yield project
    except ZestError:
        raise
    except Exception as error:
        # what nobody foresaw, in a project that may be damaged: then the row is named
        from zestpanel.core.store.checking import first_damage

        if not (what := first_damage(options.project)):
            raise
        raise ProjectError(
            f"{options.project.name} is damaged: {what}.", kept="Nothing was changed.",
            remedy=f"zestpanel check {options.project} lists all of it, and --repair puts right what can be.",
        ) from error  # fmt: skip
    finally:
        project.close()
