"""All numbers of a study with their definitions, as JSON of a published shape and as CSV."""

from __future__ import annotations

import csv
import hashlib
import io
import json
from collections.abc import Mapping
from typing import Any

from yardstick_core import CORE_VERSION
from yardstick_core.report.references import row_label

#: Version of the shape that `docs/results.schema.json` describes.
SCHEMA = 1
_DIFFERENCE = (
    "verdict", "change_text", "percent_text", "factor_text", "interval_text", "change",
    "change_low", "change_high", "ratio", "ratio_low", "ratio_high", "p", "method",
)  # fmt: skip
_COLUMNS = [
    "stretch", "metric", "name", "unit", "better", "counted", "deciding", "baseline",
    "baseline_median", "variant", "median", "verdict", "change", "change_low", "change_high",
    "ratio", "ratio_low", "ratio_high", "p", "method", "baseline_runs", "candidate_runs",
    "change_text", "interval_text", "caveats", "definition",
]  # fmt: skip
#: A cell that begins with one of these is taken for a formula by programs that show tables.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def results(board: Mapping[str, Any], question: str) -> dict[str, Any]:
    """Every metric of a board with samples, medians and differences, in the metric's own unit."""
    return {
        "schema": SCHEMA,
        "core_version": CORE_VERSION,
        "question": question,
        "variants": list(board["variants"]),
        "baseline": board["baseline"],
        "level": board["level"],
        "metrics": [_metric(row) for row in board["rows"]],
    }


def _metric(row: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "label": row_label(row),
        "stretch": list(row["stretch"]),
        "metric": row["metric"],
        "name": row["name"],
        "definition": row["definition"],
        "unit": _own_unit(row),
        "shown_unit": row["unit"],
        "family": row["family"],
        "higher_is_better": row["higher_is_better"],
        "counted": row["counted"],
        "deciding": row["deciding"],
        "material": row["material"],
        "medians": [median and {**median} for median in row["medians"]],
        "samples": [[_sample(sample) for sample in side] for side in row["samples"]],
        "differences": [
            difference and _difference(difference) for difference in row["differences"]
        ],
    }


def _own_unit(row: Mapping[str, Any]) -> str:
    """The unit that values have in files, whatever suits the screen."""
    return (
        {"ms": "s", "min": "s", "GiB": "MiB"}.get(row["unit"], row["unit"])
        if (row["unit_factor"] != 1)
        else str(row["unit"])
    )


def _sample(sample: Mapping[str, Any]) -> dict[str, Any]:
    return {name: sample[name] for name in ("run", "round", "value", "right_censored")}


def _difference(difference: Mapping[str, Any]) -> dict[str, Any]:
    return {
        **{name: difference.get(name) for name in _DIFFERENCE},
        "baseline_runs": difference["baseline_runs"],
        "candidate_runs": difference["candidate_runs"],
        "excluded_runs": [list(one) for one in difference["excluded_runs"]],
        "caveats": [caveat["text"] for caveat in difference["caveats"]],
    }


def results_csv(found: Mapping[str, Any]) -> str:
    """A line a metric and candidate; amounts in the unit of the line, ratios as factors."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    names, baseline = found["variants"], found["baseline"]
    for metric in found["metrics"]:
        base = metric["medians"][baseline]
        for index, difference in enumerate(metric["differences"]):
            if difference is None:
                continue
            median = metric["medians"][index]
            values = {
                **difference,
                "stretch": " / ".join(metric["stretch"]),
                "metric": metric["metric"],
                "name": metric["name"],
                "unit": metric["unit"],
                "better": "higher" if metric["higher_is_better"] else "lower",
                "counted": _yes(metric["counted"]),
                "deciding": _yes(metric["deciding"]),
                "baseline": names[baseline],
                "baseline_median": base["value"] if base else None,
                "variant": names[index],
                "median": median["value"] if median else None,
                "caveats": "; ".join(difference["caveats"]),
                "definition": metric["definition"],
            }
            writer.writerow([_cell(values[name]) for name in _COLUMNS])
    return out.getvalue()


def _yes(value: bool) -> str:
    return "yes" if value else "no"


def _cell(value: Any) -> Any:
    """Texts of persons cannot become formulas; numbers stay numbers."""
    if isinstance(value, str) and value.startswith(_FORMULA):
        return f"'{value}"
    return "" if value is None else value


def digest(found: Any) -> str:
    """SHA-256 of JSON, the same wherever it is made: names sorted, no spaces."""
    text = json.dumps(found, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()
