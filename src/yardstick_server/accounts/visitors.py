"""Whoever is let in without an account: programs with a token, guests with a share link.

They stand where a signed-in person would, so that views need not tell them apart.
"""

from __future__ import annotations

from dataclasses import dataclass

from yardstick_server.accounts.models import ApiToken, ShareLink, Workspace

GUEST = "guest"


@dataclass(frozen=True, slots=True)
class Standing:
    """A visitor's place in a workspace, like a member's."""

    workspace: Workspace
    role: str
    may_change: bool = False


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody without an account. `study` is all that a guest may see; None for programs."""

    name: str
    member: Standing
    study: int | None = None
    is_authenticated: bool = True
    is_active: bool = True

    def get_username(self) -> str:
        return self.name


def program(token: ApiToken) -> Visitor:
    """A program with a token; its scope decides what it may do beyond reading."""
    may_measure = token.scope == ApiToken.MEASURE
    return Visitor(f"token {token.name}", Standing(token.workspace, token.scope, may_measure))


def guest(link: ShareLink) -> Visitor:
    """Somebody who came by a share link: sees one study, changes nothing."""
    return Visitor("guest", Standing(link.study.workspace, GUEST), link.study_id)
