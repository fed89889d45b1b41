"""The environment: what a connector file may read of it, and what a program is given of it."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping
from typing import Final

from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr

_NAME: Final = re.compile(r"\$\{([A-Za-z_][A-Za-z0-9_]*)\}")
# what a file may name: variables made for this program (not its keys), and where the person's own things are
_MADE_FOR_FILES: Final = re.compile(r"ZEST_(?!SECRET_)[A-Za-z0-9_]+|HOME|TMPDIR|XDG_(CONFIG|DATA|CACHE|STATE)_HOME")
# what every program gets: where it finds other programs, its own files, its language and the graphics processor
_PASSED: Final = re.compile(
    r"PATH|HOME|USER|LOGNAME|SHELL|TZ|TMPDIR|LANG|LANGUAGE|LC_[A-Z]+|XDG_[A-Z_]+|LD_LIBRARY_PATH|PYTHONPATH"
    r"|PYTHONHASHSEED|OMP_[A-Z_]+|MKL_[A-Z_]+|OPENBLAS_[A-Z_]+|CUDA_[A-Z_]+|ROCR_[A-Z_]+|HIP_[A-Z_]+"
    r"|ZEST_(?!SECRET_)[A-Z0-9_]+"
)


def may_be_read(name: str) -> bool:
    """Whether a connector file may name a variable: a file from elsewhere is not to read keys and send them on."""
    return _MADE_FOR_FILES.fullmatch(name) is not None


def expand_environment(text: str) -> str:
    """Replace ${NAME} by the environment's value.

    Raises SynthesisFailure: 'unreachable' when it is not set, 'refused' for a variable that files may not read.
    """

    def value(match: re.Match[str]) -> str:
        name = match.group(1)
        if not may_be_read(name):
            raise SynthesisFailure(
                "refused",
                tr(
                    "The connector file reads the variable {name} of the environment, which is not made for "
                    "it. Nothing was sent. Call it ZEST_{name2} in both places if it is meant.",
                    name=name,
                    name2=name,
                ),
            )
        found = os.environ.get(name)
        if found is None:
            raise SynthesisFailure(
                "unreachable", tr("The variable {name} of the connector file is not set.", name=name)
            )
        return found

    return _NAME.sub(value, text)


def for_programs(extra: Mapping[str, str]) -> dict[str, str]:
    """The environment of a program: a short list of variables, none of them a key, and those its file states."""
    return {name: value for name, value in os.environ.items() if _PASSED.fullmatch(name)} | dict(extra)
