"""Families of metrics: what belongs together, and which metrics say one fact in another form.

An echo follows from its lead by definition, the same in every study: the rate of the 99th
percentile is 1000 over its time. A fact is counted once, by its lead.
"""

from __future__ import annotations

from collections.abc import Sequence

from yardstick_core.readings.metric import (
    ENGINE_BUSY,
    METRICS,
    ON_RATE,
    OWN_COUNTER,
    REPORTED_PREFIX,
    rate_of,
)

TIMES, FRAMES, LATENCY = "times", "frames", "latency"
PROCESSOR, GRAPHICS, MEMORY = "processor", "graphics", "memory"
ENERGY, SIZE, REPORTED = "energy", "size", "reported"
#: In the order in which they are read, and what they are called.
FAMILY_NAMES = {
    TIMES: "Times",
    FRAMES: "Frames",
    LATENCY: "Latency",
    PROCESSOR: "Processor and processes",
    GRAPHICS: "Graphics",
    MEMORY: "Memory",
    ENERGY: "Energy and heat",
    SIZE: "Disk and network",
    REPORTED: "Said by the program or the rig",
}
FAMILIES = tuple(FAMILY_NAMES)

#: By family, each lead with its echoes.
_LEADS: dict[str, dict[str, tuple[str, ...]]] = {
    TIMES: {"duration": (), "lap_time": (), "lap_slowing": (), "step_time": (), "restart": (),
            "restart_down": (), "restart_firmware": (), "restart_up": (), "restart_rest": (),
            "restart_display": ()},
    FRAMES: {
        "average_rate": ("median_frame", "p95_frame", "busy_rate", "quiet_rate"),
        "one_percent_low": (
            "p99_frame", "p99_rate", "p999_frame", "p999_rate", "tenth_percent_low",
        ),
        "stutter_share": ("spikes", "evenness", "steadiness"),
        "on_target_60": ("on_target_120", "on_target_144", "drops_60"),
    },
    LATENCY: {"key_to_rest": (), "key_to_picture": ("key_to_picture_p95",)},
    PROCESSOR: {
        "processor_seconds": ("processor_cores", "processor_share", "processor_spent"),
        "companions_processor": (),
        "companion_processor": (),
        "processor_per_copy": (),
        "step_processor": (),
        "cores_busy": (),
        "background_cpu_share": (),
        "threads": ("start_threads",),
        "processes": ("start_processes",),
        "handles": ("start_handles",),
    },
    GRAPHICS: {
        "graphics_seconds": (),
        "graphics_memory": (),
        "shared_graphics_memory": (),
        "card_busy": (),
        "card_memory": (),
    },
    MEMORY: {
        "peak_memory": ("end_memory", "settled_memory", "unique_memory", "proportional_memory"),
        "memory_growth": (
            "memory_growth_first", "memory_growth_last", "memory_growth_per_lap",
        ),
        "companions_memory": (),
        "companion_memory": (),
        "memory_per_copy": (),
        "foreign_memory": (),
        "memory_after_restart": (),
    },
    ENERGY: {
        "energy": ("power",),
        "step_energy": (),
        "graphics_energy": (),
        "platform_energy": (),
        "battery_energy": (),
        "hottest": (),
        "hottest_graphics": (),
        "mean_clock": (),
        "throttled": (),
    },
    SIZE: {
        "installed": ("installed_files",),
        "disk_read": (),
        "disk_written": (),
        "network_sent": (),
        "network_received": (),
    },
}  # fmt: skip
#: The lead of all that is said of a rate to keep.
_TARGET = "on_target_60"
_FAMILY = {
    key: family
    for family, leads in _LEADS.items()
    for lead, echoes in leads.items()
    for key in (lead, *echoes)
}
_LEAD = {
    echo: lead for leads in _LEADS.values() for lead, echoes in leads.items() for echo in echoes
}


def family_of(key: str) -> str:
    """The family of a metric. Raises KeyError where there is no such metric.

    >>> family_of("p99_rate")
    'frames'

    >>> family_of("duration"), family_of("p99_frame")
    ('times', 'frames')
    """
    if key.startswith(REPORTED_PREFIX):
        return TIMES if METRICS[key].unit in ("s", "ms") else REPORTED
    if key.startswith(OWN_COUNTER):
        return REPORTED
    if rate_of(key):
        return FRAMES
    if key.startswith(ENGINE_BUSY):
        return GRAPHICS
    return _FAMILY[key]


def lead_of(key: str) -> str:
    """The metric that this one follows from by definition; empty where it stands by itself.

    >>> lead_of("p99_rate")
    'one_percent_low'
    """
    if rate_of(key):
        return _TARGET
    return _LEAD.get(key, "")


def leads_by_itself(key: str) -> bool:
    """Whether a metric takes the place of its lead where it was read: a script's own rate does."""
    return key.startswith(ON_RATE)


def facts(
    places: Sequence[tuple[str, tuple[str, ...]]], echo_of: Sequence[str]
) -> list[tuple[int, list[int]]]:
    """The metrics at `places` (key and stretch) as facts: of each lead its index and its echoes'.

    `echo_of` holds the key of the lead of the same stretch for each, or nothing. An echo whose lead
    is not there stands by itself, so that each index stands once.
    """
    known = set(places)
    echoes: dict[tuple[str, tuple[str, ...]], list[int]] = {}
    leads = []
    for index, ((_, stretch), lead) in enumerate(zip(places, echo_of, strict=True)):
        if lead and (lead, stretch) in known:
            echoes.setdefault((lead, stretch), []).append(index)
        else:
            leads.append(index)
    return [(index, echoes.get(places[index], [])) for index in leads]
