"""Traces of a run, as they are drawn."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, cast

import numpy as np
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.readings.drawn import FRAMES, IDLE, LATENCY, SPIKES
from yardstick_core.readings.idle import IDLE_GAP_MS
from yardstick_core.record import RunRecord
from yardstick_core.streams.chunk import Values
from yardstick_core.streams.counters import smooth
from yardstick_core.streams.overview import Points
from yardstick_server import contracts
from yardstick_server.analysis.drawing import counters_drawn, reported_units, series_between
from yardstick_server.analysis.records import journal_of
from yardstick_server.api.answers import SeriesRenderer
from yardstick_server.api.base import MemberView
from yardstick_server.runs.models import Run
from yardstick_server.traces.store import streams_of

MOST_POINTS = 20_000
USUAL_POINTS = 4_000
MOST_SPIKES = 400
MOST_INPUTS = 2_000
AVERAGE_OVER = 25

FROM = OpenApiParameter("from", float, description="start of the stretch, s since the run's start")
TO = OpenApiParameter("to", float, description="end of the stretch, s")
POINTS = OpenApiParameter("points", int, description="most points a series, at most 20,000")
COUNTERS = OpenApiParameter(
    "counters", str, description="which counters, by comma; all if not said"
)


class PointsSerializer(serializers.Serializer):
    at_s = serializers.ListField(child=serializers.FloatField())
    low = serializers.ListField(child=serializers.FloatField())
    high = serializers.ListField(child=serializers.FloatField())
    mean = serializers.ListField(child=serializers.FloatField())
    every = serializers.BooleanField(help_text="false where each point stands for several samples")


class CounterSerializer(PointsSerializer):
    unit = serializers.CharField(allow_blank=True)


class GapsSerializer(serializers.Serializer):
    start_s = serializers.ListField(child=serializers.FloatField())
    end_s = serializers.ListField(child=serializers.FloatField())


class SpikePointsSerializer(serializers.Serializer):
    count = serializers.IntegerField(help_text="in the stretch; the slowest of them follow")
    at_s = serializers.ListField(child=serializers.FloatField())
    ms = serializers.ListField(child=serializers.FloatField())


class InputPointsSerializer(serializers.Serializer):
    count = serializers.IntegerField()
    at_s = serializers.ListField(child=serializers.FloatField())
    what = serializers.ListField(child=serializers.CharField())
    late_ms = serializers.ListField(child=serializers.FloatField())


class TraceSerializer(serializers.Serializer):
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    whole_s = serializers.FloatField(help_text="end of the run's record")
    frames = PointsSerializer()
    spikes = SpikePointsSerializer()
    idle = GapsSerializer()
    latency = PointsSerializer()
    inputs = InputPointsSerializer()
    counters = serializers.DictField(child=CounterSerializer())
    known = serializers.ListField(
        child=serializers.CharField(), help_text="every counter the run has"
    )
    cores = serializers.IntegerField()


def stretch_asked(request: Request, run_end_ns: int) -> tuple[int, int]:
    """Start and end of the stretch a request names, in ns; the whole run by default."""
    values = request.query_params
    return span_ns(values.get("from", 0), values.get("to", run_end_ns / 1e9))


def span_ns(start_s: Any, end_s: Any) -> tuple[int, int]:
    """A stretch from its ends in s, as they were written. Raises ValidationError for nonsense."""
    try:
        start, end = round(float(start_s) * 1e9), round(float(end_s) * 1e9)
    except (ValueError, OverflowError) as error:
        raise ValidationError("`from` and `to` are seconds, as numbers") from error
    if not 0 <= start < end < 2**62:
        raise ValidationError("`from` must lie before `to`")
    return start, end


def run_end_ns(streams: dict[str, int]) -> int:
    """End of a run's record from the ends of its streams, ns."""
    return max(1, *streams.values(), 1)


