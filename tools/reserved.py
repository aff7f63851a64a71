"""The words that a formula keeps for itself, as the front end knows them: tools/reserved.py > web/src/shared/reserved.ts."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))

from nexorem.core.model.names import RESERVED


def text() -> str:
    """The module of the front end."""
    words = "\n".join(f"  '{word}'," for word in sorted(RESERVED))
    told = "// Made by tools/reserved.py from the core's own list: names that are one of these stand in quotes."
    return f"{told}\nexport const RESERVED = new Set([\n{words}\n]);\n"


if __name__ == "__main__":
    print(text(), end="")
