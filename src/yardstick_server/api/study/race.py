"""Races: runs of a study side by side from the same moment."""

from __future__ import annotations

from typing import cast

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare.answer import answers
from yardstick_core.plan import round_label
from yardstick_core.race import START, RaceTiming
from yardstick_core.record import FILMED
from yardstick_server import contracts
from yardstick_server.analysis.judging import kept_analysis
from yardstick_server.api.study.base import StudyView
from yardstick_server.films.models import Film
from yardstick_server.notify import notify
from yardstick_server.races.gathering import NoRace, StudyRace, filming_cost, race_of
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

MOST_INPUTS, MOST_TIMINGS, MOST_CHOICES = 4000, 1000, 60
RUNS = OpenApiParameter("runs", str, description="two to four runs, by comma; the usual ones else")
AT = OpenApiParameter("at", str, description="what they are aligned at, as `alignments` name it")


class RaceStepSerializer(serializers.Serializer):
    name = serializers.CharField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    match = serializers.IntegerField(
        allow_null=True, help_text="number of the baseline's step; null for one it does not have"
    )
    lead_s = serializers.FloatField(
        allow_null=True, help_text="how far it is ahead of the baseline at its end"
    )


class RaceTimingSerializer(serializers.Serializer):
    """A timing that is part of no other; it ends when what ends it became true."""

    name = serializers.CharField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    right_censored = serializers.BooleanField(help_text="its end was not seen: it took longer")
    base_end_s = serializers.FloatField(
        allow_null=True, help_text="when the baseline ended the same one"
    )
    lead_s = serializers.FloatField(
        allow_null=True, help_text="how far before the baseline it ended; null where one did not"
    )


class KnotSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    base_s = serializers.FloatField(help_text="when the baseline was where this one is at `at_s`")


class RaceFilmOfRunSerializer(serializers.Serializer):
    began_s = serializers.FloatField(help_text="its first picture")
    seconds = serializers.FloatField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()


class RaceInputSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    what = serializers.CharField()


class RacePictureSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    name = serializers.CharField()


class RacerSerializer(serializers.Serializer):
    """One run; its instants are s of the race, which begins where all are aligned."""

    run = serializers.IntegerField()
    variant = serializers.IntegerField(help_text="position of its variant in the study")
    name = serializers.CharField()
    label = serializers.CharField(help_text="its round, within a sentence")
    outcome = serializers.CharField()
    zero_s = serializers.FloatField(help_text="where the race begins, s since the run began")
    end_s = serializers.FloatField()
    steps = RaceStepSerializer(many=True)
    timings = RaceTimingSerializer(many=True)
    knots = KnotSerializer(many=True)
    film = RaceFilmOfRunSerializer(allow_null=True)
    inputs = RaceInputSerializer(many=True)
    pictures = RacePictureSerializer(many=True)


class PassSerializer(serializers.Serializer):
    racer = serializers.IntegerField()
    other = serializers.IntegerField()
    at_s = serializers.FloatField()


class AlignmentSerializer(serializers.Serializer):
    code = serializers.CharField()
    words = serializers.CharField()


class RaceChoiceSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    variant = serializers.IntegerField()
    label = serializers.CharField()
    filmed = serializers.BooleanField()


class FilmingCostSerializer(serializers.Serializer):
    """The session of a filmed run beside those of the same variant without a film, s."""

    name = serializers.CharField()
    filmed_s = serializers.FloatField()
    shortest_s = serializers.FloatField()
    longest_s = serializers.FloatField()
    runs = serializers.IntegerField()


class RaceAnswerSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    text = serializers.CharField()


class RaceSerializer(serializers.Serializer):
    subject = serializers.CharField()
    question = serializers.CharField()
    baseline = serializers.IntegerField(help_text="number of the racer that leads are told of")
    end_s = serializers.FloatField()
    reach_s = serializers.FloatField(help_text="what the scale of leads reaches to, either way")
    at = serializers.CharField()
    racers = RacerSerializer(many=True)
    passes = PassSerializer(many=True)
    alignments = AlignmentSerializer(many=True)
    choices = RaceChoiceSerializer(many=True)
    filming_cost = FilmingCostSerializer(many=True)
    rounds = serializers.IntegerField(help_text="that the study's answers rest on")
    answers = RaceAnswerSerializer(many=True, help_text="what all rounds of the study say")


class FilmingSerializer(serializers.Serializer):
    runs = serializers.ListField(child=serializers.IntegerField(), help_text="that were queued")


