"""How sure a report is, by which method it was judged, and what was not tested, in sentences."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from yardstick_core.compare.intervals import RANKS, T_WITHIN_ROUNDS, WELCH_T
from yardstick_core.report.content import Content

_UNEVEN = "where a side has another number of runs, "
#: How the methods of the judgement are said, by what their names begin with.
_METHODS = {
    T_WITHIN_ROUNDS: "each pair of a round is compared within itself, by Student's t",
    WELCH_T: f"{_UNEVEN}both are compared as they are, by Welch's t",
    RANKS: "where a reading is known only to be longer, the sides are compared by ranks",
}


def how_sure(content: Content) -> list[str]:
    """The plan, the method, how many metrics were looked at, drift and what sampling costs."""
    board, match = content["board"], content["match"]
    judged = [row for row in board["rows"] if row["counted"]]
    used = {d["method"] for row in judged for d in row["differences"] if d}
    how = [text for name, text in _METHODS.items() if any(one.startswith(name) for one in used)]
    elsewhere = content["work"]["elsewhere"]
    found = [] if elsewhere else [f"Plan: {content['plan']}."]
    if how:
        turns = "Variants took no turns here" if elsewhere else "Variants take turns in every round"
        if elsewhere:
            how = [text.removeprefix(_UNEVEN) for text in how]
        found.append(
            f"{turns}; {'; '.join(how)}; ratios on logs. The run is the "
            "unit: frames are not counted as if they were runs. Readings are medians over runs; a "
            "change is estimated from all of them, and may differ a little from what two medians "
            "lie apart. Intervals hold at "
            f"{board['level']}. {len(judged)} metrics count; allowing for how many are looked at, "
            "at most 5.5 in 100 studies of the same build raise any alarm."
        )
    drifting = [one["text"] for one in match["drift"] if one["drifts"]]
    if drifting:
        found.append(f"Over the rounds something drifted: {'; '.join(drifting)}.")
    elif match["drift"]:
        found.append("No trend over the rounds that matters was found in what decides.")
    if elsewhere:
        found.append("In which order the runs were taken, and beside what, is not known.")
        return found
    watching = match["watching"]
    costs = [one["text"] for one in watching["costs"] if one["matters"]]
    if costs:
        found.append(f"Sampling itself costs: {'; '.join(costs)}.")
    elif watching["runs"]:
        open_ = [one for one in watching["costs"] if one["verdict"] == "open"]
        found.append(
            f"What sampling costs was measured with {watching['runs']} runs without it: "
            + ("not all of it is known well enough." if open_ else "too little to matter.")
        )
    else:
        found.append("What sampling costs was not measured in this study.")
    return found


def not_tested(content: Content) -> list[str]:
    """What nobody may conclude from the report, as far as the study itself tells."""
    board = content["board"]
    found = []
    if content["rig"]:
        found.append(f"Other machines than {content['rig']}: readings are theirs alone.")
    else:
        found.append("Nothing was measured by a rig of its own.")
    facts = dict(content["machine"])
    if "software" in facts.get("graphics", ""):
        found.append("Graphics hardware: pictures were drawn in software.")
    if facts.get("display", "").startswith("virtual"):
        found.append("A screen that one can touch: pictures were counted at a virtual display.")
    work = ", ".join(f"{name} {value}" for name, value in content["work"]["facts"])
    if work:
        found.append(f"Other work than {work}.")
    if not content["runs"]["cold"] and not content["work"]["elsewhere"]:
        found.append("The first start after the machine's: no cold round was taken.")
    open_ = [_named(row, board) for row in board["rows"] if _is_open(row)]
    if open_:
        found.append(f"Not known well enough: {'; '.join(open_)}.")
    return found


def _is_open(row: Mapping[str, Any]) -> bool:
    main = row["deciding"] or (row["primary"] and row["counted"])
    return main and any(d and d["verdict"] == "open" for d in row["differences"])


def _named(row: Mapping[str, Any], board: Mapping[str, Any]) -> str:
    whom = [
        board["variants"][index]
        for index, difference in enumerate(row["differences"])
        if difference and difference["verdict"] == "open"
    ]
    inside = len(row["stretch"]) > 1 and row["stretch"][0].lower() != row["label"].lower()
    label = f"{row['label']} in {row['stretch'][0]}" if inside else row["label"]
    return f"{label} ({', '.join(whom)})"
