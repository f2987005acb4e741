"""What a report is written from: the study as others of our parts have judged and kept it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypedDict

from yardstick_core.report.document import CurvesBlock, LanesBlock

Json = Mapping[str, Any]


class RunCount(TypedDict):
    """How the runs of a study ended: by variant, warm ones that count, cold ones, others."""

    counted: list[int]
    cold: int
    control: int
    failed: list[str]
    left_out: list[str]
    brought_in: int
    by_hand: int


class Found(TypedDict):
    """A finding: what a person noted of a run, its picture (base64 of a PNG) or nothing, and its
    clip (base64 of an MP4) of so many seconds or nothing."""

    variant: int
    run: int
    at: str
    kind: str
    text: str
    by: str
    picture: str
    clip: str
    clip_s: float


class Work(TypedDict):
    """What the session works on: its script, the facts it states, its files and their digests."""

    title: str
    text: str
    version: int
    sha256: str
    steps: list[str]
    facts: list[tuple[str, str]]
    files: list[tuple[str, str]]
    #: Whether every run was brought in: then no script was played, and files are where from.
    elsewhere: bool


class Content(TypedDict):
    """`board` and `decision` are bodies of the API of the same names; `match` holds what was not
    alike, what was asked for, what drifted and what sampling costs."""

    question: str
    why: str
    asked_on: str
    subject: str
    maker: str
    factor: str
    measured: str
    rig: str
    demonstration: bool
    rounds: int
    #: The same in words, with the runs that were brought in.
    extent: str
    board: Json
    decision: Json
    match: Json
    runs: RunCount
    findings: list[Found]
    work: Work
    machine: list[tuple[str, str]]
    #: The table of its set of sessions, and its crossed factors, as the pages have them.
    session_table: Json | None
    crossing: Json | None
    works_pictures: dict[int, str]
    #: Jobs that persons kept, as they come out now.
    jobs: Sequence[Json]
    curves: list[CurvesBlock]
    lanes: list[LanesBlock]
    plan: str
