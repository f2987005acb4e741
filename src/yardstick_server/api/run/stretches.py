"""Readings of any stretch of a run, stretches side by side, and laps."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict
from typing import cast

import numpy as np
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare.growing import outlook_text
from yardstick_core.compare.stretches import QUANTILES, histogram, quantile_curve, side_by_side
from yardstick_core.compare.text import quantity
from yardstick_core.readings import METRICS
from yardstick_core.readings.derive import stretch_readings, worked_frames
from yardstick_core.readings.laps import laps, outlook
from yardstick_core.readings.memory import MIB
from yardstick_core.readings.spikes import explained
from yardstick_core.record import RunRecord
from yardstick_server import contracts
from yardstick_server.analysis.records import run_record, stretch_record
from yardstick_server.api.answers import SeriesRenderer
from yardstick_server.api.base import MemberView
from yardstick_server.api.run.trace import FROM, TO, run_end_ns, span_ns, stretch_asked
from yardstick_server.runs.models import Run
from yardstick_server.traces.store import streams_of

MOST_SPIKES = 200
MOST_STRETCHES = 8


class SpikeSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    ms = serializers.FloatField()
    step = serializers.CharField()
    after = serializers.CharField(help_text="the last input before it, if within a second")
    since_ms = serializers.FloatField(help_text="from that input to the end of the frame")
    foreign_cores = serializers.FloatField(help_text="what other programs took around it")
    disk_mib = serializers.FloatField(help_text="what the subject wrote to disk around it")


class StretchReadingSerializer(serializers.Serializer):
    metric = serializers.CharField()
    name = serializers.CharField()
    text = serializers.CharField()
    definition = serializers.CharField()
    warning = serializers.CharField()


class StretchReadingsSerializer(serializers.Serializer):
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    frames = serializers.IntegerField()
    idle_s = serializers.FloatField(help_text="time in which nothing was asked for, cut out")
    readings = StretchReadingSerializer(many=True)
    spike_count = serializers.IntegerField()
    spikes = SpikeSerializer(many=True, help_text="the slowest of them, in order of time")


class StretchView(MemberView):
    for_guests = True

    @extend_schema(
        parameters=[FROM, TO],
        responses=StretchReadingsSerializer,
        summary="Readings of any stretch of a run, exact from its samples",
    )
    def get(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run, pk=run, study__workspace=self.workspace)
        start, end = stretch_asked(request, run_end_ns(streams_of(found.pk)))
        return Response(StretchReadingsSerializer(read_stretch(found, start, end)).data)


def read_stretch(run: Run, start: int, end: int) -> contracts.StretchReadings:
    record = stretch_record(run, start, end)
    worked = worked_frames(record, start, end)
    spikes = worked.spikes
    ends, times = worked.ends_ns[spikes], worked.times_ms[spikes]
    slowest = np.sort(np.argsort(times)[-MOST_SPIKES:])
    return {
        "start_s": start / 1e9,
        "end_s": end / 1e9,
        "frames": len(worked.times_ms),
        "idle_s": worked.idle_s,
        "readings": [
            {
                "metric": reading.metric,
                "name": METRICS[reading.metric].name,
                "text": quantity(METRICS[reading.metric], reading.value),
                "definition": METRICS[reading.metric].definition,
                "warning": reading.warning,
            }
            for reading in stretch_readings(record, start, end, worked)
        ],
        "spike_count": len(ends),
        "spikes": [
            cast(contracts.Spike, asdict(spike) | {"at_s": spike.at_ns / 1e9})
            for spike in explained(record, ends[slowest], times[slowest])
        ],
    }


class ChangeSerializer(serializers.Serializer):
    own = serializers.CharField(help_text="in the metric's own unit")
    percent = serializers.CharField()
    times = serializers.CharField()
    better = serializers.BooleanField(allow_null=True)


class LineSerializer(serializers.Serializer):
    metric = serializers.CharField()
    name = serializers.CharField()
    definition = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    values = serializers.ListField(child=serializers.FloatField(allow_null=True))
    text = serializers.ListField(child=serializers.CharField())
    changes = serializers.ListField(
        child=ChangeSerializer(allow_null=True), help_text="against the first stretch"
    )


class SideSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    frames = serializers.IntegerField()
    quantiles_ms = serializers.ListField(child=serializers.FloatField())
    bins = serializers.ListField(
        child=serializers.FloatField(), help_text="share of the time in frames of each length"
    )


class SideBySideSerializer(serializers.Serializer):
    stretches = SideSerializer(many=True)
    lines = LineSerializer(many=True)
    shares = serializers.ListField(child=serializers.FloatField())
    edges_ms = serializers.ListField(child=serializers.FloatField())


class SideBySideView(MemberView):
    renderer_classes = [SeriesRenderer]

    @extend_schema(
        parameters=[
            OpenApiParameter(
                "of", str, many=True, required=True,
                description="RUN:FROM:TO, times in s; two to eight, the first is compared with",
            )
        ],
        responses=SideBySideSerializer,
        summary="Stretches of one or several runs side by side",
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        asked = [self._asked(text) for text in request.query_params.getlist("of")]
        if not 1 <= len(asked) <= MOST_STRETCHES:
            raise ValidationError(f"`of` names one to {MOST_STRETCHES} stretches")
        times, readings, sides = [], [], []
        for run, start, end in asked:
            record = stretch_record(run, start, end)
            worked = worked_frames(record, start, end)
            times.append(worked.times_ms)
            readings.append(
                {r.metric: r.value for r in stretch_readings(record, start, end, worked)}
                | {"duration": (end - start) / 1e9}
            )
            sides.append(
                {
                    "run": run.pk,
                    "start_s": start / 1e9,
                    "end_s": end / 1e9,
                    "frames": len(worked.times_ms),
                    "quantiles_ms": quantile_curve(worked.times_ms),
                }
            )
        bins = histogram(times)
        for side, shares in zip(sides, bins.shares, strict=True):
            side["bins"] = shares
        lines = side_by_side(readings)
        for line in lines:
            line["changes"] = [None if c is None else asdict(c) for c in line["changes"]]
        body = {
            "stretches": sides,
            "lines": lines,
            "shares": QUANTILES,
            "edges_ms": bins.edges_ms,
        }
        return Response(body)

    def _asked(self, text: str) -> tuple[Run, int, int]:
        number, _, span = text.partition(":")
        start_s, _, end_s = span.partition(":")
        if not number.isdecimal() or len(number) > 18:
            raise ValidationError("a stretch is RUN:FROM:TO, with times in s")
        start, end = span_ns(start_s, end_s)
        return get_object_or_404(Run, pk=number, study__workspace=self.workspace), start, end


class LapSerializer(serializers.Serializer):
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    curve_mib = serializers.ListField(
        child=serializers.FloatField(), help_text="memory from start to end, evenly spaced"
    )
    crest_mib = serializers.FloatField()
    trough_mib = serializers.FloatField()


class ProjectionSerializer(serializers.Serializer):
    after_h = serializers.FloatField()
    mib = serializers.FloatField()
    low_mib = serializers.FloatField()
    high_mib = serializers.FloatField()


class OutlookSerializer(serializers.Serializer):
    kind = serializers.CharField(
        help_text="no growth, grows, levels off, one step, too short to say"
    )
    text = serializers.CharField()
    slope = serializers.FloatField(help_text="MiB/min")
    low = serializers.FloatField()
    high = serializers.FloatField()
    after = ProjectionSerializer(many=True)
    full_after_h = serializers.ListField(
        child=serializers.FloatField(allow_null=True), allow_null=True,
        help_text="soonest and latest; null where it may never be",
    )  # fmt: skip
    machine_mib = serializers.FloatField(allow_null=True)


class LapsSerializer(serializers.Serializer):
    laps = LapSerializer(many=True)
    outlook = OutlookSerializer(allow_null=True)


class LapsView(MemberView):
    for_guests = True

    renderer_classes = [SeriesRenderer]

    @extend_schema(
        parameters=[FROM, TO],
        responses=LapsSerializer,
        summary="Laps of a run laid over one another, and where its memory is going",
    )
    def get(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run.objects.select_related("facts"), pk=run,
                                  study__workspace=self.workspace)  # fmt: skip
        start, end = stretch_asked(request, run_end_ns(streams_of(found.pk)))
        record = run_record(found, ["journal", "subject.resident"])
        machine = found.facts.facts.get("memory_bytes") if found.facts else None
        return Response(laps_body(record, start, end, machine / MIB if machine else None))


def laps_body(record: RunRecord, start: int, end: int, machine: float | None) -> contracts.Laps:
    inside = [lap for lap in laps(record) if lap.end_ns > start and lap.start_ns < end]
    where = outlook(record, start, end, machine)
    return {
        "laps": [
            {
                "start_s": lap.start_ns / 1e9,
                "end_s": lap.end_ns / 1e9,
                "curve_mib": cast(Sequence[float], np.asarray(lap.curve_mib, np.float32)),
                "crest_mib": lap.crest_mib,
                "trough_mib": lap.trough_mib,
            }
            for lap in inside
        ],
        "outlook": None
        if where is None
        else {
            "kind": where.kind,
            "text": outlook_text(where, machine),
            "slope": where.slope,
            "low": where.low,
            "high": where.high,
            "after": [
                {
                    "after_h": p.after_s / 3600,
                    "mib": p.value,
                    "low_mib": p.low,
                    "high_mib": p.high,
                }
                for p in where.after
            ],
            "full_after_h": None
            if where.full_after_h is None
            else [h if math.isfinite(h) else None for h in where.full_after_h],
            "machine_mib": machine,
        },
    }
