"""Traces of a run, and the readings of any stretch of it."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare.words import quantity
from yardstick_core.readings import METRICS
from yardstick_core.readings.derive import stretch_readings
from yardstick_core.readings.frames import spike_mask
from yardstick_core.readings.idle import IDLE_GAP_MS, cut_idle, frame_times
from yardstick_core.record import RunRecord
from yardstick_core.streams import chunk as packed
from yardstick_core.streams.pyramid import (
    SAMPLES_PER_BUCKET,
    Envelope,
    narrow,
    unpack,
)
from yardstick_server.accounts.member_views import MemberView
from yardstick_server.analysis.records import run_record
from yardstick_server.runs.models import Run
from yardstick_server.traces import store

MOST_POINTS = 20_000
AVERAGE_OVER = 25

FROM = OpenApiParameter("from", float, description="start of the stretch, s since the run's start")
TO = OpenApiParameter("to", float, description="end of the stretch, s")


class SeriesSerializer(serializers.Serializer):
    at_s = serializers.ListField(child=serializers.FloatField())
    value = serializers.ListField(child=serializers.FloatField())


class FrameLaneSerializer(serializers.Serializer):
    at_s = serializers.ListField(child=serializers.FloatField())
    low_ms = serializers.ListField(child=serializers.FloatField())
    high_ms = serializers.ListField(child=serializers.FloatField())
    every_frame = serializers.BooleanField(help_text="false where each point stands for several")
    average = SeriesSerializer()


class SpikeSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    ms = serializers.FloatField()
    after = serializers.CharField(help_text="the last input before it")


class TraceSerializer(serializers.Serializer):
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    frames = FrameLaneSerializer()
    spikes = SpikeSerializer(many=True)
    counters = serializers.DictField(child=SeriesSerializer())
    cores = serializers.IntegerField()


class StretchReadingSerializer(serializers.Serializer):
    metric = serializers.CharField()
    name = serializers.CharField()
    words = serializers.CharField()
    definition = serializers.CharField()
    warning = serializers.CharField()


class StretchReadingsSerializer(serializers.Serializer):
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    frames = serializers.IntegerField()
    idle_s = serializers.FloatField(help_text="time in which nothing was asked for, cut out")
    readings = StretchReadingSerializer(many=True)
    spikes = SpikeSerializer(many=True)


def stretch_asked(request: Request, run_end_ns: int) -> tuple[int, int]:
    """Start and end of the stretch a request names, in ns; the whole run by default."""
    try:
        start = round(float(request.query_params.get("from", 0)) * 1e9)
        end = round(float(request.query_params.get("to", run_end_ns / 1e9)) * 1e9)
    except (ValueError, OverflowError) as error:
        raise ValidationError("`from` and `to` are seconds, as numbers") from error
    if not 0 <= start < end < 2**62:
        raise ValidationError("`from` must lie before `to`")
    return start, end


def run_end_ns(run: Run) -> int:
    last = run.chunks.order_by("-last_ns").values_list("last_ns", flat=True).first()
    return max(int(last or 0), 1)


class TraceView(MemberView):
    @extend_schema(parameters=[FROM, TO], responses=TraceSerializer, summary="Lanes of a run")
    def get(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run, pk=run, study__workspace=self.workspace)
        start, end = stretch_asked(request, run_end_ns(found))
        inputs = run_record(found, streams=["journal"])
        inputs_ns = np.array([i.at_ns for i in inputs.inputs], np.int64)
        lane = frame_lane(found.pk, start, end, inputs_ns)
        counters = run_record(found, streams=counter_streams(found))
        cores = counters.counters.get("machine.cores")
        body = {
            "start_s": start / 1e9,
            "end_s": end / 1e9,
            "frames": {
                "at_s": lane.end_ns / 1e9,
                "low_ms": lane.low_ms,
                "high_ms": lane.high_ms,
                "every_frame": lane.low_ms is lane.high_ms,
                "average": moving_average(lane),
            },
            "spikes": spikes(inputs, lane.end_ns, lane.high_ms),
            "counters": {
                name: thin(instants, values, start, end)
                for name, (instants, values) in rates(counters).items()
            },
            "cores": int(cores[1][0]) if cores else 0,
        }
        return Response(TraceSerializer(body).data)


def counter_streams(run: Run) -> list[str]:
    names = run.chunks.values_list("stream", flat=True).distinct()
    return [name for name in names if name not in ("frames", "journal")]


def frame_lane(run: int, start: int, end: int, inputs_ns: np.ndarray) -> Envelope:
    """Frame times of a stretch without its idle time.

    Every frame where they are few enough, then low and high are one array; else buckets with the
    least and greatest of each.
    """
    buckets = unpack(store.read_buckets(run, "frames", start, end))
    inside = (buckets.end_ns >= start) & (buckets.end_ns <= end)
    if inside.sum() * SAMPLES_PER_BUCKET > MOST_POINTS:
        shown = Envelope(buckets.end_ns[inside], buckets.low_ms[inside], buckets.high_ms[inside])
        return narrow(shown, MOST_POINTS)
    parts = [packed.decode_frames(data) for data in store.read_stretch(run, "frames", start, end)]
    instants = np.concatenate(parts) if parts else np.empty(0, np.int64)
    ends, times, _ = cut_idle(*frame_times(instants, start, end), inputs_ns)
    return Envelope(ends, times, times)


def moving_average(lane: Envelope) -> dict[str, Any]:
    """Mean frame time over 25 neighbours, each busy stretch by itself."""
    times = (lane.low_ms + lane.high_ms) / 2
    breaks = np.flatnonzero(np.diff(lane.end_ns) > IDLE_GAP_MS * 1e6) + 1
    parts = [smooth(part, AVERAGE_OVER) for part in np.split(times, breaks)]
    return {"at_s": lane.end_ns / 1e9, "value": np.concatenate(parts)}


def spikes(record: RunRecord, ends_ns: np.ndarray, times_ms: np.ndarray) -> list[dict[str, Any]]:
    """Frames that count as stutter, each with the input that came before its end."""
    inputs = np.array([i.at_ns for i in record.inputs], np.int64)
    found = []
    for place in np.flatnonzero(spike_mask(times_ms)):
        before = int(np.searchsorted(inputs, ends_ns[place])) - 1
        after = record.inputs[before].what if before >= 0 else ""
        found.append({"at_s": ends_ns[place] / 1e9, "ms": times_ms[place], "after": after})
    return found


def rates(record: RunRecord) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Counters for drawing: seconds used become cores in use, bytes become MiB.

    Cores are a mean of five samples, for the kernel counts processor time in steps of 10 ms.
    """
    shown = {}
    for name, (instants, values) in record.counters.items():
        if name.endswith("_seconds") and len(instants) > 1:
            gaps = np.maximum(np.diff(instants) / 1e9, 1e-9)
            shown[name.removesuffix("_seconds")] = (instants[1:], smooth(np.diff(values) / gaps, 5))
        elif name in ("subject.resident", "subject.proportional"):
            shown[name] = (instants, values / 2**20)
        elif name in ("subject.threads", "subject.processes"):
            shown[name] = (instants, values)
    return shown


