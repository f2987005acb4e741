"""Tables of rows within JSON values, and objects made flat."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from yardstick_core.formats.guessing.naming import is_action

MOST_DEPTH = 12
#: Numbers of one list, to be frames of a run and not results of it.
FEWEST_FRAMES = 20


def trace_events(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows of the Trace Event format as events with begin and end; none where it is not that."""
    if not all({"ph", "ts", "name"} <= row.keys() for row in rows[:50] if row.get("ph") != "M"):
        return []
    found: list[dict[str, Any]] = []
    begun: dict[tuple[Any, Any], list[dict[str, Any]]] = {}
    for row in rows:
        kind, at, thread = row.get("ph"), row.get("ts"), (row.get("pid"), row.get("tid"))
        if not isinstance(at, (int, float)):
            continue
        if kind == "X" and isinstance(row.get("dur"), (int, float)):
            found.append(_event(row, at, at + row["dur"]))
        elif kind == "B":
            begun.setdefault(thread, []).append(row)
        elif kind == "E" and begun.get(thread):
            first = begun[thread].pop()
            found.append(_event(first, first["ts"], at))
    return sorted(found, key=lambda event: float(event["begin [µs]"]))


def _event(row: dict[str, Any], begin: float, end: float) -> dict[str, Any]:
    return {"name": str(row.get("name", "")), "begin [µs]": begin, "end [µs]": end}


def tables(value: Any, depth: int = 0) -> Iterator[list[dict[str, Any]]]:
    """Every table in a value: a list of objects, an object of lists, and what they are read as."""
    if depth > MOST_DEPTH:
        return
    if isinstance(value, list):
        if value and all(isinstance(one, dict) for one in value):
            yield value
            yield from with_lists(value)
            yield from _within(value)
        elif value and all(isinstance(one, (int, float)) for one in value):
            yield [{"value": one} for one in value]
        elif value and all(isinstance(one, list) for one in value):
            yield from _of_lists(value)
        for one in value[:50]:
            yield from tables(one, depth + 1)
    elif isinstance(value, dict):
        yield from _by_key(value)
        columns = {
            name: one for name, one in value.items() if isinstance(one, list) and len(one) > 1
        }
        lengths = {len(one) for one in columns.values()}
        if (
            len(columns) > 1
            and len(lengths) == 1
            and not any(
                isinstance(cell, (dict, list)) for one in columns.values() for cell in one[:5]
            )
        ):
            yield [
                dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)
            ]
        for one in value.values():
            yield from tables(one, depth + 1)


def _is_numbers(value: Any) -> bool:
    return isinstance(value, list) and len(value) > 1 and all(
        isinstance(one, (int, float)) for one in value
    )  # fmt: skip


def with_lists(rows: list[dict[str, Any]]) -> Iterator[list[dict[str, Any]]]:
    """Objects with a list of numbers each: a row for each number."""
    listed = [name for name, cell in rows[0].items() if _is_numbers(cell)]
    if len(listed) != 1 or not all(_is_numbers(row.get(listed[0])) for row in rows):
        return
    kept = [{k: v for k, v in row.items() if not isinstance(v, (dict, list))} for row in rows]
    varying = [k for k in kept[0] if len({str(row.get(k)) for row in kept}) > 1]
    if len(varying) > 1 and max(len(row[listed[0]]) for row in rows) >= FEWEST_FRAMES:
        # frames of a run follow one another: a name for each run parts them
        kept = [{"variant": " ".join(str(row.get(k)) for k in varying)} for row in kept]
    yield [
        one | {listed[0]: number}
        for one, row in zip(kept, rows, strict=True)
        for number in row[listed[0]]
    ]


