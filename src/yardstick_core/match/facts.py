"""What may be known of a machine: each fact's name, how grave it is where it differs, and why."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

BREAKS, WORD, HARMLESS = "breaks the comparison", "needs a word", "harmless"
#: From grave to light.
GRADES = (BREAKS, WORD, HARMLESS)
UNKNOWN = "unknown"

#: Families of metrics that a fact can touch; a fact that names none touches all.
TIMES, FRAMES, PROCESSOR, MEMORY, DISK = "times", "frames", "processor", "memory", "disk"


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing known of a machine.

    `passing` facts change by themselves from run to run; numbers differ where they are further
    apart than `tolerance`, in their own unit. `caused` says what a difference may have done to the
    readings, `touches` to which. Where the study's factor is one of `factors`, it is meant to
    differ.
    """

    key: str
    name: str
    grade: str
    caused: str
    unit: str = ""
    passing: bool = False
    tolerance: float = 0.0
    touches: tuple[str, ...] = ()
    factors: tuple[str, ...] = ()


_SYSTEM = ("operating system", "os", "system", "kernel")
_GRAPHICS = ("driver", "graphics driver", "display driver", "gpu")
_DESKTOP = ("desktop", "display server", *_SYSTEM)

FACTS: dict[str, Fact] = {
    fact.key: fact
    for fact in (
        Fact("processor", "processor", BREAKS, "another processor works at another pace"),
        Fact("architecture", "architecture", BREAKS, "programs are built differently for it"),
        Fact("cores", "cores", BREAKS, "work that runs on all cores takes more or less time"),
        Fact("memory_bytes", "memory", BREAKS, "with less memory more is fetched again from disk",
             unit="bytes", tolerance=64 * 2**20),
        Fact("machine_kind", "kind of machine", WORD,
             "what shares the hardware is not seen from inside a virtual machine"),
        Fact("clock_policy", "clock policy", BREAKS,
             "a saving policy answers short work with a slow clock"),
        Fact("clock_limit_mhz", "clock limit", BREAKS, "a lower limit slows everything",
             unit="MHz", tolerance=1),
        Fact("clock_mhz", "clock when started", HARMLESS, "the clock follows the load",
             unit="MHz", passing=True, tolerance=400),
        Fact("turbo", "turbo clock", BREAKS, "short work runs at another clock"),
        Fact("temperature_c", "temperature when started", WORD,
             "a hot processor lowers its clock", unit="°C", passing=True, tolerance=6),
        Fact("graphics", "graphics", BREAKS, "pictures are drawn by other means",
             touches=(FRAMES, TIMES, PROCESSOR), factors=_GRAPHICS),
        Fact("graphics_driver", "graphics driver", BREAKS, "pictures are drawn by other code",
             touches=(FRAMES, TIMES, PROCESSOR), factors=_GRAPHICS),
        Fact("disk", "kind of disk", BREAKS, "files are read and written at another pace",
             touches=(TIMES, DISK)),
        Fact("file_system", "file system", WORD, "files are read and written by other code",
             touches=(TIMES, DISK), factors=_SYSTEM),
        Fact("disk_free_bytes", "free disk space", HARMLESS, "a nearly full disk writes slowly",
             unit="bytes", passing=True, tolerance=5 * 2**30, touches=(TIMES, DISK)),
        Fact("memory_free_bytes", "free memory when started", WORD,
             "with little free memory files leave the cache", unit="bytes", passing=True,
             tolerance=2**30, touches=(TIMES, MEMORY)),
        Fact("system", "operating system", BREAKS, "every call to the system may differ",
             factors=_SYSTEM),
        Fact("kernel", "kernel", BREAKS, "scheduling, memory and disk are handled differently",
             factors=_SYSTEM),
        Fact("desktop", "desktop", WORD, "it draws and places windows in its own way",
             touches=(FRAMES, TIMES), factors=_DESKTOP),
        Fact("display.manager", "window manager", WORD, "windows are shown by other code",
             touches=(FRAMES, TIMES), factors=_DESKTOP),
        Fact("display.vendor", "display server", BREAKS, "pictures arrive by another way",
             touches=(FRAMES, TIMES), factors=_DESKTOP),
        Fact("display.release", "version of the display server", WORD,
             "pictures are handled by other code", touches=(FRAMES, TIMES), factors=_DESKTOP),
        Fact("display.width", "display width", BREAKS, "more or fewer pixels are drawn",
             unit="px", touches=(FRAMES, TIMES, PROCESSOR, MEMORY)),
        Fact("display.height", "display height", BREAKS, "more or fewer pixels are drawn",
             unit="px", touches=(FRAMES, TIMES, PROCESSOR, MEMORY)),
        Fact("display.depth", "colour depth", BREAKS, "each pixel costs more or less",
             unit="bit", touches=(FRAMES, TIMES, PROCESSOR, MEMORY)),
        Fact("display.scale", "scale of the display", BREAKS, "more or fewer pixels are drawn",
             touches=(FRAMES, TIMES, PROCESSOR, MEMORY)),
        Fact("display.refresh_hz", "refresh rate", BREAKS, "pictures are shown at another beat",
             unit="Hz", tolerance=0.5, touches=(FRAMES,)),
        Fact("sensors", "what the machine tells of itself", HARMLESS,
             "readings of energy, heat and graphics are there only where it does", passing=True),
        Fact("throttled", "held back for heat", BREAKS,
             "a processor that is too hot runs at a lower clock", passing=True,
             touches=(TIMES, FRAMES, PROCESSOR)),
        Fact("power", "power source", BREAKS, "on battery most machines work slower"),
        Fact("network", "network", WORD, "what asks the network may wait for it"),
        Fact("boot", "start of the machine", WORD,
             "caches, memory and background work differ from one start to another"),
        Fact("since_boot_s", "time since the start of the machine", HARMLESS,
             "background work goes on for some minutes after a start", unit="s", passing=True,
             tolerance=1800),
        Fact("home", "home of the programs", WORD,
             "settings, caches and lists of recent files pass from one run to the next",
             passing=True),
        Fact("session_bus", "session bus of the programs", WORD,
             "without one of its own a program may be handed to one that runs already, or wait",
             passing=True, touches=(TIMES, PROCESSOR, MEMORY)),
        Fact("time_zone", "time zone", HARMLESS, "only times of day read differently"),
        Fact("locale", "language", WORD, "text is sorted, formatted and drawn differently"),
        Fact("load_1min", "load before the run", HARMLESS,
             "what else ran takes time from the program", passing=True, tolerance=1.0),
        Fact("script", "session script", BREAKS, "the session is another"),
        Fact("agent", "version of the agent", WORD, "it measures and costs a little differently"),
    )
}  # fmt: skip

