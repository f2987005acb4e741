"""Start one release of the editor: `python -m weftwright --release 4.2 [DRAFT]`."""

import argparse

from weftwright.releases import RELEASES


def main() -> None:
    parser = argparse.ArgumentParser(prog="weftwright", description="Edit and weave drafts.")
    parser.add_argument("--release", choices=sorted(RELEASES), default="4.1")
    parser.add_argument("--log", default="weftwright.log", help="where to write what is done")
    parser.add_argument("--tile-margin", help="tiles kept around the view")
    parser.add_argument("draft", nargs="?", help="draft file to open")
    options = parser.parse_args()
    from weftwright.editor import Editor

    release = RELEASES[options.release]()
    if options.tile_margin is not None:
        drawing = release.defaults.setdefault("drawing", {})
        drawing["tile_margin"] = str(int(options.tile_margin))
    Editor(release, options.log).run(options.draft)


if __name__ == "__main__":
    main()
