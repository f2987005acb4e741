"""`python -m yardstick_core.formats FILE …`: is each a bundle, and is all of it whole?"""

from __future__ import annotations

import sys
from pathlib import Path

from yardstick_core.formats.bundle import Bundle, BundleError


def main(files: list[str]) -> int:
    """Check bundles; 1 where any is broken, foreign or damaged."""
    broken = 0
    for file in files:
        try:
            with Bundle(Path(file)) as opened:
                opened.check()
                about = opened.manifest
        except BundleError as error:
            broken += 1
            print(f"{file}: {error}")
        else:
            print(
                f"{file}: “{about.question}”, {about.runs} runs, made {about.made} by core "
                f"{about.core_version}; all {len(about.files)} files are whole"
            )
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
