"""The plan of a study: read, changed, started; rounds added by hand; all of it stopped."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core import plan as core
from yardstick_core.compare import text
from yardstick_server import contracts
from yardstick_server.analysis.disturbed import mark_disturbed
from yardstick_server.analysis.judging import judge_study, judgement_of
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.inventory.models import rig_of
from yardstick_server.notify import notify
from yardstick_server.planning import advancing as planning
from yardstick_server.studies.models import Study, StudyPlan
from yardstick_server.studies.preparation import before_each_run

MOST_ROUNDS = 60
SHOWN_ROUNDS = 6


class PlanValuesSerializer(serializers.Serializer):
    stop = serializers.ChoiceField(choices=core.STOP_RULES)
    rounds = serializers.IntegerField(min_value=2, max_value=MOST_ROUNDS)
    precision = serializers.FloatField(min_value=0.1, max_value=50, help_text="percent")
    cap = serializers.IntegerField(min_value=2, max_value=MOST_ROUNDS)
    cold_rounds = serializers.IntegerField(min_value=0, max_value=3)
    order = serializers.ChoiceField(choices=core.ORDERS)
    rest_s = serializers.FloatField(min_value=0, max_value=3600)
    control_rounds = serializers.IntegerField(
        min_value=0, max_value=MOST_ROUNDS,
        help_text="warm rounds in which each variant also runs once without sampling",
    )  # fmt: skip
    film = serializers.BooleanField(
        help_text="one run more of each variant is filmed, and compared with nothing"
    )
    background_cpu_limit = serializers.FloatField(
        min_value=0.5, max_value=100,
        help_text="share of the machine others may take, percent: a run with more is repeated",
    )  # fmt: skip


class LookSerializer(serializers.Serializer):
    rounds = serializers.IntegerField()
    open = serializers.IntegerField(help_text="main differences still open")
    of = serializers.IntegerField()
    names = serializers.ListField(
        child=serializers.CharField(), default=list, help_text="main metrics still open"
    )
    at = serializers.DateTimeField()


class ComingRoundSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    cold = serializers.BooleanField()
    order = serializers.ListField(child=serializers.IntegerField(), help_text="variants")


class PlanSerializer(PlanValuesSerializer):
    state = serializers.ChoiceField(choices=StudyPlan.STATES)
    reason = serializers.CharField()
    added = serializers.BooleanField(help_text="rounds were added after the plan had ended")
    background_cpu_limit_set = serializers.BooleanField(
        help_text="a person set it; else it is taken from what the rig shows when idle"
    )
    background_cpu_share = serializers.FloatField(
        allow_null=True, help_text="percent of the rig that is busy while it is idle"
    )
    looks_at = serializers.ListField(child=serializers.IntegerField())
    looks = LookSerializer(many=True)
    level = serializers.CharField(help_text="how sure every interval is, in percent")
    rounds_done = serializers.IntegerField()
    coming = ComingRoundSerializer(many=True, help_text="the next rounds as they would run")
    ladder = serializers.CharField(help_text="what the script's ladder varies; empty without one")
    levels = serializers.ListField(child=serializers.CharField())
    confirms = serializers.ListField(
        child=serializers.CharField(), help_text="what somebody must confirm for every rig"
    )
    before_each_run = serializers.ListField(
        child=serializers.CharField(), help_text="what is done then, and not measured; sentences"
    )


class RoundsSerializer(serializers.Serializer):
    count = serializers.IntegerField(min_value=1, max_value=50, default=1)


class RoundsAddedSerializer(serializers.Serializer):
    rounds = serializers.ListField(child=serializers.IntegerField())


class StoppedSerializer(serializers.Serializer):
    withdrawn = serializers.IntegerField()
    aborting = serializers.IntegerField()


def plan_body(study: Study) -> contracts.Plan:
    plan = study.plan
    values, ladder = plan.core(), study.script.ladder
    rig = rig_of(study)
    done = planning.warm_rounds_done(study)
    return {
        "stop": plan.stop,
        "rounds": plan.rounds,
        "precision": plan.precision,
        "cap": plan.cap,
        "cold_rounds": plan.cold_rounds,
        "order": plan.order,
        "rest_s": plan.rest_s,
        "control_rounds": plan.control_rounds,
        "film": plan.film,
        # until it is started it is what starting it would make it
        "background_cpu_limit": planning.fitting_limit(study, plan)
        if plan.state == "ready"
        else plan.background_cpu_limit,
        "state": plan.state,
        "reason": plan.reason,
        "added": plan.added,
        "background_cpu_limit_set": plan.background_cpu_limit_set,
        "background_cpu_share": rig.background_cpu_share if rig else None,
        "looks_at": values.looks,
        "looks": plan.looks,
        "level": text.level(values.alpha_after(done) if done else values.alpha),
        "rounds_done": done,
        "ladder": ladder.name if ladder else "",
        "levels": list(ladder.levels) if ladder else [],
        "confirms": study.script.confirms,
        "before_each_run": before_each_run(study),
        "coming": [
            {"number": number, "cold": cold, "order": order}
            for number, cold, order in study.next_rounds(SHOWN_ROUNDS)
        ],
    }


class PlanView(StudyView):
    for_guests = True

    @extend_schema(responses=PlanSerializer, summary="The plan, how far it is, what comes next")
    def get(self, request: Request, study: int) -> Response:
        return Response(PlanSerializer(plan_body(self.study(study))).data)

    @extend_schema(
        request=PlanValuesSerializer,
        responses=PlanSerializer,
        summary="Change what is given of the plan",
    )
    def patch(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(PlanValuesSerializer, request.data, partial=True)
        plan = found.plan
        if plan.state == "running":
            raise ValidationError("the plan is running: stop it first, nothing was changed")
        before = plan.core().alpha
        for name, value in body.items():
            setattr(plan, name, value)
        plan.background_cpu_limit_set |= "background_cpu_limit" in body
        plan.save()
        if mark_disturbed(found) or plan.core().alpha != before:
            judge_study(found)
        notify(self.workspace.pk, "board", study=study)
        return Response(PlanSerializer(plan_body(found)).data)


def check_startable(study: Study) -> None:
    """Raises ValidationError where no rig starts any of the variants: all are elsewhere."""
    if study.started_variants:
        return
    names = [part.variant.name for part in study.variants]
    if not names:
        raise ValidationError("there is no variant to measure yet: add two under Ask")
    raise ValidationError(
        f"{' and '.join(names)} {'is' if len(names) == 1 else 'are'} measured elsewhere and "
        "started by no rig: bring in what was measured, or say under Ask what is to be started"
    )


class StartPlanView(StudyView):
    for_builds = True

    @extend_schema(
        request=None,
        responses=PlanSerializer,
        summary="Let the plan queue rounds, look and stop by itself",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        if found.study_variants.count() < 2:
            raise ValidationError("a plan needs two variants: add one under Ask")
        check_startable(found)
        planning.start(found, judgement_of(found))
        notify(self.workspace.pk, "run", study=study)
        return Response(PlanSerializer(plan_body(found)).data)


class RoundsView(StudyView):
    for_builds = True

    @extend_schema(
        request=RoundsSerializer, responses={201: RoundsAddedSerializer}, summary="Measure more"
    )
    def post(self, request: Request, study: int) -> Response:
        body = validated(RoundsSerializer, request.data)
        found = self.study(study)
        check_startable(found)
        rounds = planning.add_by_hand(found, body["count"])
        notify(self.workspace.pk, "run", study=study)
        return Response({"rounds": rounds}, status=201)


class StopView(StudyView):
    for_builds = True

    @extend_schema(
        parameters=[
            OpenApiParameter(
                "let_run_end", bool, description="whether the run under way plays to its end"
            )
        ],
        request=None,
        responses=StoppedSerializer,
        summary="Withdraw the runs that wait, stop the plan, abort the run under way or let it end",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        let_run_end = request.query_params.get("let_run_end") == "true"
        stopped = planning.stop_by_hand(found, let_run_end=let_run_end)
        judge_study(found)  # what is complete is judged: no look is waited for any more
        notify(self.workspace.pk, "run", study=study)
        notify(self.workspace.pk, "board", study=study)
        return Response(stopped)
