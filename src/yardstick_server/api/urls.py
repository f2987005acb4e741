"""Every address of the server."""

from django.urls import path, re_path

from yardstick_server.api.agent.errands import EndErrand, TakeErrand
from yardstick_server.api.agent.films import EndFilm, PutFilm
from yardstick_server.api.agent.ingest import PutChunk, PutChunks
from yardstick_server.api.agent.runs import Heartbeat, Hello, SealRun, TakeRun, TellRefused
from yardstick_server.api.build_start import BuildStartView
from yardstick_server.api.bundles import BundleFile, BundlesOfStudy, BundlesView, BundleView
from yardstick_server.api.catalog.fixtures import (
    FixtureDownload,
    FixtureNameView,
    FixturesView,
    FixtureView,
)
from yardstick_server.api.catalog.lines import LineSessionsView, LinesView, LineView
from yardstick_server.api.catalog.night import NightView
from yardstick_server.api.catalog.programs import (
    RigApplications,
    RigErrand,
    RigProgram,
    RigPrograms,
    RigReleases,
)
from yardstick_server.api.catalog.rigs import RigConfirmations, RigDetail, RigList
from yardstick_server.api.catalog.subjects import SubjectsView, SubjectVariantsView, SubjectView
from yardstick_server.api.description import SchemaView
from yardstick_server.api.gates import (
    GateResultsView,
    GatesView,
    GateView,
    JudgeGate,
    StopGate,
)
from yardstick_server.api.logs import (
    ImportLogView,
    LogsView,
    LogView,
    MappingsView,
    PreviewView,
    ScanView,
)
from yardstick_server.api.pages import page
from yardstick_server.api.people.members import (
    AuditView,
    InvitationDetail,
    InvitationsView,
    MemberBack,
    MemberDetail,
    MembersView,
    MemberWayIn,
    ShareDetail,
    SharesView,
    TokenDetail,
    TokensView,
)
from yardstick_server.api.people.session import (
    JoinView,
    PasswordView,
    SessionView,
    SharedView,
    SignInByLink,
    SignInView,
    SignOutView,
)
from yardstick_server.api.people.storage import StorageView
from yardstick_server.api.people.webhooks import TryWebhook, WebhooksView, WebhookView
from yardstick_server.api.run.detail import AbortRun, RunDetail
from yardstick_server.api.run.export import ExportView
from yardstick_server.api.run.film import FilmFileView, FilmStillView
from yardstick_server.api.run.findings import (
    FindingClipView,
    FindingPictureView,
    FindingsView,
    FindingView,
)
from yardstick_server.api.run.latest import LatestRuns
from yardstick_server.api.run.pictures import PutRunPicture, RunPictureView
from yardstick_server.api.run.rehearsals import (
    KeepStateView,
    PutState,
    RehearsalPicture,
    RehearsalsView,
    RemoteInputView,
    ShowRehearsal,
    StateDownload,
    StepRehearsal,
    StopRehearsal,
    TakeRehearsal,
    TellRehearsal,
)
from yardstick_server.api.run.stretches import LapsView, SideBySideView, StretchView
from yardstick_server.api.run.trace import TraceView
from yardstick_server.api.run.unread import ReadAgain
from yardstick_server.api.study.ask import (
    AskView,
    ProfilesView,
    ProfileView,
    StudyVariants,
    StudyVariantView,
    TermsView,
)
from yardstick_server.api.study.by_hand import ByHandView
from yardstick_server.api.study.claims import ClaimableView, ClaimsView, ClaimView
from yardstick_server.api.study.crossing import CrossingView, WorksPictureView
from yardstick_server.api.study.decide import DecisionView
from yardstick_server.api.study.detail import StudyDetail, StudyList
from yardstick_server.api.study.footage import (
    FootageCourse,
    FootageDrift,
    FootageFilm,
    FootageList,
    FootageSnap,
    FootageView,
    KeepFootage,
)
from yardstick_server.api.study.job import JobsView, JobView, KeptJobView
from yardstick_server.api.study.match import MatchView
from yardstick_server.api.study.numbers import NumbersView
from yardstick_server.api.study.plan import PlanView, RoundsView, StartPlanView, StopView
from yardstick_server.api.study.race import FilmingView, RaceView
from yardstick_server.api.study.race_films import (
    RaceFilmFile,
    RaceFilmsView,
    RaceFilmView,
    RaceStill,
)
from yardstick_server.api.study.read import BoardView, DistributionView
from yardstick_server.api.study.runs import AcceptRunView, LeaveOutView, LetInView, RepeatView
from yardstick_server.api.study.say import (
    FigureView,
    IssuedReports,
    IssuedReportView,
    ReportFile,
    ReportView,
    WithdrawReport,
)
from yardstick_server.api.study.script import (
    ScriptCheck,
    ScriptLayout,
    ScriptVersionsView,
    ScriptView,
)
from yardstick_server.api.study.sessions import SessionSetView, SetMemberView
from yardstick_server.api.study.shelf import DemonstrationView, ShelfView, ShelvedView
from yardstick_server.api.study.shown import ShownNumberView, ShownView
from yardstick_server.api.study.start import (
    AllowVariantView,
    NewVariantView,
    ProgramOfStudy,
    SessionPartsView,
    StartedVariantView,
    TriesView,
    VariantStateView,
)
from yardstick_server.api.study.waivers import ChecksView, WaiversView, WaiverView
from yardstick_server.joining.views import agent_file, gate_script, join_script