class TraceView(MemberView):
    for_guests = True

    renderer_classes = [SeriesRenderer]

    @extend_schema(
        parameters=[FROM, TO, POINTS, COUNTERS], responses=TraceSerializer, summary="Lanes of a run"
    )
    def get(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run, pk=run, study__workspace=self.workspace)
        streams = streams_of(found.pk)
        whole = run_end_ns(streams)
        start, end = stretch_asked(request, whole)
        most = points_asked(request)
        journal = journal_of(found)
        known = counters_drawn(streams) | reported_units(journal)
        asked = request.query_params.get("counters")
        counters = list(known) if asked is None else [n for n in asked.split(",") if n in known]
        names = [FRAMES, SPIKES, IDLE, LATENCY, "machine.cores", *counters]
        series = series_between(found, names, start, end, most)
        cores = series.get("machine.cores")
        body = {
            "start_s": start / 1e9,
            "end_s": end / 1e9,
            "whole_s": whole / 1e9,
            "frames": as_body(averaged(series.get(FRAMES, _NOTHING))),
            "spikes": spike_points(series.get(SPIKES, _NOTHING), start, end),
            "idle": gaps(series.get(IDLE, _NOTHING), start, end),
            "latency": as_body(series.get(LATENCY, _NOTHING)),
            "inputs": input_points(journal, start, end),
            "counters": {
                name: as_body(series[name]) | {"unit": known[name]}
                for name in counters
                if name in series
            },
            "known": list(known),
            "cores": int(cores.high[0]) if cores is not None and len(cores) else 0,
        }
        return Response(body)


_NOTHING = Points(np.empty(0, np.int64), *[np.empty(0)] * 3)


def points_asked(request: Request) -> int:
    text = request.query_params.get("points", str(USUAL_POINTS))
    if not text.isdecimal() or not 2 <= int(text) <= MOST_POINTS:
        raise ValidationError(f"`points` is a number from 2 to {MOST_POINTS:,}")
    return int(text)


def as_body(points: Points) -> contracts.Points:
    """Points as they are sent; instants in s to a microsecond, values to seven digits."""
    return {
        "at_s": _seconds(points.end_ns),
        "low": _short(points.low),
        "high": _short(points.high),
        "mean": _short(points.mean),
        "every": points.plain,
    }


def _seconds(instants_ns: np.ndarray) -> Sequence[float]:
    # an array as it is: whoever writes the answer takes it so, a list would be slower
    return cast(Sequence[float], np.round(instants_ns / 1e9, 6))


def _short(values: np.ndarray) -> Sequence[float]:
    return cast(Sequence[float], np.asarray(values, np.float32))


def averaged(frames: Points) -> Points:
    """Frames with the mean of 25 neighbours beside each, every busy stretch by itself."""
    if not frames.plain or not len(frames):
        return frames
    breaks = np.flatnonzero(np.diff(frames.end_ns) > IDLE_GAP_MS * 1e6) + 1
    low: Values = frames.low.astype(np.float64)
    parts = [smooth(part, AVERAGE_OVER) for part in np.split(low, breaks)]
    return Points(frames.end_ns, frames.low, frames.high, np.concatenate(parts))


def spike_points(spikes: Points, start_ns: int, end_ns: int) -> contracts.SpikePoints:
    """How many spikes end in the stretch, and the slowest of them in order of time."""
    inside = np.flatnonzero((spikes.end_ns > start_ns) & (spikes.end_ns <= end_ns))
    slowest = inside[np.argsort(spikes.high[inside])[-MOST_SPIKES:]]
    shown = np.sort(slowest)
    return {
        "count": len(inside),
        "at_s": _seconds(spikes.end_ns[shown]),
        "ms": _short(spikes.high[shown]),
    }


def gaps(idle: Points, start_ns: int, end_ns: int) -> contracts.Gaps:
    """Time in which no picture was asked for."""
    ends = idle.end_ns
    starts = ends - np.rint(np.asarray(idle.high, float) * 1e6).astype(np.int64)
    inside = (ends > start_ns) & (starts < end_ns)
    return {"start_s": _seconds(starts[inside]), "end_s": _seconds(ends[inside])}


def input_points(record: RunRecord, start_ns: int, end_ns: int) -> contracts.InputPoints:
    """The inputs of a stretch, by name where they are few enough."""
    inside = [i for i in record.inputs if start_ns <= i.at_ns <= end_ns]
    shown = inside if len(inside) <= MOST_INPUTS else []
    return {
        "count": len(inside),
        "at_s": [i.at_ns / 1e9 for i in shown],
        "what": [i.what for i in shown],
        "late_ms": [i.late_ns / 1e6 for i in shown],
    }
