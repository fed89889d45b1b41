"""Documents that are written from the code: tables of methods, the schemas, the manual page.

python -m tests.documents     writes all of them anew
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path

from zestpanel.core.evidence import registry as figures
from zestpanel.core.measures import registry as measures
from zestpanel.core.measures.families import faults
from zestpanel.core.production.schemas import schemas

DOCS = Path(__file__).resolve().parent.parent / "docs"
BETWEEN = "<!-- {name}: written by the registry -->\n{table}\n<!-- end of {name} -->"


def methods() -> str:
    """docs/methods.md, its tables anew."""
    text = (DOCS / "methods.md").read_text("utf-8")
    for name, table in (
        ("measures", measures.as_table()),
        ("faults", faults.as_table()),
        ("figures", figures.as_table()),
    ):
        begin, end = f"<!-- {name}: written by the registry -->", f"<!-- end of {name} -->"
        assert begin in text, name
        text = re.sub(f"{begin}.*?{end}", lambda _: BETWEEN.format(name=name, table=table), text, flags=re.DOTALL)  # noqa: B023 at once
    return text


def manual() -> str:
    done = subprocess.run([sys.executable, "-m", "zestpanel", "man"], capture_output=True, text=True, check=True)
    return done.stdout


def all_of_them() -> Mapping[Path, str]:
    """What each is to hold."""
    found = {DOCS / "methods.md": methods(), DOCS / "zestpanel.1": manual()}
    for name, schema in schemas().items():
        found[DOCS / "schema" / name] = json.dumps(schema, indent=1, ensure_ascii=False) + "\n"
    return found


if __name__ == "__main__":
    for path, text in all_of_them().items():
        path.write_text(text, encoding="utf-8")
        print(path)
