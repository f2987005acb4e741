"""Processes that must not outlive the one that started them, however that one ends."""

from __future__ import annotations

import shutil


def ending_with_us(command: list[str]) -> list[str]:
    """The command so that the kernel ends it with SIGTERM when its parent is gone.

    Without the tool for it (util-linux) the command is left as it is.
    """
    tool = shutil.which("setpriv")
    return [tool, "--pdeathsig", "TERM", "--", *command] if tool else command
