"""Whether a project is whole, and putting it right."""

from __future__ import annotations

import argparse

from zestpanel.core.errors import ProjectError
from zestpanel.verbs.opening import Output


def check(options: argparse.Namespace) -> Output:
    """List what is damaged; put right what can be, or take the copy from before the last migration, where asked to."""
    from zestpanel.core.store.checking import damage_in, from_backup, repair
    from zestpanel.core.store.opening import refuse_links

    folder = options.project
    if not folder.is_dir():
        raise ProjectError(f"There is no project at {folder}.", remedy="Check the name.")
    refuse_links(folder)
    if options.from_backup:
        copy, aside = from_backup(folder)
        return {"lines": [f"{copy.name} is in place; the database before it is kept as {aside.name}."]}
    found = damage_in(folder)
    if not found:
        return {"damage": [], "lines": [f"{folder.name} is whole."]}
    lines = [str(one) for one in found]
    if not options.repair:
        return {"damage": lines, "failed": len(lines), "lines": [*lines, "--repair puts right what can be; the damaged "
                                                                 "database is kept."]}  # fmt: skip
    done = repair(folder)
    lines = [f"mended: {one}" for one in done.mended] + [f"left out: {one}" for one in done.left_out]
    lines.append(f"{done.kept:,} rows kept; the damaged database is kept as {done.aside.name}.")
    return {"kept": done.kept, "lines": lines}
