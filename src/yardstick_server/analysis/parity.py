"""The parity sheet of a study, from the runs that are compared and what persons have waived."""

from __future__ import annotations

from collections import Counter

from yardstick_core.match.facts import BREAKS, HARMLESS, flat
from yardstick_core.match.parity import parity
from yardstick_core.match.sheet import RunConditions, Sheet
from yardstick_core.record import ROUND
from yardstick_server import contracts
from yardstick_server.runs.models import MEASURED, Run
from yardstick_server.studies.models import Study


def run_conditions_of(study: Study, purpose: str = ROUND) -> list[RunConditions]:
    """The runs that are compared, or those of another purpose, as they tell of their conditions,
    in the order measured.

    Runs brought in or timed by hand have no facts of their own; their caveat is another.
    """
    runs = (
        study.runs.filter(state="read", purpose=purpose, origin=MEASURED, cold=False, left_out="")
        .select_related("variant", "facts", "rig", "script")
        .order_by("started", "id")
    )
    first = study.first_warm_round
    return [_conditions_of(run, order, first) for order, run in enumerate(runs)]


def _conditions_of(run: Run, order: int, first_warm: int) -> RunConditions:
    known = run.conditions
    throttled = known.get("throttled")
    level = f" at {run.level}" if run.level else ""
    return RunConditions(
        run.pk,
        run.variant.position,
        run.round - first_warm + 1,
        order,
        {
            **flat(run.known_facts),
            **{f"fixtures.{name}": sha[:12] for name, sha in known.get("fixtures", {}).items()},
            **({} if throttled is None else {"throttled": "yes" if throttled else "no"}),
            "script": f"version {run.script.number}",
        },
        known.get("settings"),
        known.get("settings_after"),
        bool(known.get("settings_made")),
        {f"{key}{level}": count for key, count in known.get("work", {}).items()}
        if run.outcome == "finished"
        else {},
    )


def sheet_of(study: Study, baseline: int) -> Sheet:
    """What was not alike in the runs of a study, against the variant at a position."""
    names = [part.variant.name for part in study.variants]
    return parity(run_conditions_of(study), names, baseline, study.factor.strip().lower())


def waived(study: Study) -> set[str]:
    """Identities of what persons have waived in a study."""
    return set(study.waivers.values_list("identity", flat=True))


def parity_status(sheet: Sheet, done: set[str]) -> contracts.ParityStatus:
    """How a study's sheet stands: what there is to settle, how much of it grave, how much done."""
    asked = [part for part in sheet.mismatches if part.grade != HARMLESS]
    left = [part for part in asked if part.identity not in done]
    return {
        "runs": sheet.runs,
        "found": len(sheet.mismatches),
        "open": len(left),
        "grave": sum(part.grade == BREAKS for part in left),
        "waived": len(asked) - len(left),
    }


def preconditions(study: Study) -> list[contracts.KeptPrecondition]:
    """What the script asked for before its runs, and how it was found, over all of them."""
    found: dict[str, Counter[str]] = {}
    by: dict[str, dict[str, None]] = {}
    for kept in study.runs.filter(state="read").values_list("conditions", flat=True):
        for one in kept.get("preconditions", []):
            found.setdefault(one["what"], Counter())[one["state"]] += 1
            if one["by"]:
                since = f", {one['at'][:10]}" if one["at"] else ""
                by.setdefault(one["what"], {})[f"{one['by']}{since}"] = None
    return [
        {
            "what": what,
            "passed": counted["passed"],
            "ticked": counted["ticked"],
            "failed": counted["failed"],
            "by": list(by.get(what, {})),
        }
        for what, counted in found.items()
    ]
