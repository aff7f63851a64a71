"""Whether the front end's types are those that the server's OpenAPI document gives, and its reserved words the core's."""

import subprocess
import sys
import tempfile
from pathlib import Path

from functions_page import page

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    """0 when they are the same."""
    described = subprocess.run([sys.executable, str(ROOT / "tools" / "openapi.py")], capture_output=True, text=True, check=True).stdout
    words = subprocess.run([sys.executable, str(ROOT / "tools" / "reserved.py")], capture_output=True, text=True, check=True).stdout
    if words != (ROOT / "web" / "src" / "shared" / "reserved.ts").read_text(encoding="utf-8"):
        print("web/src/shared/reserved.ts is not the core's list: run tools/reserved.py > web/src/shared/reserved.ts")
        return 1
    functions = ROOT / "docs" / "functions.md"
    if page() != functions.read_text(encoding="utf-8"):
        print("docs/functions.md is not what the registries say: run tools/functions_page.py")
        return 1
    committed = ROOT / "web" / "types" / "openapi.json"
    if described != committed.read_text(encoding="utf-8"):
        print("web/types/openapi.json is not what the server describes: run tools/openapi.py > web/types/openapi.json")
        return 1
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "generated.d.ts"
        subprocess.run(
            ["npx", "--no-install", "openapi-typescript", "openapi.json", "-o", str(made)],
            cwd=committed.parent,
            capture_output=True,
            check=True,
        )
        if made.read_text(encoding="utf-8") != (ROOT / "web" / "src" / "api" / "generated.d.ts").read_text(encoding="utf-8"):
            print("web/src/api/generated.d.ts is not what openapi.json gives: run npm run generate in web/types")
            return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
