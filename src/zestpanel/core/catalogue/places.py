"""The places of a connector file, {text} and the like, as they are written."""

from __future__ import annotations

import re
from typing import Final

PLACE: Final = re.compile(r"(?<![{$])\{([A-Za-z][A-Za-z0-9_]*)\}(?!\})")
DOUBLED: Final = re.compile(r"\{\{([A-Za-z][A-Za-z0-9_]*)\}\}")  # a pair of braces that is meant as it stands
HOLDS_KEY: Final = re.compile(r"\{(secret|secret_base64|token)\}")