#: Facts of which there are many, by what their keys begin with.
FACT_GROUPS: dict[str, Fact] = {
    "packages": Fact(
        "packages", "version of", WORD, "its code is another", factors=(*_DESKTOP, *_GRAPHICS)
    ),
    "fixtures": Fact("fixtures", "fixture", BREAKS, "the work is another"),
    "programs": Fact(
        "programs", "running beside:", WORD, "it takes processor, memory or disk from the program",
        passing=True,
    ),
}  # fmt: skip
#: Below this share of the machine, percent, a program that runs beside is not counted as running.
PROGRAM_SHARE = 3.0
RUNNING, NOT_RUNNING = "running", "not running"


def fact_of(key: str) -> Fact:
    """The fact of a key; one nobody described needs a word where it differs."""
    if key in FACTS:
        return FACTS[key]
    group, _, rest = key.partition(".")
    if group in FACT_GROUPS:
        base = FACT_GROUPS[group]
        return Fact(
            key, f"{base.name} {rest}", base.grade, base.caused, passing=base.passing,
            factors=base.factors,
        )  # fmt: skip
    return Fact(key, key.replace("_", " "), WORD, "nobody has said what it may do")


def flat(facts: Mapping[str, Any]) -> dict[str, Any]:
    """Facts by dotted keys: `display.width`, `packages.NAME`, `programs.NAME`."""
    found: dict[str, Any] = {}
    for key, value in facts.items():
        if key == "programs" and isinstance(value, list):
            for program in value:
                if float(program.get("share", 0)) >= PROGRAM_SHARE:
                    found[f"programs.{program['name']}"] = RUNNING
        elif isinstance(value, Mapping):
            found |= {f"{key}.{name}": part for name, part in value.items()}
        else:
            found[key] = value
    return found


def is_known(value: object) -> bool:
    """Whether a fact was found out."""
    return value is not None and value != UNKNOWN and value != ""


def lasting(facts: Mapping[str, Any]) -> dict[str, Any]:
    """Facts that describe the machine, without those that change from moment to moment."""
    return {key: value for key, value in facts.items() if not fact_of(key).passing}


def in_text(key: str, value: object) -> str:
    """A fact's value with its unit, as people say it."""
    if not is_known(value):
        return UNKNOWN
    unit = fact_of(key).unit
    if key == "boot":
        return str(value)[:8]
    if not isinstance(value, (int, float)) or isinstance(value, bool):
        return str(value)
    if unit == "bytes":
        return f"{value / 2**30:.3g} GiB"
    if unit == "s":
        return f"{value / 3600:.3g} h" if value >= 3600 else f"{value / 60:.3g} min"
    text = f"{value:.4g}" if isinstance(value, float) else str(value)
    return f"{text} {unit}" if unit else text
