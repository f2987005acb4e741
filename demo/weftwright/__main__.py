"""Start one release of the editor: `python -m weftwright --release 4.2 [DRAFT]`."""

import argparse

from weftwright.releases import RELEASES


def main() -> None:
    parser = argparse.ArgumentParser(prog="weftwright", description="Edit and weave drafts.")
    parser.add_argument("--release", choices=sorted(RELEASES), default="4.1")
    parser.add_argument("--log", default="weftwright.log", help="where to write what is done")
    parser.add_argument("draft", nargs="?", help="draft file to open")
    options = parser.parse_args()
    from weftwright.editor import Editor

    Editor(RELEASES[options.release](), options.log).run(options.draft)


if __name__ == "__main__":
    main()