api = [
    path("session", SessionView.as_view()),
    path("session/sign-out", SignOutView.as_view()),
    path("session/password", PasswordView.as_view()),
    path("sign-in", SignInView.as_view()),
    path("join/<str:token>", JoinView.as_view()),
    path("members", MembersView.as_view()),
    path("members/<int:member>", MemberDetail.as_view()),
    path("members/<int:member>/back", MemberBack.as_view()),
    path("members/<int:member>/way-in", MemberWayIn.as_view()),
    path("invitations", InvitationsView.as_view()),
    path("invitations/<int:invitation>", InvitationDetail.as_view()),
    path("tokens", TokensView.as_view()),
    path("tokens/<int:token>", TokenDetail.as_view()),
    path("audit", AuditView.as_view()),
    path("subjects", SubjectsView.as_view()),
    path("subjects/<int:subject>", SubjectView.as_view()),
    path("subjects/<int:subject>/lines", LinesView.as_view()),
    path("subjects/<int:subject>/lines/<str:line>", LineView.as_view()),
    path("subjects/<int:subject>/lines/<str:line>/sessions", LineSessionsView.as_view()),
    path("subjects/<int:subject>/variants", SubjectVariantsView.as_view()),
    path("fixtures", FixturesView.as_view()),
    path("fixtures/<str:name>", FixtureView.as_view()),
    path("fixtures/<str:name>/name", FixtureNameView.as_view()),
    path("night", NightView.as_view()),
    path("rigs", RigList.as_view()),
    path("rigs/<str:name>", RigDetail.as_view()),
    path("rigs/<str:name>/confirmations", RigConfirmations.as_view()),
    path("rigs/<str:name>/applications", RigApplications.as_view()),
    path("rigs/<str:name>/programs", RigPrograms.as_view()),
    path("rigs/<str:name>/programs/<str:program>", RigProgram.as_view()),
    path("rigs/<str:name>/releases", RigReleases.as_view()),
    path("rigs/<str:name>/errands/<int:errand>", RigErrand.as_view()),
    path("scripts/check", ScriptCheck.as_view()),
    path("scripts/layout", ScriptLayout.as_view()),
    path("studies", StudyList.as_view()),
    path("studies/<int:study>", StudyDetail.as_view()),
    path("studies/<int:study>/ask", AskView.as_view()),
    path("studies/<int:study>/variants", StudyVariants.as_view()),
    path("studies/<int:study>/variants/<int:position>", StudyVariantView.as_view()),
    path("studies/<int:study>/variants/<int:position>/start", StartedVariantView.as_view()),
    path("studies/<int:study>/variants/<int:position>/allow", AllowVariantView.as_view()),
    path("studies/<int:study>/variants/<int:position>/state", VariantStateView.as_view()),
    path("studies/<int:study>/new-variant", NewVariantView.as_view()),
    path("studies/<int:study>/program", ProgramOfStudy.as_view()),
    path("studies/<int:study>/tries", TriesView.as_view()),
    path("studies/<int:study>/session", SessionPartsView.as_view()),
    path("studies/<int:study>/terms", TermsView.as_view()),
    path("studies/<int:study>/profiles", ProfilesView.as_view()),
    path("studies/<int:study>/profiles/<int:profile>", ProfileView.as_view()),
    path("studies/<int:study>/plan", PlanView.as_view()),
    path("studies/<int:study>/plan/start", StartPlanView.as_view()),
    path("studies/<int:study>/decision", DecisionView.as_view()),
    path("studies/<int:study>/script", ScriptView.as_view()),
    path("studies/<int:study>/scripts", ScriptVersionsView.as_view()),
    path("studies/<int:study>/rounds", RoundsView.as_view()),
    path("studies/<int:study>/stop", StopView.as_view()),
    path("studies/<int:study>/board", BoardView.as_view()),
    path("studies/<int:study>/claims", ClaimsView.as_view()),
    path("studies/<int:study>/claimable", ClaimableView.as_view()),
    path("studies/<int:study>/claims/<int:claim>", ClaimView.as_view()),
    path("studies/<int:study>/distribution", DistributionView.as_view()),
    path("studies/<int:study>/match", MatchView.as_view()),
    path("studies/<int:study>/shown", ShownView.as_view()),
    path("studies/<int:study>/shown/<int:shown>", ShownNumberView.as_view()),
    path("studies/<int:study>/waivers", WaiversView.as_view()),
    path("studies/<int:study>/waivers/<int:waiver>", WaiverView.as_view()),
    path("studies/<int:study>/checks", ChecksView.as_view()),
    path("studies/<int:study>/footage", FootageList.as_view()),
    path("footage/<int:footage>", FootageView.as_view()),
    path("footage/<int:footage>/film", FootageFilm.as_view()),
    path("footage/<int:footage>/course", FootageCourse.as_view()),
    path("footage/<int:footage>/snap", FootageSnap.as_view()),
    path("footage/<int:footage>/keep", KeepFootage.as_view()),
    path("footage/<int:footage>/drift", FootageDrift.as_view()),
    path("studies/<int:study>/numbers", NumbersView.as_view()),
    path("studies/<int:study>/job", JobView.as_view()),
    path("studies/<int:study>/jobs", JobsView.as_view()),
    path("studies/<int:study>/jobs/<int:job>", KeptJobView.as_view()),
    path("studies/<int:study>/crossing", CrossingView.as_view()),
    path("studies/<int:study>/works/<int:position>/picture", WorksPictureView.as_view()),
    path("studies/<int:study>/sessions", SessionSetView.as_view()),
    path("studies/<int:study>/sessions/<int:part>", SetMemberView.as_view()),
    path("studies/<int:study>/race", RaceView.as_view()),
    path("studies/<int:study>/race/still", RaceStill.as_view()),
    path("studies/<int:study>/race/films", RaceFilmsView.as_view()),
    path("race-films/<int:film>", RaceFilmView.as_view()),
    path("race-films/<int:film>/file", RaceFilmFile.as_view()),
    path("studies/<int:study>/films", FilmingView.as_view()),
    path("studies/<int:study>/shares", SharesView.as_view()),
    path("studies/<int:study>/shares/<int:share>", ShareDetail.as_view()),
    path("studies/<int:study>/report", ReportView.as_view()),
    path("studies/<int:study>/report/file", ReportFile.as_view()),
    path("storage", StorageView.as_view()),
    path("webhooks", WebhooksView.as_view()),
    path("webhooks/<int:webhook>", WebhookView.as_view()),
    path("webhooks/<int:webhook>/try", TryWebhook.as_view()),
    path("studies/<int:study>/bundles", BundlesOfStudy.as_view()),
    path("bundles", BundlesView.as_view()),
    path("bundles/<int:bundle>", BundleView.as_view()),
    path("bundles/<int:bundle>/file", BundleFile.as_view()),
    path("studies/<int:study>/gates", GatesView.as_view()),
    path("studies/<int:study>/build-start", BuildStartView.as_view()),
    path("gates/<int:gate>", GateView.as_view()),
    path("gates/<int:gate>/stop", StopGate.as_view()),
    path("gates/<int:gate>/results", GateResultsView.as_view()),
    path("gates/<int:gate>/judge", JudgeGate.as_view()),
    path("studies/<int:study>/figure", FigureView.as_view()),
    path("studies/<int:study>/reports", IssuedReports.as_view()),
    path("studies/<int:study>/reports/<int:report>", IssuedReportView.as_view()),
    path("studies/<int:study>/reports/<int:report>/withdraw", WithdrawReport.as_view()),
    path("studies/<int:study>/by-hand", ByHandView.as_view()),
    path("studies/<int:study>/logs", LogsView.as_view()),
    path("logs/<int:log>", LogView.as_view()),
    path("logs/<int:log>/look", PreviewView.as_view()),
    path("logs/<int:log>/read", ScanView.as_view()),
    path("logs/<int:log>/keep", ImportLogView.as_view()),
    path("shelf", ShelfView.as_view()),
    path("shelf/<str:kind>/<int:number>", ShelvedView.as_view()),
    path("demonstration", DemonstrationView.as_view()),
    path("mappings", MappingsView.as_view()),
    path("runs/<int:run>/let-in", AcceptRunView.as_view()),
    path("studies/<int:study>/let-in", LetInView.as_view()),
    path("runs/<int:run>/export", ExportView.as_view()),
    path("studies/<int:study>/rehearsals", RehearsalsView.as_view()),
    path("rehearsals/<int:rehearsal>/stop", StopRehearsal.as_view()),
    path("rehearsals/<int:rehearsal>/step", StepRehearsal.as_view()),
    path("rehearsals/<int:rehearsal>/keep-state", KeepStateView.as_view()),
    path("rehearsals/<int:rehearsal>/hands", RemoteInputView.as_view()),
    path("rehearsals/<int:rehearsal>/picture", RehearsalPicture.as_view()),
    path("runs", LatestRuns.as_view()),
    path("runs/<int:run>", RunDetail.as_view()),
    path("runs/<int:run>/abort", AbortRun.as_view()),
    path("runs/<int:run>/read-again", ReadAgain.as_view()),
    path("runs/<int:run>/left-out", LeaveOutView.as_view()),
    path("runs/<int:run>/repeat", RepeatView.as_view()),
    path("runs/<int:run>/pictures/<str:name>", RunPictureView.as_view()),
    path("runs/<int:run>/findings", FindingsView.as_view()),
    path("findings/<int:finding>", FindingView.as_view()),
    path("findings/<int:finding>/picture", FindingPictureView.as_view()),
    path("findings/<int:finding>/clip", FindingClipView.as_view()),
    path("runs/<int:run>/film", FilmFileView.as_view()),
    path("runs/<int:run>/film/still", FilmStillView.as_view()),
    path("runs/<int:run>/trace", TraceView.as_view()),
    path("runs/<int:run>/stretch", StretchView.as_view()),
    path("runs/<int:run>/laps", LapsView.as_view()),
    path("side-by-side", SideBySideView.as_view()),
]
agent_api = [
    path("hello", Hello.as_view()),
    path("runs/take", TakeRun.as_view()),
    path("runs/<int:run>/heartbeat", Heartbeat.as_view()),
    path("runs/<int:run>/refused", TellRefused.as_view()),
    path("runs/<int:run>/streams/<str:stream>/chunks/<int:sequence>", PutChunk.as_view()),
    path("runs/<int:run>/chunks", PutChunks.as_view()),
    path("runs/<int:run>/pictures/<str:name>", PutRunPicture.as_view()),
    path("runs/<int:run>/film", PutFilm.as_view()),
    path("runs/<int:run>/film/end", EndFilm.as_view()),
    path("runs/<int:run>/seal", SealRun.as_view()),
    path("errands/take", TakeErrand.as_view()),
    path("errands/<int:errand>/end", EndErrand.as_view()),
    path("rehearsals/take", TakeRehearsal.as_view()),
    path("rehearsals/<int:rehearsal>/tell", TellRehearsal.as_view()),
    path("rehearsals/<int:rehearsal>/picture", ShowRehearsal.as_view()),
    path("rehearsals/<int:rehearsal>/state", PutState.as_view()),
    path("states/<str:sha256>", StateDownload.as_view()),
    path("fixtures/<str:sha256>", FixtureDownload.as_view()),
]
urlpatterns = [
    *[path(f"api/{route.pattern}", route.callback) for route in api],
    *[path(f"api/agent/{route.pattern}", route.callback) for route in agent_api],
    path("api/schema", SchemaView.as_view(), name="schema"),
    path("sign-in/<str:token>", SignInByLink.as_view()),
    path("shared/<str:token>", SharedView.as_view()),
    path("agent/join.py", join_script),
    path("agent/gate.py", gate_script),
    path("agent/files/<str:name>", agent_file),
    re_path(r"^(?!api/|assets/|sign-in/|shared/|agent/).*$", page),
]
