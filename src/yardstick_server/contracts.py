"""Bodies of the API as types, made from its serializers: `./yardstick check --write`."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NotRequired, TypedDict


class AddedSession(TypedDict):
    study: int


class Advice(TypedDict):
    id: int
    profile: str
    about: str
    recommendation: str
    variants: Sequence[int]
    sentence: str
    reasons: Sequence[AdviceReason]
    scores: Sequence[Score]


class AdviceReason(TypedDict):
    text: str
    metric: str
    stretch: Sequence[str]


class Alignment(TypedDict):
    code: str
    words: str


class Answer(TypedDict):
    candidate: int
    metric: str
    stretch: Sequence[str]
    verdict: str
    lead: str
    subject: str
    change: str
    detail: str
    why: str
    rounds_to_decide: NotRequired[int | None]
    futility: NotRequired[str]
    text: str


class AnswerOnRule(TypedDict):
    candidate: int
    metric: str
    stretch: Sequence[str]
    verdict: str
    lead: str
    subject: str
    change: str
    detail: str
    why: str
    rounds_to_decide: NotRequired[int | None]
    futility: NotRequired[str]
    text: str
    before: Before | None
    gain: float | None
    gain_low: float | None
    gain_high: float | None
    band: float | None


class Application(TypedDict):
    id: str
    name: str
    command: Sequence[str]
    icon: str
    package: str
    version: str


class Applications(TypedDict):
    rig: str
    programs_from: str
    applications: Sequence[Application]


class Assignment(TypedDict):
    run: int
    title: str
    script: str
    program: str
    tags: Sequence[str]
    values: dict[str, Any]
    watch: str
    film: bool
    background_cpu_limit: float
    settings: Sequence[dict[str, Any]]
    confirmed: Sequence[RigConfirmed]
    fixtures: Sequence[ProgramFixture]
    state: str


class Audit(TypedDict):
    id: int
    at: datetime | str
    who: str
    what: str
    study: int | None
    sent: dict[str, Any]


class Before(TypedDict):
    verdict: str
    until: datetime | str


class Board(TypedDict):
    headline: str
    answers: Sequence[Answer]
    families: Sequence[FamilyCount]
    variants: Sequence[str]
    baseline: int
    level: str
    notes: Sequence[Sentence]
    judged_after: NotRequired[int | None]
    growing: Sequence[Growing]
    ladders: Sequence[LadderReading]
    rows: Sequence[Row]


class Breakdown(TypedDict):
    stretch: Sequence[str]
    metric: str
    label: str
    candidate: int
    higher_is_better: bool
    change: float
    text: str
    parts: Sequence[Part]


class BuildStart(TypedDict):
    program: str
    command: str
    proposed: str
    rig: str
    on_rig: StartState


class Bundle(TypedDict):
    id: int
    study: int | None
    way: str
    name: str
    by: str
    created: datetime | str
    state: str
    problem: str
    done: int
    total: int
    size: int
    differs: Sequence[str]
    core_version: str


class ByHand(TypedDict):
    steps: Sequence[HandStep]
    turn: Turn
    done: Sequence[RunSummary]


class Change(TypedDict):
    own: str
    percent: str
    times: str
    better: bool | None


class Changed(TypedDict):
    name: str
    grade: str
    before: str
    now: str


class ChangedAt(TypedDict):
    before_run: int
    after_run: int
    before_round: int
    after_round: int
    before: str
    after: str


class ChangedFact(TypedDict):
    name: str
    before: str
    after: str


class ChunkKept(TypedDict):
    kept: bool
    samples: int


class ChunksKept(TypedDict):
    kept: int
    known: int


class Claim(TypedDict):
    variant: int
    stretch: Sequence[str]
    metric: str
    side: str
    amount: float
    source: NotRequired[str]
    id: int
    after: int
    judgement: str
    statement: str
    because: Sentence


class Claimable(TypedDict):
    stretch: Sequence[str]
    metric: str
    name: str
    unit: str
    in_percent: bool


class Column(TypedDict):
    name: str
    role: str
    unit: str


class ComingRound(TypedDict):
    number: int
    cold: bool
    order: Sequence[int]


class Conditions(TypedDict):
    preconditions: NotRequired[Sequence[Precondition]]
    settings: NotRequired[dict[str, Any] | None]
    settings_after: NotRequired[dict[str, Any] | None]
    settings_made: NotRequired[bool]
    work: NotRequired[dict[str, int]]


class Confirmation(TypedDict):
    text: str
    by: str
    at: datetime | str


class Counter(TypedDict):
    at_s: Sequence[float]
    low: Sequence[float]
    high: Sequence[float]
    mean: Sequence[float]
    every: bool
    unit: str


class CrossedCell(TypedDict):
    row: int
    column: int
    position: int | None
    variant: str
    state: str
    note: str
    by: str
    run: int | None
    picture: bool


class CrossedEffect(TypedDict):
    gain: float | None
    low: float | None
    high: float | None
    text: str
    from_cell: Sequence[int]
    to_cell: Sequence[int]
    verdict: str


class CrossedGain(TypedDict):
    gain: float | None
    low: float | None
    high: float | None
    text: str


class CrossedInteraction(TypedDict):
    gain: float | None
    low: float | None
    high: float | None
    text: str
    row: int
    base_row: int
    column: int
    base_column: int
    verdict: str
    rounds: int | None


class CrossedMetric(TypedDict):
    metric: str
    stretch: Sequence[str]
    label: str
    deciding: bool
    steps: Sequence[CrossedStep]


class CrossedReading(TypedDict):
    row: int
    column: int
    text: str
    withheld: bool
    samples: Sequence[CrossedSample]


class CrossedSample(TypedDict):
    run: int
    round: int
    value: float


class CrossedStep(TypedDict):
    column: int
    answer: str
    rounds: int | None
    interactions: Sequence[CrossedInteraction]
    effects: Sequence[CrossedEffect]
    number: CrossedGain | None
    sentence: str


class CrossedWhole(TypedDict):
    metric: str
    stretch: Sequence[str]
    label: str
    deciding: bool
    steps: Sequence[CrossedStep]
    unit: str
    higher_is_better: bool
    readings: Sequence[CrossedReading]
    along_columns: Sequence[CrossedEffect]
    along_rows: Sequence[CrossedEffect]
    missing: Sequence[Sequence[int]]


class Crossing(TypedDict):
    factor: str
    second_factor: str
    baseline: int
    band: float
    variants: Sequence[CrossingVariant]
    missing: Sequence[MissingCell]
    rows: Sequence[str]
    columns: Sequence[str]
    base: Sequence[int] | None
    cells: Sequence[CrossedCell]
    metrics: Sequence[CrossedMetric]
    chosen: CrossedWhole | None


class CrossingVariant(TypedDict):
    position: int
    name: NotRequired[str]
    first: str
    second: str
    works: NotRequired[str]
    note: NotRequired[str]


class Curve(TypedDict):
    variant: int
    runs: int
    ms: Sequence[float]


class Decision(TypedDict):
    headline: str
    variants: Sequence[str]
    baseline: int
    level: str
    rounds: int
    extent: str
    notes: Sequence[Sentence]
    advice: Sequence[Advice]
    places: Sequence[PlaceRow]
    standings: Sequence[RankEntry]
    breakdowns: Sequence[Breakdown]
    trade_offs: Sequence[TradeOff]
    unsettled: Sequence[Unsettled]
    claims: Sequence[Claim]
    over_sessions: Sequence[OverSessions]
    growing: Sequence[str]


class Delivery(TypedDict):
    event: str
    created: datetime | str
    state: str
    attempts: int
    answer: str


class Difference(TypedDict):
    verdict: str
    baseline_runs: int
    candidate_runs: int
    gain: float | None
    gain_low: float | None
    gain_high: float | None
    band: float | None
    ratio: float | None
    p: float | None
    method: str
    change_text: str
    percent_text: str
    factor_text: str
    interval_text: str
    range_text: str
    excluded_runs: Sequence[Sequence[Any]]
    caveats: Sequence[Sentence]
    runs_to_decide: int | None
    undecided: str
    verdict_withheld: bool


class Distribution(TypedDict):
    shares: Sequence[float]
    curves: Sequence[Curve]


class Drift(TypedDict):
    stretch: Sequence[str]
    metric: str
    name: str
    unit: str
    in_percent: bool
    change: float
    p: float
    drifts: bool
    text: str
    points: Sequence[DriftPoint]


class DriftPoint(TypedDict):
    round: int
    variant: int
    value: float


class Errand(TypedDict):
    id: int
    kind: str
    state: str
    detail: str
    answer: dict[str, Any]


class ErrandAssignment(TypedDict):
    errand: int
    kind: str
    body: dict[str, Any]
    by: str


class FailedRun(TypedDict):
    run: int
    study: int
    question: str
    variant: int
    variant_name: str
    rig: str
    outcome: str
    detail: str
    ended: datetime | str
    repeated_by: int | None


class FamilyCount(TypedDict):
    variant: int
    family: str
    ahead: int
    behind: int
    level: int
    open: int


class Figure(TypedDict):
    key: str
    title: str


class Film(TypedDict):
    state: str
    problem: str
    began_s: float
    seconds: float
    width: int
    height: int
    frames: int
    size: int


class FilmBurst(TypedDict):
    first: int
    last: int


class FilmBytes(TypedDict):
    held: int


class FilmCourse(TypedDict):
    at_s: Sequence[float]
    new: Sequence[int]
    share: Sequence[float]
    bursts: Sequence[FilmBurst]


class FilmDrift(TypedDict):
    first: str
    second: str
    pairs: int
    unmatched_first: Sequence[float]
    unmatched_second: Sequence[float]
    known: bool
    offset_s: float | None
    offset_low_s: float | None
    offset_high_s: float | None
    drift_ms_a_minute: float | None
    drift_low: float | None
    drift_high: float | None


class FilmMark(TypedDict):
    path: Sequence[str]
    start: int | None
    end: int | None
    region: NotRequired[FootageRegion | None]


class FilmTiming(TypedDict):
    path: Sequence[str]
    start_s: float
    end_s: float
    plus_minus_s: float
    frames: int | None
    rate: float | None
    rate_plus_minus: float | None


class Filming(TypedDict):
    runs: Sequence[int]


class FilmingCost(TypedDict):
    name: str
    filmed_s: float
    shortest_s: float
    longest_s: float
    runs: int


class Finding(TypedDict):
    id: int
    run: int
    at_s: float
    until_s: float | None
    kind: str
    text: str
    by: str
    created: datetime | str
    withdrawn: bool
    picture: bool
    clip: str
    clip_problem: str


class FirstInput(TypedDict):
    at_s: float
    what: str


class Fixture(TypedDict):
    id: int
    name: str
    sha256: str
    size: int
    used_by: Sequence[UserOfFixture]


class Footage(TypedDict):
    id: int
    study: int
    variant: int
    run: int | None
    name: str
    size: int
    by: str
    created: datetime | str
    state: str
    problem: str
    done_s: float
    facts: dict[str, Any]
    regions: Sequence[FootageRegion]
    marks: Sequence[FilmMark]
    timings: Sequence[FilmTiming]


class FootageRegion(TypedDict):
    name: str
    x: int
    y: int
    width: int
    height: int


class Found(TypedDict):
    value: str
    runs: int


class Gaps(TypedDict):
    start_s: Sequence[float]
    end_s: Sequence[float]


class Gate(TypedDict):
    id: int
    study: int
    asked_of: int
    build: str
    baseline: str
    by: str
    at: datetime | str
    ended: datetime | str | None
    state: str
    runs_done: int
    runs_total: int
    outcome: str
    exit: int | None
    why: str
    tolerance: float
    rows: Sequence[GateRow]
    link: str
    false_failures_a_year: float
    builds_of_month: int


class GateRow(TypedDict):
    metric: str
    stretch: Sequence[str]
    label: str
    deciding: bool
    standing: str
    change_text: str
    why: str
    smallest: float | None
    smallest_text: str


class Growing(TypedDict):
    stretch: Sequence[str]
    variant: int
    kind: str
    text: str


class HandStep(TypedDict):
    name: str
    path: Sequence[str]


class HeartbeatAnswer(TypedDict):
    abort: bool
    again_s: float


class InputPoints(TypedDict):
    count: int
    at_s: Sequence[float]
    what: Sequence[str]
    late_ms: Sequence[float]


class Invitation(TypedDict):
    name: str
    token: str
    command: str


class InvitationLine(TypedDict):
    id: int
    whom: str
    role: str
    by: str
    created: datetime | str
    expires: datetime | str
    used_by: str


class Invited(TypedDict):
    workspace: str
    role: str
    by: str
    whom: str


class IssuedPage(TypedDict):
    report: IssuedReport
    html: str
    style: str


class IssuedReport(TypedDict):
    number: int
    at: datetime | str
    by: str
    digest: str
    rounds: int
    withdrawn: datetime | str | None
    withdrawn_by: str
    withdrawn_reason: str


class Job(TypedDict):
    candidate: int
    metric: NotRequired[str]
    period: NotRequired[str]
    kinds: Sequence[JobKind]
    whole: NotRequired[float]
    threshold: NotRequired[float]


class JobAnswer(TypedDict):
    sentence: str
    unit: str
    change: float
    low: float
    high: float
    before: float
    before_text: str
    share: float | None
    share_low: float | None
    share_high: float | None
    sure: bool
    assumptions: Sequence[str]
    matters_from: float | None


class JobKind(TypedDict):
    name: str
    sessions: Sequence[int]
    items: float
    affected: NotRequired[float]


class JudgedLimit(TypedDict):
    metric: str
    stretch: Sequence[str]
    state: str
    text: str


class Kept(TypedDict):
    kept: bool


class KeptFilm(TypedDict):
    run: int


class KeptJob(TypedDict):
    id: int
    job: Job
    by: str
    at: datetime | str
    answer: JobAnswer | None
    problem: str


class KeptMapping(TypedDict):
    name: str
    mapping: Mapping


class KeptNumbers(TypedDict):
    runs: Sequence[int]


class KeptPicture(TypedDict):
    name: str
    what: str
    at_s: float


class KeptPrecondition(TypedDict):
    what: str
    passed: int
    ticked: int
    failed: int
    by: Sequence[str]


class Knot(TypedDict):
    at_s: float
    base_s: float


class KnownFact(TypedDict):
    name: str
    value: str


class LadderReading(TypedDict):
    kind: str
    stretch: Sequence[str]
    ladder: str
    levels: Sequence[float]
    medians: Sequence[Sequence[float | None]]
    sentences: Sequence[str]
    line: float | None


class Lap(TypedDict):
    start_s: float
    end_s: float
    curve_mib: Sequence[float]
    crest_mib: float
    trough_mib: float


class Laps(TypedDict):
    laps: Sequence[Lap]
    outlook: Outlook | None


class LargeFilm(TypedDict):
    run: int
    study: str
    variant: str
    bytes: int


class LatestRun(TypedDict):
    id: int
    study: int
    question: str
    variant: int
    variant_name: str
    baseline: int
    rig: NotRequired[str]
    state: str
    outcome: str
    started: datetime | str | None
    ended: datetime | str | None


class Limit(TypedDict):
    metric: str
    stretch: Sequence[str]
    tolerance: NotRequired[float | None]


class Line(TypedDict):
    metric: str
    name: str
    definition: str
    higher_is_better: bool
    values: Sequence[float | None]
    text: Sequence[str]
    changes: Sequence[Change | None]


class LineChange(TypedDict):
    release: int
    earliest: int
    latest: int
    gain: float
    low: float
    high: float
    since: str
    text: str
    better: bool


class LineInShort(TypedDict):
    key: str
    title: str
    rigs: Sequence[str]
    studies: int
    releases: int


class LineNext(TypedDict):
    release: int
    again: bool
    why: str


class LinePoint(TypedDict):
    release: int
    gain: float
    low: float
    high: float
    level: float
    reading: float
    text: str
    sessions: int


class LineRelease(TypedDict):
    name: str
    measured: bool


class LineSession(TypedDict):
    study: int
    question: str
    when: datetime | str | None
    releases: Sequence[int]


class LineSessionMade(TypedDict):
    study: int


class Link(TypedDict):
    link: str


class Log(TypedDict):
    id: int
    study: int
    name: str
    size: int
    state: str
    problem: str
    mapping: Mapping
    doubts: Sequence[str]
    rows: Sequence[Sequence[str]]
    summary: dict[str, Any]
    created: datetime | str


class Look(TypedDict):
    rounds: int
    open: int
    of: int
    names: NotRequired[Sequence[str]]
    at: datetime | str


class MadeToken(TypedDict):
    token: str


class MadeWebhook(TypedDict):
    secret: str


class Mapping(TypedDict):
    kind: str
    columns: Sequence[Column]
    separator: str
    decimal: str
    header: int
    frames: str
    markers: str
    cores: int
    encoding: str
    durations: NotRequired[str]
    every_s: NotRequired[float]
    record: NotRequired[bool]


class Mark(TypedDict):
    at_s: float
    name: str


class Match(TypedDict):
    status: ParityStatus
    mismatches: Sequence[Mismatch]
    unknown: Sequence[str]
    alike: Sequence[str]
    unread: Sequence[Unread]
    outlived: Sequence[Waiver]
    preconditions: Sequence[KeptPrecondition]
    drift: Sequence[Drift]
    watching: Watching
    today: Today | None


class MeasuredByRig(TypedDict):
    rig: str
    runs: int


class Median(TypedDict):
    value: float
    text: str


class Member(TypedDict):
    id: int
    name: str
    role: str
    last_seen: datetime | str | None
    taken_out: bool


class MetricLine(TypedDict):
    metric: str
    stretch: Sequence[str]
    label: str
    unit: str
    deciding: bool
    primary: bool
    on_logs: bool
    anchor: int
    headline: str
    largest: float
    points: Sequence[LinePoint]
    changes: Sequence[LineChange]
    apart: Sequence[str]
    withheld: Sequence[str]
    next: LineNext | None
    noise: float | None


class Mismatch(TypedDict):
    identity: str
    key: str
    name: str
    kind: str
    grade: str
    values: Sequence[Sequence[Found]]
    caused: str
    text: str
    candidates: Sequence[int]
    families: Sequence[str]
    places: Sequence[ChangedAt]
    is_factor: bool
    waived: Waiver | None


class MissingCell(TypedDict):
    first: str
    second: str
    note: str


class NamedPlace(TypedDict):
    metric: str
    stretch: Sequence[str]
    name: str


class Night(TypedDict):
    since: datetime | str
    until: datetime | str | None
    queue: Sequence[QueuedStudy]
    measured: Sequence[MeasuredByRig]
    failed: Sequence[FailedRun]
    failed_in_all: int
    rigs: Sequence[RigHealth]


class OtherVariant(TypedDict):
    id: int
    name: str
    program: str


class OutcomeCount(TypedDict):
    outcome: str
    runs: int


class OutlineStretch(TypedDict):
    path: Sequence[str]
    kind: str
    line: int
    ends_with: str
    inputs: int
    scheduled_s: float


class Outlook(TypedDict):
    kind: str
    text: str
    slope: float
    low: float
    high: float
    after: Sequence[Projection]
    full_after_h: Sequence[float | None] | None
    machine_mib: float | None


class OverSessions(TypedDict):
    candidate: int
    sessions: Sequence[SessionGain]
    these: str
    general: str


class PairedComparison(TypedDict):
    stretch: Sequence[str]
    metric: str
    name: str
    variant: int
    text: str
    matters: bool
    difference: Difference


class ParityStatus(TypedDict):
    runs: int
    found: int
    open: int
    grave: int
    waived: int


class Part(TypedDict):
    label: str
    change: float
    text: str
    interval: str
    share: float | None
    only_in: str


class Pass(TypedDict):
    racer: int
    other: int
    at_s: float


class PlaceRow(TypedDict):
    stretch: Sequence[str]
    metric: str
    label: str
    places: Sequence[int] | None
    unranked: str


class Plan(TypedDict):
    stop: str
    rounds: int
    precision: float
    cap: int
    cold_rounds: int
    order: str
    rest_s: float
    control_rounds: int
    film: bool
    background_cpu_limit: float
    state: str
    reason: str
    added: bool
    background_cpu_limit_set: bool
    background_cpu_share: float | None
    looks_at: Sequence[int]
    looks: Sequence[Look]
    level: str
    rounds_done: int
    coming: Sequence[ComingRound]
    ladder: str
    levels: Sequence[str]
    confirms: Sequence[str]
    before_each_run: Sequence[str]


class Points(TypedDict):
    at_s: Sequence[float]
    low: Sequence[float]
    high: Sequence[float]
    mean: Sequence[float]
    every: bool


class Precondition(TypedDict):
    what: str
    state: str
    found: NotRequired[str]
    by: NotRequired[str]
    at: NotRequired[str]


class Preview(TypedDict):
    columns: Sequence[SeenColumn]
    series: Sequence[SeenSeries]
    broken: Sequence[dict[str, Any]]
    rows: int
    seconds: float
    marked: Sequence[str]
    doubts: Sequence[str]


class Problem(TypedDict):
    line: int
    column: int
    found: str
    expected: str
    meant: str


class Problems(TypedDict):
    problems: Sequence[Problem]


class Profile(TypedDict):
    name: str
    about: NotRequired[str]
    weights: Sequence[Weight]
    limits: Sequence[Limit]
    id: int


class ProgramFixture(TypedDict):
    name: str
    sha256: str
    size: int


class Projection(TypedDict):
    after_h: float
    mib: float
    low_mib: float
    high_mib: float


class QueuedStudy(TypedDict):
    study: int
    question: str
    rig: str | None
    runs: int
    running: Sequence[int]
    plan: str
    each_s: float | None
    left_s: float | None


class Race(TypedDict):
    subject: str
    question: str
    baseline: int
    end_s: float
    reach_s: float
    at: str
    racers: Sequence[Racer]
    passes: Sequence[Pass]
    alignments: Sequence[Alignment]
    choices: Sequence[RaceChoice]
    filming_cost: Sequence[FilmingCost]
    rounds: int
    answers: Sequence[RaceAnswer]


class RaceAnswer(TypedDict):
    variant: int
    text: str


class RaceChoice(TypedDict):
    run: int
    variant: int
    label: str
    filmed: bool


class RaceFilm(TypedDict):
    id: int
    runs: Sequence[int]
    at: str
    by: str
    created: datetime | str
    state: str
    problem: str
    done: int
    total: int
    sizes: dict[str, int]


class RaceFilmOfRun(TypedDict):
    began_s: float
    seconds: float
    width: int
    height: int


class RaceInput(TypedDict):
    at_s: float
    what: str


class RacePicture(TypedDict):
    at_s: float
    name: str


class RaceStep(TypedDict):
    name: str
    start_s: float
    end_s: float
    match: int | None
    lead_s: float | None


class RaceTiming(TypedDict):
    name: str
    start_s: float
    end_s: float
    right_censored: bool
    base_end_s: float | None
    lead_s: float | None


class Racer(TypedDict):
    run: int
    variant: int
    name: str
    label: str
    outcome: str
    zero_s: float
    end_s: float
    steps: Sequence[RaceStep]
    timings: Sequence[RaceTiming]
    knots: Sequence[Knot]
    film: RaceFilmOfRun | None
    inputs: Sequence[RaceInput]
    pictures: Sequence[RacePicture]


class RankEntry(TypedDict):
    variant: int
    points: int
    firsts: int
    beats: Sequence[int]
    together: str
    gain: float | None
    low: float | None
    high: float | None
    band: float | None


class Reference(TypedDict):
    label: str
    variant: int
    forms: dict[str, str]


class Rehearsal(TypedDict):
    id: int
    variant: int
    state: str
    line: int
    elapsed_s: float
    outcome: str
    detail: str
    timings: Sequence[RehearsedTiming]
    pictures: int
    kind: str
    step_by_step: bool
    waits: bool
    heard: int
    draft: str
    windows: Sequence[SeenWindow]
    state_detail: str


class RehearsalAssignment(TypedDict):
    rehearsal: int
    title: str
    script: str
    program: str
    tags: Sequence[str]
    confirmed: Sequence[RigConfirmed]
    kind: str
    step_by_step: bool
    fixtures: Sequence[dict[str, Any]]
    state: str


class RehearsedTiming(TypedDict):
    path: Sequence[str]
    seconds: float
    right_censored: bool


class ReleaseLine(TypedDict):
    key: str
    title: str
    rigs: Sequence[str]
    releases: Sequence[LineRelease]
    anchor: int
    sessions: Sequence[LineSession]
    metrics: Sequence[MetricLine]
    level: str


class Report(TypedDict):
    revision: int
    rests_on: str
    style: str
    head: str
    sections: Sequence[ReportSection]
    numbers: Sequence[Reference]
    figures: Sequence[Figure]
    issued: Sequence[IssuedReport]
    since: Since | None


class ReportChange(TypedDict):
    what: str
    before: str
    now: str


class ReportSection(TypedDict):
    key: str
    title: str
    brief: str
    fixed: bool
    usual: bool
    on: bool
    words: ReportWords | None
    unknown: Sequence[str]
    html: str


class ReportWords(TypedDict):
    text: str
    by: str


class Rig(TypedDict):
    name: str
    state: str
    agent_version: str
    confirmed: Sequence[Confirmation]
    paused: bool
    local: bool
    programs_from: str
    background_cpu_share: float | None
    run: int | None
    last_seen: datetime | str | None
    known: Sequence[KnownFact]


class RigConfirmed(TypedDict):
    text: str
    by: str
    at: str


class RigDetail(TypedDict):
    rig: Rig
    known: Sequence[KnownFact]
    states: Sequence[RigState]
    programs: Sequence[Startable]
    outcomes: Sequence[OutcomeCount]
    recent: Sequence[int]


class RigHealth(TypedDict):
    name: str
    last_seen: datetime | str | None
    disk_free_bytes: int | None
    clock_off_s: float | None
    older: bool
    troubles: Sequence[str]


class RigState(TypedDict):
    first_seen: datetime | str
    last_seen: datetime | str
    runs: int
    changed: Sequence[ChangedFact]


class RoundsAdded(TypedDict):
    rounds: Sequence[int]


class Row(TypedDict):
    stretch: Sequence[str]
    label: str
    metric: str
    name: str
    definition: str
    higher_is_better: bool
    judged: bool
    can_count: bool
    primary: bool
    family: str
    echo_of: str
    not_judged: str
    follows_from: str
    counted: bool
    deciding: bool
    in_percent: bool
    unit: str
    unit_factor: float
    material: str
    medians: Sequence[Median | None]
    material_share: float | None
    material_amount: float
    amount_unit: str
    samples: Sequence[Sequence[Sample]]
    cold: Sequence[Sequence[Sample]]
    left_out: Sequence[Sequence[Sample]]
    differences: Sequence[Difference | None]
    sentence: str
    warnings: Sequence[str]


class RunDetail(TypedDict):
    run: RunSummary
    study: int
    question: str
    subject: str
    variant_name: str
    variants: int
    baseline: int
    cold_rounds: int
    script_version: int
    steps: Sequence[str]
    record_s: float
    counters: Sequence[str]
    stretches: Sequence[Stretch]
    marks: Sequence[Mark]
    inputs: int
    first_inputs: Sequence[FirstInput]
    pictures: Sequence[KeptPicture]
    film: Film | None
    readings: Sequence[RunReading]
    import_source: dict[str, Any]
    facts: dict[str, Any] | None
    known: Sequence[KnownFact]
    conditions: Conditions
    observer: dict[str, Any] | None
    beside: Sequence[int]


class RunReading(TypedDict):
    stretch: Sequence[str]
    metric: str
    name: str
    unit: str
    value: float
    plus_minus: float
    right_censored: bool
    warning: str


class RunSummary(TypedDict):
    id: int
    variant: int
    round: int
    round_name: str
    round_label: str
    order_in_round: int
    cold: bool
    level: str
    state: str
    silent: bool
    outcome: str
    detail: str
    rig: str | None
    started: datetime | str | None
    ended: datetime | str | None
    progress: dict[str, Any]
    purpose: str
    repeats: int | None
    origin: str
    acceptance_reason: str
    left_out: str
    left_out_by: str
    unread: str


class Sample(TypedDict):
    run: int
    round: int
    value: float
    right_censored: bool


class Score(TypedDict):
    variant: int
    verdict: str
    gain: float | None
    low: float | None
    high: float | None
    band: float | None
    factor_text: str
    limits: Sequence[JudgedLimit]
    runs_to_decide: int | None


class Script(TypedDict):
    number: int
    text: str
    title: str
    created: datetime | str
    steps: Sequence[str]
    stretches: Sequence[OutlineStretch]
    inputs: int
    facts: dict[str, str]
    fixtures: Sequence[str]
    only_some: dict[str, str]


class ScriptText(TypedDict):
    text: str


class ScriptVersion(TypedDict):
    number: int
    created: datetime | str
    measured: int
    text: str


class SeenColumn(TypedDict):
    name: str
    role: str
    unit: str
    cells: Sequence[str]
    least: float | None
    most: float | None
    drawn: Sequence[float]


class SeenSeries(TypedDict):
    name: str
    unit: str
    at_s: Sequence[float]
    value: Sequence[float]


class SeenWindow(TypedDict):
    title: str
    x: int
    y: int
    width: int
    height: int


class Sentence(TypedDict):
    text: str
    waivable: bool


class Session(TypedDict):
    name: str
    role: str
    workspace: str
    live_url: str
    study: int | None
    has_password: bool
    local: bool


class SessionGain(TypedDict):
    study: int
    question: str
    factor_text: str


class SessionTable(TypedDict):
    variants: Sequence[str]
    baseline: int
    choices: Sequence[SetChoice]
    chosen: str
    headline: str
    sessions: Sequence[SetSession]
    points: Sequence[int]
    ranked: int
    means: Sequence[SetMean]
    asked_for: Sequence[SetSum]
    advice: Sequence[SetAdvice]


class SetAdvice(TypedDict):
    profile: str
    overall: str
    sessions: Sequence[SetSessionAdvice]


class SetCandidate(TypedDict):
    candidate: int
    verdict: str
    gain: float | None
    low: float | None
    high: float | None
    band: float | None
    text: str
    why: str


class SetChoice(TypedDict):
    key: str
    label: str
    sessions: int


class SetDifference(TypedDict):
    verdict: str
    gain: float | None
    low: float | None
    high: float | None
    text: str
    change: str
    band: float | None
    single: bool


class SetMean(TypedDict):
    kind: str
    name: str
    about: str
    candidates: Sequence[SetCandidate]


class SetMember(TypedDict):
    study: int
    title: str


class SetSession(TypedDict):
    study: int
    title: str
    share: float | None
    label: str
    readings: Sequence[str]
    values: Sequence[float | None]
    runs: Sequence[int]
    differences: Sequence[SetDifference]
    places: Sequence[int] | None
    unranked: str
    steadiness: Sequence[float | None] | None


class SetSessionAdvice(TypedDict):
    title: str
    study: int
    sentence: str


class SetSum(TypedDict):
    name: str
    readings: Sequence[str]


class SettingsFile(TypedDict):
    file: str
    only: NotRequired[Sequence[str]]
    ignore: NotRequired[Sequence[str]]


class ShareLine(TypedDict):
    id: int
    whom: str
    names: bool
    by: str
    created: datetime | str
    expires: datetime | str
    last_used: datetime | str | None
    revoked: datetime | str | None


class ShareOfDay(TypedDict):
    share: float | None


class Shelved(TypedDict):
    kind: str
    id: int
    name: str
    state: str
    by: str
    at: datetime | str | None
    until: datetime | str | None
    runs: int


class ShownNumber(TypedDict):
    id: int
    run: int
    variant: int
    variant_name: str
    round: int
    name: str
    where: Sequence[str]
    unit: str
    higher_is_better: bool
    picture: str
    text: str
    proposal: float | None
    value: float | None
    plus_minus: float
    doubt: str
    settled: bool
    by: str
    at: datetime | str | None


class ShownNumbers(TypedDict):
    waiting: int
    numbers: Sequence[ShownNumber]


class Side(TypedDict):
    run: int
    start_s: float
    end_s: float
    frames: int
    quantiles_ms: Sequence[float]
    bins: Sequence[float]


class SideBySide(TypedDict):
    stretches: Sequence[Side]
    lines: Sequence[Line]
    shares: Sequence[float]
    edges_ms: Sequence[float]


class Since(TypedDict):
    number: int
    text: str
    changes: Sequence[ReportChange]


class Snapped(TypedDict):
    picture: int


class Spike(TypedDict):
    at_s: float
    ms: float
    step: str
    after: str
    since_ms: float
    foreign_cores: float
    disk_mib: float


class SpikePoints(TypedDict):
    count: int
    at_s: Sequence[float]
    ms: Sequence[float]


class Standout(TypedDict):
    variant: int
    verdict: str
    label: str
    text: str


class StartState(TypedDict):
    state: str
    detail: str
    line: str


class Startable(TypedDict):
    name: str
    command: str
    log: str
    caches: Sequence[str]
    companions: Sequence[str]
    installed: Sequence[str]
    settings: Sequence[str]
    environment: Sequence[str]
    variants: Sequence[str]


class StartedBy(TypedDict):
    rig: str
    command: str
    log: str
    caches: Sequence[str]


class StartingPoint(TypedDict):
    parts: Sequence[str]
    file: str
    by_keys: bool
    nature: str


class StopAsked(TypedDict):
    stop: bool
    keep_state: bool
    hands: Sequence[dict[str, Any]]
    allowed: int


class Stopped(TypedDict):
    withdrawn: int
    aborting: int


class Storage(TypedDict):
    records: int
    films: int
    film_bytes_limit: int
    bundles: int
    free: int
    largest: Sequence[LargeFilm]


class Stretch(TypedDict):
    kind: str
    path: Sequence[str]
    start_s: float
    end_s: float
    plus_minus_s: float
    right_censored: bool


class StretchReading(TypedDict):
    metric: str
    name: str
    text: str
    definition: str
    warning: str


class StretchReadings(TypedDict):
    start_s: float
    end_s: float
    frames: int
    idle_s: float
    readings: Sequence[StretchReading]
    spike_count: int
    spikes: Sequence[Spike]


class Study(TypedDict):
    id: int
    question: str
    why: str
    subject: str
    subject_id: int
    maker: str
    rig: str | None
    shelf: str
    demonstration: bool
    session: StartingPoint | None
    factor: str
    second_factor: str
    baseline: int
    created: datetime | str
    state: str
    headline: str
    answers: Sequence[Answer]
    deciding: Sequence[NamedPlace]
    proposed_deciding: NamedPlace | None
    metrics: int
    profiles: int
    reports: int
    waiting_numbers: int
    match: ParityStatus
    variants: Sequence[Variant]
    others: Sequence[OtherVariant]
    script: Script
    runs: Sequence[RunSummary]
    session_set: Sequence[SetMember]


class StudySummary(TypedDict):
    id: int
    question: str
    created: datetime | str
    changed: datetime | str | None
    subject: str
    variants: Sequence[str]
    baseline: int
    demonstration: bool
    headline: str
    level: str
    answers: Sequence[AnswerOnRule]
    families: Sequence[FamilyCount]
    state: str
    runs_done: int
    runs_total: int
    troubles: int
    unread: int
    match: ParityStatus
    rigs: Sequence[str]
    ticks: Sequence[Tick]
    standouts: Sequence[Standout]


class Subject(TypedDict):
    id: int
    name: str
    maker: str
    settings: Sequence[SettingsFile]
    release_order: Sequence[str]
    variants: Sequence[SubjectVariant]
    studies: int


class SubjectVariant(TypedDict):
    id: int
    name: str
    program: str
    tags: Sequence[str]
    studies: int
    started_by: Sequence[StartedBy]


class Tick(TypedDict):
    variant: int
    label: str
    gain: float
    band: float
    verdict: str


class Today(TypedDict):
    runs: Sequence[int]
    read: int
    variant: int
    at: datetime | str | None
    sentence: str
    changed: Sequence[Changed]
    comparisons: Sequence[PairedComparison]


class TokenLine(TypedDict):
    id: int
    name: str
    scope: str
    begins: str
    by: str
    created: datetime | str
    last_used: datetime | str | None
    revoked: datetime | str | None


class Trace(TypedDict):
    start_s: float
    end_s: float
    whole_s: float
    frames: Points
    spikes: SpikePoints
    idle: Gaps
    latency: Points
    inputs: InputPoints
    counters: dict[str, Counter]
    known: Sequence[str]
    cores: int


class TradeOff(TypedDict):
    stretch: Sequence[str]
    candidate: int
    gained_s: float
    gained_text: str
    cost_metric: str
    cost: float
    cost_text: str
    per_second: str
    sentence: str


class Try(TypedDict):
    id: int
    variant: int
    state: str
    outcome: str
    ended_well: bool
    detail: str
    timings: Sequence[RehearsedTiming]
    windows: Sequence[SeenWindow]
    pictures: int
    elapsed_s: float
    rig: str
    command: str


class Turn(TypedDict):
    round: int
    round_label: str
    order_in_round: int
    cold: bool
    variant: int
    order: Sequence[int]


class Units(TypedDict):
    units: dict[str, Sequence[str]]
    kept: Sequence[KeptMapping]


class Unread(TypedDict):
    why: str
    runs: Sequence[int]


class Unsettled(TypedDict):
    stretch: Sequence[str]
    metric: str
    label: str
    candidate: int
    rounds: int | None
    verdict_withheld: bool
    futility: str
    why: Sentence


class UserOfFixture(TypedDict):
    study: int
    question: str


class Variant(TypedDict):
    id: int
    name: str
    program: str
    command: str
    start: dict[str, Any]
    on_rig: StartState
    runs: int
    state: str
    tags: Sequence[str]
    position: int


class Waiver(TypedDict):
    id: int
    text: str
    reason: str
    by: str
    at: datetime | str


class Watching(TypedDict):
    runs: int
    planned: int
    costs: Sequence[PairedComparison]


class Webhook(TypedDict):
    id: int
    url: str
    by: str
    created: datetime | str
    deliveries: Sequence[Delivery]


class Weight(TypedDict):
    metric: str
    stretch: Sequence[str]
    weight: float


class Welcome(TypedDict):
    rig: str
    protocol: str
    release: str
    files: dict[str, str]
