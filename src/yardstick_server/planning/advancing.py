"""A plan at work: queues rounds, looks at what they show, stops and says why."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from yardstick_core.compare.study import Judgement
from yardstick_core.plan import background_cpu_limit, is_unsettled, next_step, still_open
from yardstick_server.inventory.models import rig_of
from yardstick_server.runs.models import Run
from yardstick_server.runs.queue import end_early
from yardstick_server.runs.rounds import TO_COME, complete_rounds
from yardstick_server.studies.models import Study, StudyPlan

#: After so many times in a row that a variant could not be started, more rounds make no sense.
MOST_FAILED_STARTS = 2
#: So many main metrics that a look left open are named.
MOST_NAMES = 40
#: After so many repeats of a disturbed run the machine is not fit to measure.
MOST_REPEATS = 3


def start(study: Study, judgement: Judgement) -> StudyPlan:
    """Let the plan run by itself from where the study stands."""
    with transaction.atomic():
        plan = StudyPlan.objects.select_for_update().get(pk=study.plan.pk)
        if plan.state == "ended":
            _go_beyond(study, plan)
        plan.state, plan.reason = "running", ""
        plan.save()
        fit_background_limit(study, plan)
        advance(study, judgement)
    plan.refresh_from_db()
    return plan


def fit_background_limit(study: Study, plan: StudyPlan) -> None:
    """Take the limit for background work from the rig, unless a person has said one."""
    fitted = fitting_limit(study, plan)
    if fitted != plan.background_cpu_limit:
        plan.background_cpu_limit = fitted
        plan.save(update_fields=["background_cpu_limit"])


def fitting_limit(study: Study, plan: StudyPlan) -> float:
    """The limit for background work that fits the rig as it is now, or the one a person said."""
    rig = rig_of(study)
    if rig is None or plan.background_cpu_limit_set:
        return plan.background_cpu_limit
    return background_cpu_limit(rig.background_cpu_share)


def advance(study: Study, judgement: Judgement) -> bool:
    """Do what a running plan does next, once nothing of it is under way any more.

    Whether the plan has ended by it, so that its verdicts wait for no look any more.
    """
    with transaction.atomic():
        plan = StudyPlan.objects.select_for_update().get(pk=study.plan.pk)
        if plan.state != "running":
            return False
        failing = never_starts(study)
        if failing:
            withdraw_waiting(study)
            _end(plan, f"{failing} could not be started {MOST_FAILED_STARTS} times in a row")
            return True
        tired = repeat_disturbed(study)
        if tired:
            withdraw_waiting(study)
            _end(plan, tired)
            return True
        if study.runs.filter(TO_COME).exists():
            return False
        done = warm_rounds_done(study)
        step = next_step(plan.core(), done, judgement)
        if done in plan.core().looks and all(look["rounds"] != done for look in plan.looks):
            plan.looks.append(_look(done, judgement))
        if step.rounds:
            plan.save()
            study.add_rounds(step.rounds)
        else:
            _end(plan, step.reason)
        return not step.rounds


def repeat_disturbed(study: Study, rounds: list[int] | None = None) -> str:
    """Queue disturbed runs, of these rounds or of all, once more; why not to go on, where one has
    been repeated in vain."""
    disturbed = study.runs.filter(
        state="read", outcome="disturbed", repeated_by__isnull=True, left_out=""
    )
    if rounds is not None:
        disturbed = disturbed.filter(round__in=rounds)
    for run in disturbed.select_related("variant__variant", "rig"):
        if _times_repeated(run) >= MOST_REPEATS:
            where = run.rig.name if run.rig else "the rig"
            return (
                f"a run of {run.variant.variant.name} was disturbed {MOST_REPEATS + 1} times in a "
                f"row ({run.detail}). Close what took it on {where}, watch from another machine, "
                "or let others take more in the plan"
            )
        repeat(run, "")
    return ""


def _times_repeated(run: Run) -> int:
    times = 0
    while run.repeats is not None:
        run, times = run.repeats, times + 1
    return times


def _end(plan: StudyPlan, reason: str) -> None:
    plan.state, plan.reason = "ended", reason[:400]
    plan.save()


def _look(done: int, judgement: Judgement) -> dict[str, object]:
    main = [
        difference
        for row in judgement.rows
        if row.metric.primary and row.metric.judged
        for difference in row.differences
        if difference is not None
    ]
    return {
        "rounds": done,
        "open": sum(map(is_unsettled, main)),
        "of": len(main),
        "names": still_open(judgement)[:MOST_NAMES],
        "at": timezone.now().isoformat(),
    }


def warm_rounds_done(study: Study) -> int:
    """How many warm rounds are complete."""
    return len(complete_rounds(study))


def never_starts(study: Study) -> str:
    """The variant whose last runs all ended before they started; empty where there is none."""
    for part in study.variants:
        last = list(
            study.runs.filter(variant=part, state="read").order_by("-ended")[:MOST_FAILED_STARTS]
        )
        if len(last) == MOST_FAILED_STARTS and all(r.outcome == "not started" for r in last):
            return str(part.variant.name)
    return ""


def withdraw_waiting(study: Study) -> int:
    """Take back the runs that have not begun; how many."""
    return int(study.runs.filter(state="queued").update(state="withdrawn"))


def add_by_hand(study: Study, count: int) -> list[int]:
    """Queue rounds beyond what the plan does by itself; from then on verdicts allow for looks."""
    with transaction.atomic():
        plan = StudyPlan.objects.select_for_update().get(pk=study.plan.pk)
        _go_beyond(study, plan)
        plan.save(update_fields=["added", "looks"])
        fit_background_limit(study, plan)
        return study.add_rounds(count)


def _go_beyond(study: Study, plan: StudyPlan) -> None:
    """Note that rounds are added after the last look, and how many had been looked at."""
    done = warm_rounds_done(study)
    if done < plan.core().looks[-1]:
        return
    plan.added = True
    known = {*plan.core().looks, *(look["rounds"] for look in plan.looks)}
    if done not in known:
        plan.looks.append({"rounds": done, "open": 0, "of": 0, "at": timezone.now().isoformat()})


def stop_by_hand(study: Study, *, let_run_end: bool = False) -> dict[str, int]:
    """Withdraw the runs that wait, stop the plan, and abort the run under way or let it end."""
    with transaction.atomic():
        plan = StudyPlan.objects.select_for_update().get(pk=study.plan.pk)
        if plan.state == "running":
            plan.state, plan.reason = "stopped", "stopped by hand"
            plan.save()
        stopped = ("queued",) if let_run_end else ("queued", "running")
        runs = study.runs.select_for_update().filter(state__in=stopped)
        states = [run.state for run in runs]
        for run in runs:
            end_early(run)
    return {"withdrawn": states.count("queued"), "aborting": states.count("running")}


def repeat(run: Run, reason: str) -> Run:
    """Queue the same variant once more in the same round; a reason leaves the first one out."""
    with transaction.atomic():
        study = Study.objects.select_for_update().get(pk=run.study_id)
        place = max(study.runs.filter(round=run.round).values_list("order_in_round", flat=True)) + 1
        if reason:
            run.left_out = f"repeated: {reason}"[:300]
            run.save(update_fields=["left_out", "left_out_by"])
        again: Run = study.runs.create(
            variant=run.variant, script=run.script, round=run.round, order_in_round=place,
            cold=run.cold, level=run.level, repeats=run, purpose=run.purpose,
        )  # fmt: skip
        return again
