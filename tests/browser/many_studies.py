"""Run by `manage.py shell`: four of the demonstration's studies, thirteen times, in "Many".

Judgements and runs are copied as they stand, so that a page over all of them has real ones to show.
"""

from yardstick_server.accounts.models import Workspace
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

COPIES = 13


def _copy(kept, **changed):
    kept.pk = None
    kept._state.adding = True
    for name, value in changed.items():
        setattr(kept, name, value)
    kept.save()
    return kept


many = Workspace.objects.get(name="Many")
shown = Study.objects.filter(
    demonstration=True, part_of=None, archived_at=None, second_factor=""
).exclude(workspace=many).exclude(question__startswith="How long until").order_by("pk")  # fmt: skip
for number in range(COPIES):
    for study in shown:
        made = _copy(
            Study.objects.get(pk=study.pk), workspace=many, demonstration=False,
            question=f"{study.question} ({number + 1})",
        )  # fmt: skip
        script = _copy(study.script, study=made)
        made.kept_plan.delete()
        _copy(study.plan, study=made)
        parts = {part.pk: _copy(part, study=made) for part in study.study_variants.all()}
        _copy(study.judgement, study=made)
        parts_by_place = {part.position: part for part in parts.values()}
        runs = list(study.runs.select_related("variant"))
        for run in runs:
            run.pk, run.study, run.script = None, made, script
            run.variant = parts_by_place[run.variant.position]
            run._state.adding = True
        Run.objects.bulk_create(runs)
