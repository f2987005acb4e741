"""Under which caveats the runs of a study are compared: unequal work, a hot machine, runs brought
in, and what was said to matter once it could be known whom that would help.
"""

from __future__ import annotations

from collections import Counter

from django.db.models import QuerySet

from yardstick_core.compare import text
from yardstick_core.compare.materiality import LEAD
from yardstick_core.readings import METRICS
from yardstick_core.readings.durations import DURATION
from yardstick_core.record import ROUND
from yardstick_core.script import parse, unequal_work
from yardstick_server.runs.models import BROUGHT_IN, MEASURED, Run
from yardstick_server.studies.models import MaterialityRule, Study


def caveats(study: Study) -> list[str]:
    """What is not equal in the work, what was not measured with the rest, what was said late."""
    tags = {part.variant.name: frozenset(part.variant.tags) for part in study.variants}
    work = unequal_work(parse(study.script.text), tags)
    return [*work, *hot_throughout(study), *brought_in(study), *late_rules(study)]


def hot_throughout(study: Study) -> list[str]:
    """That all runs alike were held back for heat: no mismatch, and yet no usual machine."""
    counts = [
        known.get("throttled")
        for known in study.runs.filter(
            state="read", purpose=ROUND, origin=MEASURED, cold=False, left_out=""
        ).values_list("conditions", flat=True)
    ]
    if len(counts) < 2 or not all(counts):
        return []
    return [
        f"all {len(counts)} runs alike were held back for heat: cores lowered their clock because "
        "they were too hot, so that a cooler machine may differ"
    ]


def late_rules(study: Study) -> list[str]:
    """Terms that stand and were set when runs had been read already."""
    return [_late(term) for term in study.materiality_rules.filter(after__gt=0).order_by("pk")]


def _late(term: MaterialityRule) -> str:
    name = METRICS[term.metric].name if term.metric in METRICS else term.metric
    if term.stretch:
        own = term.stretch[-1] if term.metric == DURATION.key else name
        name = text.qualified_label(own, term.stretch)
    runs = f"{term.after} run{'s' if term.after > 1 else ''}"
    what = f"how much of {name} matters was changed"
    if term.decides:
        what = f"{name} was named as what decides"
    elif not term.counts:
        what = f"{name} was set aside"
    elif term.family_role:
        place = "in place of" if term.family_role == LEAD else "beside"
        what = f"{name} was chosen to be counted {place} the others that say the same"
    return f"{what} by {term.by} when {runs} had been read already"


def brought_in(study: Study) -> list[str]:
    """The caveats under which runs that were brought in stand beside the measured ones.

    Runs of which the same is known, let in for the same reason, share one.
    """
    runs = study.runs.filter(origin=BROUGHT_IN, left_out="", state="read").select_related("variant")
    together: dict[tuple[str, str], list[Run]] = {}
    for run in runs.order_by("id"):
        if not run.import_source.get("typed"):
            unknown = ", ".join(run.import_source.get("unknown", []))
            known = f"nothing is known of {unknown}" if unknown else _other_machine(study, run)
            together.setdefault((known, run.acceptance_reason), []).append(run)
    return [
        *_typed_in(runs),
        *(
            f"{_brought(alike)}, not measured here: {known}. Let in: {reason}"
            for (known, reason), alike in together.items()
        ),
    ]


def _brought(runs: list[Run]) -> str:
    """`12 runs of 4.1 and 12 of 4.2 were brought in from “a.csv” and 23 more files`."""
    first = runs[0]
    files = list(dict.fromkeys(run.import_source.get("file", "a file") for run in runs))
    more = f" and {len(files) - 1} more file{'s' if len(files) > 2 else ''}"
    whence = f"“{files[0]}”{more if len(files) > 1 else ''}"
    if len(runs) == 1:
        return f"run {first.pk} of {first.variant.variant.name} was brought in from {whence}"
    counted = Counter(run.variant.variant.name for run in runs)
    names = " and ".join(
        f"{count} run{'s' if count > 1 else ''} of {name}" for name, count in counted.items()
    )
    return f"{names} were brought in from {whence}"


def _typed_in(runs: QuerySet[Run]) -> list[str]:
    """One sentence for all numbers of one name that were typed in together."""
    together: dict[tuple[str, str, str], int] = {}
    for run in runs.order_by("id"):
        source = run.import_source
        if source.get("typed"):
            key = (source["part"], source["file"], source["by"])
            together[key] = together.get(key, 0) + 1
    return [
        f"{name}: {count} number{'s' if count > 1 else ''} typed in by {by} from “{file}”, "
        "not measured here: nothing is known of the machine or of how"
        for (name, file, by), count in together.items()
    ]


#: What of a machine makes a difference worth a word between a run brought in and those measured.
_COMPARED_FACTS = {
    "processor": "processor", "cores": "cores", "memory_bytes": "memory", "system": "system",
    "kernel": "kernel", "graphics": "graphics", "display": "display",
}  # fmt: skip


def _other_machine(study: Study, run: Run) -> str:
    """What is different about the machine of a run that was brought in with its facts."""
    theirs = run.import_source.get("machine") or {}
    latest = study.runs.filter(facts__isnull=False).select_related("facts").order_by("-id").first()
    if latest is None:
        return "its machine is stated in its file"
    ours = latest.facts.facts
    parted = [
        f"{name} {theirs.get(key, 'unknown')} and not {ours.get(key, 'unknown')}"
        for key, name in _COMPARED_FACTS.items()
        if theirs.get(key) != ours.get(key)
    ]
    if not parted:
        return "its machine was like the one the newest run was measured on"
    return f"its machine was another than that of the newest run: {', '.join(parted)}"
