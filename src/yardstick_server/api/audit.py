"""Notes who changed what: every successful change by a person or a program leaves an entry."""

from __future__ import annotations

from typing import Any

from rest_framework.request import Request

from yardstick_server.accounts.models import AuditEntry

#: What each changing route does, in words; empty where it changes nothing that is kept.
ACTIONS: dict[tuple[str, str], str] = {
    ("POST", "session/sign-out"): "signed out",
    ("PUT", "session/password"): "changed their password",
    ("PATCH", "members/<int:member>"): "changed a role",
    ("DELETE", "members/<int:member>"): "took a member out",
    ("POST", "members/<int:member>/back"): "let a member back in",
    ("POST", "members/<int:member>/way-in"): "gave a member a new way in",
    ("POST", "invitations"): "invited somebody",
    ("DELETE", "invitations/<int:invitation>"): "took an invitation back",
    ("POST", "tokens"): "made a token",
    ("DELETE", "tokens/<int:token>"): "revoked a token",
    ("POST", "studies/<int:study>/shares"): "shared a study",
    ("DELETE", "studies/<int:study>/shares/<int:share>"): "revoked a share link",
    ("POST", "subjects"): "added a subject",
    ("PATCH", "subjects/<int:subject>"): "changed a subject",
    ("POST", "subjects/<int:subject>/variants"): "added a variant to a subject",
    ("POST", "subjects/<int:subject>/lines/<str:line>/sessions"): "asked for more of a line",
    ("PUT", "fixtures/<str:name>"): "kept a fixture",
    ("DELETE", "fixtures/<str:name>"): "deleted a fixture",
    ("PUT", "fixtures/<str:name>/name"): "renamed a fixture",
    ("POST", "rigs"): "made a rig's token",
    ("PATCH", "rigs/<str:name>"): "changed a rig",
    ("POST", "rigs/<str:name>/confirmations"): "confirmed something for a rig",
    ("POST", "rigs/<str:name>/programs"): "asked a rig to start a program",
    ("DELETE", "rigs/<str:name>/programs/<str:program>"): "asked a rig not to start a program",
    ("POST", "rigs/<str:name>/releases"): "looked for releases on a rig",
    ("POST", "studies/<int:study>/new-variant"): "added a new variant",
    ("PATCH", "studies/<int:study>/variants/<int:position>/start"): "changed a variant",
    ("POST", "studies/<int:study>/variants/<int:position>/allow"): "asked a rig to start a variant",
    ("PUT", "studies/<int:study>/program"): "said which program it is about",
    ("POST", "studies/<int:study>/tries"): "tried variants",
    ("PUT", "studies/<int:study>/session"): "chose a starting point for the session",
    ("PUT", "shelf/<str:kind>/<int:number>"): "put something away, deleted it or brought it back",
    ("DELETE", "shelf/<str:kind>/<int:number>"): "lost something for good",
    ("PUT", "demonstration"): "put the demonstration away or brought it back",
    ("POST", "scripts/check"): "",
    ("POST", "scripts/layout"): "",
    ("POST", "studies"): "asked a new question",
    ("POST", "studies/<int:study>/ask"): "changed what is asked",
    ("POST", "studies/<int:study>/variants"): "added a variant",
    ("PUT", "studies/<int:study>/variants/<int:position>"): "changed a variant's tags",
    ("DELETE", "studies/<int:study>/variants/<int:position>"): "took a variant out",
    ("PUT", "studies/<int:study>/terms"): "changed what counts",
    ("POST", "studies/<int:study>/profiles"): "added a profile",
    ("PUT", "studies/<int:study>/profiles/<int:profile>"): "changed a profile",
    ("DELETE", "studies/<int:study>/profiles/<int:profile>"): "threw a profile away",
    ("PATCH", "studies/<int:study>/plan"): "changed the plan",
    ("POST", "studies/<int:study>/numbers"): "typed numbers in",
    ("PUT", "studies/<int:study>/crossing"): "crossed two factors of a study",
    (
        "PUT",
        "studies/<int:study>/works/<int:position>/picture",
    ): "gave a picture of whether a variant works",
    (
        "DELETE",
        "studies/<int:study>/works/<int:position>/picture",
    ): "took away a picture of whether a variant works",
    ("POST", "studies/<int:study>/sessions"): "added a session to a study",
    ("PATCH", "studies/<int:study>/sessions/<int:part>"): "said how much of a day a session is",
    ("DELETE", "studies/<int:study>/sessions/<int:part>"): "made a session a study of its own",
    ("POST", "studies/<int:study>/plan/start"): "started the plan",
    ("PUT", "studies/<int:study>/script"): "changed the script",
    ("POST", "studies/<int:study>/rounds"): "asked for more rounds",
    ("POST", "studies/<int:study>/stop"): "stopped the study",
    ("POST", "studies/<int:study>/checks"): "asked for a check of today",
    ("POST", "studies/<int:study>/footage"): "brought a film",
    ("PUT", "footage/<int:footage>"): "",
    ("DELETE", "footage/<int:footage>"): "threw a film away",
    ("POST", "footage/<int:footage>/keep"): "made a run of a film's marks",
    ("POST", "studies/<int:study>/race/films"): "had a race drawn as a film",
    ("DELETE", "race-films/<int:film>"): "threw the film of a race away",
    ("POST", "studies/<int:study>/films"): "had a run of each variant filmed",
    ("PUT", "studies/<int:study>/shown/<int:shown>"): "read a number from a picture",
    ("POST", "studies/<int:study>/waivers"): "settled a difference",
    ("DELETE", "studies/<int:study>/waivers/<int:waiver>"): "took a waiver back",
    ("POST", "studies/<int:study>/claims"): "put up a claim",
    ("DELETE", "studies/<int:study>/claims/<int:claim>"): "took a claim back",
    ("POST", "studies/<int:study>/jobs"): "kept a job with a study",
    ("DELETE", "studies/<int:study>/jobs/<int:job>"): "let a kept job go",
    ("DELETE", "runs/<int:run>/film"): "threw the film of a run away",
    ("PATCH", "storage"): "said how much films may take",
    ("POST", "webhooks"): "had an address told when plans end",
    ("DELETE", "webhooks/<int:webhook>"): "had an address told nothing more",
    ("POST", "webhooks/<int:webhook>/try"): "told an address something",
    ("POST", "studies/<int:study>/bundles"): "made a bundle of a study",
    ("POST", "bundles"): "brought a bundle",
    ("DELETE", "bundles/<int:bundle>"): "threw a bundle away",
    ("POST", "studies/<int:study>/gates"): "asked about a build at the gate",
    ("PUT", "studies/<int:study>/build-start"): "said what is started for builds at the gate",
    ("POST", "gates/<int:gate>/stop"): "gave a build at the gate up",
    ("POST", "gates/<int:gate>/results"): "brought a result of a build at the gate",
    ("POST", "gates/<int:gate>/judge"): "asked for a build at the gate to be decided",
    ("PUT", "studies/<int:study>/report"): "arranged the report",
    ("POST", "studies/<int:study>/reports"): "issued a report",
    ("POST", "studies/<int:study>/reports/<int:report>/withdraw"): "withdrew a report",
    ("POST", "studies/<int:study>/by-hand"): "kept a run timed by hand",
    ("POST", "studies/<int:study>/logs"): "brought a log",
    ("DELETE", "logs/<int:log>"): "threw a log away",
    ("POST", "logs/<int:log>/look"): "",
    ("POST", "logs/<int:log>/read"): "",
    ("POST", "logs/<int:log>/keep"): "made runs of a log",
    ("POST", "runs/<int:run>/let-in"): "let a run in",
    ("POST", "studies/<int:study>/let-in"): "let runs in",
    ("POST", "studies/<int:study>/rehearsals"): "rehearsed",
    ("POST", "rehearsals/<int:rehearsal>/stop"): "",
    ("POST", "rehearsals/<int:rehearsal>/step"): "",
    ("POST", "rehearsals/<int:rehearsal>/keep-state"): "kept the state a rehearsal left",
    ("DELETE", "studies/<int:study>/variants/<int:position>/state"): "let a variant start empty",
    ("POST", "rehearsals/<int:rehearsal>/hands"): "",
    ("POST", "runs/<int:run>/abort"): "aborted a run",
    ("POST", "runs/<int:run>/read-again"): "had the record of a run read again",
    ("POST", "runs/<int:run>/left-out"): "left a run out",
    ("DELETE", "runs/<int:run>/left-out"): "took a run back in",
    ("POST", "runs/<int:run>/repeat"): "repeated a run",
    ("POST", "runs/<int:run>/findings"): "noted a finding",
    ("PATCH", "findings/<int:finding>"): "changed a finding",
    ("PUT", "findings/<int:finding>"): "changed a finding",
    ("DELETE", "findings/<int:finding>"): "took a finding back",
    ("PUT", "findings/<int:finding>/picture"): "put a picture to a finding",
    ("DELETE", "findings/<int:finding>/picture"): "took a finding's picture away",
}
#: Parts of routes by which persons know what was changed.
NAMED = ("name", "run", "program")
LONGEST, MOST_FIELDS = 120, 12
HIDDEN = ("password", "token", "old", "new")


