"""What a report says that an earlier one of the same study did not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypedDict

from yardstick_core.report.content import Content
from yardstick_core.report.references import main_rows, row_label
from yardstick_core.report.sections import answer_caveats


class Gist(TypedDict):
    """What a report says, in short: kept with it, so that later ones can be held against it."""

    rounds: int
    script: int
    verdicts: dict[str, str]
    caveats: list[str]
    advice: dict[str, str]
    claims: dict[str, str]
    runs: int


class Change(TypedDict):
    what: str
    before: str
    now: str


def gist(content: Content) -> Gist:
    board = content["board"]
    names = board["variants"]
    return {
        "rounds": content["rounds"],
        "script": content["work"]["version"],
        "verdicts": {
            f"{row_label(row)}, {names[index]}": _verdict(difference)
            for row in main_rows(board)
            for index, difference in enumerate(row["differences"])
            if difference
        },
        "caveats": answer_caveats(board),
        "advice": {
            one["profile"]: one["sentence"].split(":")[0] for one in content["decision"]["advice"]
        },
        "claims": {
            claim["statement"]: claim["judgement"] for claim in content["decision"]["claims"]
        },
        "runs": sum(content["runs"]["counted"]),
    }


def _verdict(difference: Mapping[str, Any]) -> str:
    return "held back" if difference["verdict_withheld"] else str(difference["verdict"])


def changes(before: Gist, now: Gist) -> list[Change]:
    """Everything that one says and the other does not; nothing where they say the same."""
    found: list[Change] = []
    counted: Sequence[tuple[str, str, str]] = (
        ("rounds", str(before["rounds"]), str(now["rounds"])),
        ("runs that count", str(before["runs"]), str(now["runs"])),
        ("version of the script", str(before["script"]), str(now["script"])),
    )
    for what, was, is_ in counted:
        if was != is_:
            found.append({"what": what, "before": was, "now": is_})
    for name in ("verdicts", "advice", "claims"):
        found += _changed(before[name], now[name])
    gone = [text for text in before["caveats"] if text not in now["caveats"]]
    new = [text for text in now["caveats"] if text not in before["caveats"]]
    found += [{"what": "what touches it", "before": text, "now": "settled"} for text in gone]
    found += [{"what": "what touches it", "before": "nothing", "now": text} for text in new]
    return found


def _changed(before: Mapping[str, str], now: Mapping[str, str]) -> list[Change]:
    return [
        {"what": name, "before": before.get(name, "nothing"), "now": now.get(name, "nothing")}
        for name in dict.fromkeys((*before, *now))
        if before.get(name) != now.get(name)
    ]


def in_short(found: Sequence[Change], number: int) -> str:
    """What changed since a report, in a sentence."""
    if not found:
        return f"It says what no. {number} says."
    verdicts = [one for one in found if one["what"] not in ("rounds", "runs that count")]
    if not verdicts:
        return f"More was measured since no. {number}; it says the same."
    first = verdicts[0]
    rest = f" and {len(verdicts) - 1} more" if len(verdicts) > 1 else ""
    if first["what"] == "what touches it":
        said = f"{'a caveat is settled' if first['now'] == 'settled' else 'a caveat is new'}"
    else:
        said = f"{first['what']} was {first['before']} and is {first['now']}"
    return f"Since no. {number}: {said}{rest}."