def smooth(values: np.ndarray, over: int) -> np.ndarray:
    """Mean of neighbours; fewer at the ends."""
    kernel = np.ones(min(over, max(1, len(values))))
    if not len(values):
        return values
    return np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same")


def thin(instants: np.ndarray, values: np.ndarray, start: int, end: int) -> dict[str, Any]:
    inside = (instants >= start) & (instants <= end)
    instants, values = instants[inside], values[inside]
    step = max(1, -(-len(instants) // MOST_POINTS))
    return {"at_s": instants[::step] / 1e9, "value": values[::step]}


class StretchView(MemberView):
    @extend_schema(
        parameters=[FROM, TO],
        responses=StretchReadingsSerializer,
        summary="Readings of any stretch of a run, exact from its samples",
    )
    def get(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run, pk=run, study__workspace=self.workspace)
        start, end = stretch_asked(request, run_end_ns(found))
        record = run_record(found)
        ends, times = frame_times(record.frames_ns, start, end)
        inputs = np.array([i.at_ns for i in record.inputs], np.int64)
        ends, times, idle_ms = cut_idle(ends, times, inputs)
        readings = stretch_readings(record, start, end)
        body = {
            "start_s": start / 1e9,
            "end_s": end / 1e9,
            "frames": len(times),
            "idle_s": idle_ms / 1e3,
            "readings": [
                {
                    "metric": reading.metric,
                    "name": METRICS[reading.metric].name,
                    "words": quantity(METRICS[reading.metric], reading.value),
                    "definition": METRICS[reading.metric].definition,
                    "warning": reading.warning,
                }
                for reading in readings
            ],
            "spikes": spikes(record, ends, times),
        }
        return Response(StretchReadingsSerializer(body).data)