class RaceView(StudyView):
    for_guests = True

    @extend_schema(
        parameters=[RUNS, AT], responses=RaceSerializer,
        summary="Runs of a study side by side: where each is, who leads by how much",
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        found = asked_race(self.study(study), request)
        return Response(RaceSerializer(race_body(found)).data)


class FilmingView(StudyView):
    @extend_schema(
        request=None, responses={201: FilmingSerializer},
        summary="Queue one run of each variant that is filmed",
    )  # fmt: skip
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        waiting = found.runs.filter(purpose=FILMED, state__in=("queued", "running"))
        if waiting.exists():
            raise ValidationError("filmed runs are waiting or under way already")
        if found.study_variants.count() < 1:
            raise ValidationError("the study has no variants yet")
        made = found.add_films()
        notify(self.workspace.pk, "run", study=study)
        return Response({"runs": made}, status=201)


def asked_race(study: Study, request: Request) -> StudyRace:
    """The race that a request names. Raises ValidationError."""
    said = request.query_params.get("runs", "")
    numbers = said.split(",") if said else []
    if not all(one.isascii() and one.isdigit() and len(one) < 12 for one in numbers):
        raise ValidationError("`runs` are numbers of runs, by comma")
    at = request.query_params.get("at", "") or START
    try:
        return race_of(study, [int(one) for one in numbers], at)
    except NoRace as error:
        raise ValidationError(str(error)) from error


def race_body(found: StudyRace) -> contracts.Race:
    analysis = kept_analysis(found.study)
    judgement = analysis.judgement
    race = found.race
    return {
        "subject": found.study.subject.name,
        "question": found.study.question,
        "baseline": race.baseline,
        "end_s": race.end_ns / 1e9,
        "reach_s": race.reach_s,
        "at": found.alignment,
        "racers": [_racer(found, number) for number in range(len(found.runs))],
        "passes": [
            {"racer": one.racer, "other": one.other, "at_s": one.at_ns / 1e9}
            for one in race.passes()
        ],
        "alignments": [{"code": code, "words": words} for code, words in found.alignments],
        "choices": _choices(found.study),
        "filming_cost": [
            cast(contracts.FilmingCost, dict(zip(FilmingCostSerializer().fields, row, strict=True)))
            for row in filming_cost(found)
        ],
        "rounds": analysis.rounds_judged,
        "answers": [
            {"variant": answer.candidate, "text": answer.text}
            for answer in answers(judgement, analysis.baseline)
        ],
    }


def _racer(found: StudyRace, number: int) -> contracts.Racer:
    run, record, racer = found.runs[number], found.records[number], found.race.racers[number]
    zero, base_zero = racer.zero_ns, found.race.racers[found.race.baseline].zero_ns
    film: Film | None = found.film(number)
    kept = set(run.pictures.values_list("name", flat=True))
    return {
        "run": run.pk,
        "variant": run.variant.position,
        "name": run.variant.variant.name,
        "label": _label(run, found.study.first_warm_round),
        "outcome": run.outcome,
        "zero_s": zero / 1e9,
        "end_s": (racer.end_ns - zero) / 1e9,
        "steps": [
            {
                "name": step.name,
                "start_s": (step.start_ns - zero) / 1e9,
                "end_s": (step.end_ns - zero) / 1e9,
                "match": step.match,
                "lead_s": None if step.match is None
                else found.race.lead_ns(number, step.end_ns - zero) / 1e9,
            }
            for step in racer.steps
        ],
        "timings": [_timing(found, number, timing) for timing in racer.timings[:MOST_TIMINGS]],
        "knots": [
            {"at_s": (own - zero) / 1e9, "base_s": (base - base_zero) / 1e9}
            for own, base in racer.knots
        ],
        "film": None if film is None else {
            "began_s": film.began_ns / 1e9 - zero / 1e9,
            "seconds": film.seconds, "width": film.width, "height": film.height,
        },
        "inputs": [
            {"at_s": (one.at_ns - zero) / 1e9, "what": one.what}
            for one in record.inputs[:MOST_INPUTS]
        ],
        "pictures": [
            {"at_s": (entry["at"] - zero) / 1e9, "name": entry["name"]}
            for entry in record.journal
            if entry["kind"] == "picture" and entry["name"] in kept
        ],
    }  # fmt: skip


def _timing(found: StudyRace, number: int, timing: RaceTiming) -> contracts.RaceTiming:
    base, zero = found.race.racers[found.race.baseline], found.race.racers[number].zero_ns
    theirs = None if timing.match is None else base.timings[timing.match]
    lead = found.race.timing_lead_ns(number, timing)
    return {
        "name": timing.name,
        "start_s": (timing.start_ns - zero) / 1e9,
        "end_s": (timing.end_ns - zero) / 1e9,
        "right_censored": timing.right_censored,
        "base_end_s": None if theirs is None else (theirs.end_ns - base.zero_ns) / 1e9,
        "lead_s": None if lead is None else lead / 1e9,
    }


def _label(run: Run, cold_rounds: int) -> str:
    return round_label(run.round, cold_rounds, run.purpose)


def _choices(study: Study) -> list[contracts.RaceChoice]:
    """Runs that may race, those that were filmed first, then the newest."""
    cold = study.first_warm_round
    runs = study.runs.filter(state="read").select_related("variant", "film").order_by("-pk")
    ordered = sorted(runs, key=lambda run: run.purpose != FILMED)
    return [
        {
            "run": run.pk,
            "variant": run.variant.position,
            "label": _label(run, cold),
            "filmed": hasattr(run, "film") and run.film.state == "ready",
        }
        for run in ordered[:MOST_CHOICES]
    ]
