"""Fails where a generated file is not what its source makes: the browser's types, the pages of rules and of words. Run
by `make lint`."""

import subprocess
import sys
import tempfile
from pathlib import Path

from scripts import glossary, rules

ROOT = Path(__file__).resolve().parents[1]
TYPES = ROOT / "web" / "src" / "api" / "schema.d.ts"


def types_now() -> str:
    """What the browser's types would be, made anew beside the file that is kept."""
    with tempfile.TemporaryDirectory() as folder:
        document, made = Path(folder) / "openapi.json", Path(folder) / "schema.d.ts"
        document.write_bytes(
            subprocess.run([sys.executable, ROOT / "scripts" / "openapi.py"], check=True, capture_output=True).stdout
        )
        program = ROOT / "web" / "node_modules" / ".bin" / "openapi-typescript"
        subprocess.run([program, document, "-o", made], check=True, capture_output=True, cwd=ROOT / "web")
        return made.read_text()


def main() -> int:
    """0 where all is as generated; 1 with what to run where it is not."""
    kept = {
        TYPES: (types_now, "npm run types (in web)"),
        rules.PAGE: (rules.page, "python -m scripts.rules"),
        glossary.PAGE: (glossary.page, "python -m scripts.glossary"),
    }
    stale = [(file, mend) for file, (now, mend) in kept.items() if file.read_text() != now()]
    for file, mend in stale:
        print(f"{file.relative_to(ROOT)} is not what its source makes: run {mend}.")
    return 1 if stale else 0


if __name__ == "__main__":
    sys.exit(main())
