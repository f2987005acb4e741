"""What a rig is asked to do, as it crosses the border between server and agent, and within the rig.

The server makes an `Assignment`; the agent looks up what it starts and writes a `LocalAssignment`
into the run's folder, which the process that measures reads.
"""

from __future__ import annotations

from typing import Any, NotRequired, TypedDict


class NamedFixture(TypedDict):
    """A file that the session works on: fetched by its digest."""

    name: str
    sha256: str
    size: int


class Confirmed(TypedDict):
    """What a person has seen to on the rig, who, and when (ISO 8601)."""

    text: str
    by: str
    at: NotRequired[str]


class Session(TypedDict):
    """What every playing of a session needs, measured or not.

    `values` fill the script's ladder, `tags` are the variant's, `settings` the subject's declared
    settings files.
    """

    title: NotRequired[str]
    script: str
    tags: NotRequired[list[str]]
    values: NotRequired[dict[str, str]]
    fixtures: NotRequired[list[NamedFixture]]
    confirmed: NotRequired[list[Confirmed]]
    settings: NotRequired[list[dict[str, Any]]]
    state: NotRequired[str]
    watch: NotRequired[str]
    background_cpu_limit: NotRequired[float]


class Assignment(Session):
    """A run, or a rehearsal where that number is given; `program` is a name that the rig knows."""

    run: NotRequired[int]
    rehearsal: NotRequired[int]
    kind: NotRequired[str]
    step_by_step: NotRequired[bool]
    pictures: NotRequired[bool]
    film: NotRequired[bool]
    program: str


class LocalAssignment(Session):
    """The same on the rig: `program` is what is started, the rest what the rig's file says."""

    run: NotRequired[int]
    rehearsal: NotRequired[int]
    kind: NotRequired[str]
    step_by_step: NotRequired[bool]
    pictures: NotRequired[bool]
    film: NotRequired[bool]
    program: dict[str, Any]
    display: NotRequired[str]
    packages: NotRequired[list[str]]
    session_user: NotRequired[str]
    counters: NotRequired[list[dict[str, Any]]]
    sensors: NotRequired[str]
    restart: NotRequired[dict[str, Any]]
