"""Readings: one number a run yields for one metric and stretch."""

from yardstick_core.readings.derive import Reading, derive
from yardstick_core.readings.metric import METRICS, Metric

__all__ = ["METRICS", "Metric", "Reading", "derive"]
