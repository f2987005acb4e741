"""Whoever is let in without an account: programs with a token, guests with a share link.

They stand where a signed-in person would, so that views need not tell them apart.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from yardstick_server.accounts.models import ApiToken, ShareLink, Workspace

GUEST = "guest"
#: What a guest reads in place of a member's name, and which fields hold one alone.
A_MEMBER = "a member"
WHO = ("by", "left_out_by", "who", "settled_by")


@dataclass(frozen=True, slots=True)
class Membership:
    """A visitor's place in a workspace, like a member's."""

    workspace: Workspace
    role: str
    may_change: bool = False


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody without an account. `study` is all that a guest may see; None for programs."""

    name: str
    member: Membership
    study: int | None = None
    sees_names: bool = True
    is_authenticated: bool = True
    is_active: bool = True

    def get_username(self) -> str:
        return self.name


def program(token: ApiToken) -> Visitor:
    """A program with a token; its scope decides what it may do beyond reading."""
    may_measure = token.scope == ApiToken.MEASURE
    return Visitor(f"token {token.name}", Membership(token.workspace, token.scope, may_measure))


def guest(link: ShareLink) -> Visitor:
    """Somebody who came by a share link: sees one study, changes nothing."""
    return Visitor(
        "guest", Membership(link.study.workspace, GUEST), link.study_id, sees_names=link.names
    )


def without_names(data: Any, names: Collection[str]) -> Any:
    """What is shown, with a member's name replaced wherever it says who did something."""
    if isinstance(data, dict):
        return {
            key: A_MEMBER if key in WHO and value in names else without_names(value, names)
            for key, value in data.items()
        }
    if isinstance(data, (list, tuple)):
        return [without_names(one, names) for one in data]
    if isinstance(data, str):
        for name in names:
            if name in data:
                data = re.sub(rf"(\bby |[(]){re.escape(name)}(?!\w)", rf"\1{A_MEMBER}", data)
    return data
