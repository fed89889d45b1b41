"""The project a verb works on."""

from __future__ import annotations

import argparse
import contextlib
import sys
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from zestpanel.core.errors import ProjectError, ZestError
from zestpanel.verbs.terminal import say

if TYPE_CHECKING:  # loaded with the first project that is opened: --help must not wait for it
    from zestpanel.core.store.project import Project

Output = dict[str, Any]


@contextlib.contextmanager
def opened(options: argparse.Namespace) -> Iterator[Project]:
    """The project that the options name, closed again whatever happens. Raises InputError where there is none."""
    from zestpanel.core.store.project import Project

    project = Project.open(options.project)
    if project.was_odd is not None:
        say(f"zestpanel: {project.was_odd.says(project.folder.name)}", sys.stderr)
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