def _within(rows: list[dict[str, Any]]) -> Iterator[list[dict[str, Any]]]:
    """Objects with a list of objects each: a row for each of those, with what is said around it."""
    for name, cell in rows[0].items():
        if not isinstance(cell, list) or not all(isinstance(one, dict) for one in cell):
            continue
        if len(rows) > 1 and all(isinstance(row.get(name), list) for row in rows):
            yield [
                {_of_all(k): v for k, v in row.items() if not isinstance(v, (list, dict))} | one
                for row in rows
                for one in row[name]
                if isinstance(one, dict)
            ]


def _of_all(name: str) -> str:
    """What an object says of all rows in it: its name is that of a variant."""
    return "variant" if name.lower() in ("name", "id", "label", "title") else name


def _by_key(value: dict[str, Any]) -> Iterator[list[dict[str, Any]]]:
    """Tables of the same columns, each under the name of a variant; or its numbers alone."""
    if len(value) < 2:
        return
    if all(map(_is_numbers, value.values())):
        if len({len(numbers) for numbers in value.values()}) > 1:
            yield [{"variant": key, "value": one} for key, some in value.items() for one in some]
        return
    tables: list[tuple[str, list[dict[str, Any]]]] = []
    for key, one in value.items():
        if isinstance(one, list) and one and all(isinstance(row, dict) for row in one):
            tables.append((key, one))
        elif isinstance(one, dict) and one and all(map(_is_numbers, one.values())):
            most = max(len(column) for column in one.values())
            rows = [
                {name: column[n] for name, column in one.items() if n < len(column)}
                for n in range(most)
            ]
            tables.append((key, rows))
        elif isinstance(one, dict) and len(listed := [c for c in one if _is_numbers(one[c])]) == 1:
            tables.append((key, [{listed[0]: number} for number in one[listed[0]]]))
        else:
            return
    if len({frozenset(rows[0]) for _, rows in tables}) == 1:
        said = "what" if sum(map(is_action, value)) * 2 > len(value) else "variant"
        yield [{said: key} | row for key, rows in tables for row in rows]


def _of_lists(rows: list[list[Any]]) -> Iterator[list[dict[str, Any]]]:
    """Rows as lists; the first names the columns where it is all text."""
    first = rows[0]
    if first and all(isinstance(cell, str) for cell in first):
        yield [dict(zip(first, row, strict=False)) for row in rows[1:]]
    else:
        yield [{f"column {n + 1}": cell for n, cell in enumerate(row)} for row in rows]


#: What objects are called of which it only matters what is in them.
_SAY_NOTHING = frozenset({
    "data", "durations", "measurements", "metrics", "results", "seconds", "times", "timings",
    "values",
})  # fmt: skip


def flat(row: dict[str, Any], before: str = "", depth: int = 0) -> dict[str, Any]:
    """An object without objects in it: `{"gpu": {"load": 3}}` has the field `gpu.load`.

    >>> flat({"t": 1, "gpu": {"load": 3, "clock": {"mhz": 9}}})
    {'t': 1, 'gpu.load': 3, 'gpu.clock.mhz': 9}

    An object that only says that there are numbers in it names none of them: `timings.launch` is
    `launch`. Halves of pairs of signs, which JSON may hold and no text does, are replaced.
    """
    found: dict[str, Any] = {}
    for key, value in row.items():
        name = whole_text(key)
        if isinstance(value, dict) and depth < MOST_DEPTH:
            inner = flat(value, "", depth + 1)
            plain = not before and name.lower() in _SAY_NOTHING and not inner.keys() & row.keys()
            found |= inner if plain else {f"{before}{name}.{k}": v for k, v in inner.items()}
        elif not isinstance(value, list):
            found[f"{before}{name}"] = whole_text(value) if isinstance(value, str) else value
    return found


def whole_text(text: str) -> str:
    """A text as a database keeps it: without halves of surrogate pairs and without NUL.

    >>> whole_text("loom"), whole_text(chr(0xD999) + "loom" + chr(0))
    ('loom', '?loom?')
    """
    whole = text if text.isascii() else text.encode("utf-8", "replace").decode()
    return whole.replace("\0", "?")
