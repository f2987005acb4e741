"""The table of what was counted, as Markdown, and where it falls short of what is required."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.calibration.cells import SCENARIOS, Cell


@dataclass(frozen=True, slots=True)
class Rate:
    """Something counted over whole studies, as a share of 1, and what is required of it."""

    what: str
    found: float
    most: float | None = None
    least: float | None = None

    @property
    def falls_short(self) -> bool:
        too_many = self.most is not None and self.found > self.most
        return too_many or (self.least is not None and self.found < self.least)


def shortfalls(counted: Sequence[Cell], rates: Sequence[Rate] = ()) -> list[str]:
    """Where the required rates are not reached, in words; none where all are."""
    found = []
    for cell in counted:
        if cell.runs < 3 or (cell.method == "unpaired" and cell.drifts):
            continue
        where = f"{cell.method}, {cell.scenario}, {cell.runs} runs a side"
        most = 1.0 if cell.discrete else 0.99
        if not math.isnan(cell.coverage) and not 0.93 <= cell.coverage <= most:
            found.append(f"{where}: coverage {100 * cell.coverage:.1f} %")
        if cell.false_alarms > 0.06:
            found.append(f"{where}: alarms {100 * cell.false_alarms:.1f} %")
        if cell.wrongly_level > 0.055:
            found.append(f"{where}: wrongly level {100 * cell.wrongly_level:.1f} %")
    return found + [f"{rate.what}: {100 * rate.found:.1f} %" for rate in rates if rate.falls_short]


def report(
    counted: Sequence[Cell], rates: Sequence[Rate], short: Sequence[str], repeats: int
) -> str:
    """The whole table as Markdown."""
    lines = [
        "# How often the judging is right",
        "",
        f"Made by `./yardstick calibrate`: {repeats} repeats a cell and change, of simulated runs",
        "whose truth is known. Each cell holds, in percent: **given**, how often there is an",
        "interval at all; **coverage** of the 95 % interval where there is one; **alarms**, the",
        "same build twice called ahead or behind by one metric that is looked at alone; **found**,",
        "three true changes called by their name; **wrong**, a true change called the other way",
        "round; **level**, one that matters called level. What matters is 3 %, half a point of",
        "stutter, one process, so a change of 3 % is called at most every other time.",
        "",
    ]
    for method in dict.fromkeys(cell.method for cell in counted):
        lines += [
            f"## {method.capitalize()}",
            "",
            "| scenario | runs a side | given | coverage | alarms | found | wrong | level |",
            "|---|--:|--:|--:|--:|--:|--:|--:|",
        ]
        lines += [_line(cell) for cell in counted if cell.method == method]
        lines.append("")
    lines += ["The changes of **found**:", ""]
    for changes in dict.fromkeys(scenario.changes for scenario in SCENARIOS):
        named = [scenario.name for scenario in SCENARIOS if scenario.changes == changes]
        lines.append(f"- {_changes(changes)}: {', '.join(named)};")
    lines += [
        "",
        "## Whole studies",
        "",
        "| what | found | required |",
        "|---|--:|--:|",
        *(_rate(rate) for rate in rates),
        "",
        "## Not reached",
        "",
        *([f"- {text}" for text in short] or ["Nothing: every required rate is reached."]),
        "",
        "Required: from 3 runs a side on, coverage of 93-99 % where an interval is given (more",
        "than 99 % where few values occur), at most 6 % alarms, and at most 5.5 % of changes that",
        "matter called level; within rounds also where the machine drifts or changes its state.",
    ]
    return "\n".join(lines)


def _changes(changes: tuple[float, ...]) -> str:
    """The true changes of a scenario as the table names them."""
    if max(changes) < 0.25:
        return ", ".join(f"{100 * change:.0f} %" for change in changes) + " better"
    if max(changes) > 1:
        return ", ".join(f"{change:g}" for change in changes) + " fewer"
    return ", ".join(f"{100 * change:.0f} %" for change in changes) + " of the runs with it"


def _line(cell: Cell) -> str:
    found = " / ".join(f"{100 * share:.0f}" for share in cell.power)
    mark = " (not required)" if cell.drifts and cell.method == "unpaired" else ""
    coverage = "–" if math.isnan(cell.coverage) else f"{100 * cell.coverage:.1f}"
    return (
        f"| {cell.scenario}{mark} | {cell.runs} | {100 * cell.given:.0f} | {coverage} | "
        f"{100 * cell.false_alarms:.1f} | {found} | {100 * cell.wrong_way:.2f} | "
        f"{100 * cell.wrongly_level:.1f} |"
    )


def _rate(rate: Rate) -> str:
    required = ""
    if rate.most is not None:
        required = f"≤ {100 * rate.most:g} %"
    elif rate.least is not None:
        required = f"≥ {100 * rate.least:g} %"
    return f"| {rate.what} | {100 * rate.found:.1f} % | {required} |"
