"""The user whose rights the programs of a run have, where the agent itself has all of them.

An agent that runs as root plays sessions that testers wrote. Their programs, the display and the
bus then belong to a user of their own, who may read and write the run's folders and little else.
"""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from yardstick_core.assignment import LocalAssignment


class NoSuchUser(RuntimeError):
    """The rig's file names a user that cannot be used; the message says why."""


@dataclass(frozen=True, slots=True)
class SessionUser:
    """Whom the programs of a run are started as; `name` is empty where it is the agent's own."""

    name: str = ""
    uid: int = -1
    gid: int = -1

    @classmethod
    def named(cls, name: str) -> SessionUser:
        """The user of a name; nobody in particular for none, and where the agent is not root.

        Raises NoSuchUser where the machine has none of that name.
        """
        if not name or os.geteuid() != 0:
            return cls()
        try:
            found = pwd.getpwnam(name)
        except KeyError:
            raise NoSuchUser(
                f"the session user “{name}” of the rig's file does not exist"
            ) from None
        if found.pw_uid == 0:
            raise NoSuchUser(f"the session user “{name}” is root under another name")
        return cls(name, found.pw_uid, found.pw_gid)

    @property
    def popen(self) -> dict[str, Any]:
        """What a process is started with to be this user's, without any further group."""
        if not self.name:
            return {}
        return {"user": self.uid, "group": self.gid, "extra_groups": [], "umask": 0o077}

    @property
    def told(self) -> dict[str, str]:
        return {"USER": self.name, "LOGNAME": self.name} if self.name else {}

    def give(self, *places: Path) -> None:
        """Make files and folders, with all that is below them, this user's; links stay links."""
        if not self.name:
            return
        for place in places:
            for folder, folders, files in os.walk(place):
                for name in (".", *folders, *files):
                    os.chown(os.path.join(folder, name), self.uid, self.gid, follow_symlinks=False)
            if not place.is_dir():
                os.chown(place, self.uid, self.gid, follow_symlinks=False)

    def let_through(self, folder: Path, top: Path) -> None:
        """Let it go through the folders from `top` down to `folder`, and look into none of them."""
        if not self.name:
            return
        for place in (folder, *folder.parents):
            place.chmod(place.stat().st_mode & 0o7777 | 0o011)
            if place == top:
                return


#: Programs have the rights of the agent itself.
AGENTS_OWN = SessionUser()


def user_of_session(run: Path, assignment: LocalAssignment) -> SessionUser:
    """Whom the programs of an assignment are started as; its folder of work is made theirs.

    A program that needs the display or the home of a person runs as that person does. Raises
    NoSuchUser.
    """
    if assignment.get("display") or assignment["program"].get("home") == "real":
        return SessionUser()
    user = SessionUser.named(str(assignment.get("session_user") or ""))
    user.give(run / "work")
    return user


def unreachable(name: str, places: Iterable[Path]) -> list[Path]:
    """Of files and folders those that a user cannot read, whatever of the way there is closed."""
    tool = shutil.which("runuser")
    if tool is None:
        return list(places)
    return [
        place
        for place in places
        if subprocess.run(
            [tool, "-u", name, "--", "test", "-r", str(place)], capture_output=True
        ).returncode
    ]