def note(view: Any, request: Request) -> None:
    """Keep an entry of a change that has just been made."""
    match = request._request.resolver_match
    route = str(match.route).removeprefix("api/") if match else ""
    what = ACTIONS.get((str(request.method), route), f"{request.method} {route}")
    member = getattr(request.user, "member", None)
    if what and member is not None:
        AuditEntry.objects.create(
            workspace=member.workspace,
            who=request.user.get_username(),
            what=what,
            study=view.kwargs.get("study"),
            path=request.path[:200],
            sent=_whom(view) | _sent(request),
        )


def _whom(view: Any) -> dict[str, Any]:
    """What was changed, by the names that persons know: of the route, and those the view tells."""
    return {name: view.kwargs[name] for name in NAMED if name in view.kwargs} | view.about


def _sent(request: Request) -> dict[str, Any]:
    """What was asked for, shortened, without anything secret."""
    data = request._full_data  # what the view has read of it, if anything
    if not isinstance(data, dict):
        return {}
    return {
        str(key)[:40]: _short(value)
        for key, value in list(data.items())[:MOST_FIELDS]
        if str(key) not in HIDDEN
    }


def _short(value: Any) -> Any:
    if value is None or isinstance(value, (bool, int, float)):
        return value
    text = str(value)
    return text if len(text) <= LONGEST else f"{text[:LONGEST]}…"
