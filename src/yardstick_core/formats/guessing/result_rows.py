"""Rows that are timings: events that begin and end, and tables of results."""

from __future__ import annotations

import numpy as np

from yardstick_core.formats.guessing.column_values import (
    climbs,
    counts_on,
    places_of,
    renamed,
    reported_unit,
    seconds_of,
    unit_by_size,
)
from yardstick_core.formats.guessing.event_rows import (
    MOST_ROWS,
    are_numbered_frames,
    name_of_rows,
)
from yardstick_core.formats.guessing.naming import (
    is_action,
    is_mean,
    names_steps,
    names_tests,
    sums_up,
    without_number,
)
from yardstick_core.formats.guessing.result_columns import (
    FEW_RESULTS,
    actions_of,
    are_all_told_apart,
    are_shares,
    before_repeats,
    clocked_results,
    has_nothing_but_counts,
    long_durations,
    named_after_actions,
    of_command,
    repeats_of,
    stem_of_column,
    timed_actions,
    wide_results,
)
from yardstick_core.formats.mapping import (
    CLOCK,
    DATE,
    DURATION,
    FRAME_TIME,
    MARKER,
    MEMORY,
    OTHER,
    PROCESSOR,
    RATE,
    SKIP,
    SPAN,
    TIME,
    TIME_UNITS,
    UNITS,
    VARIANT,
    WRITTEN,
    Column,
)
from yardstick_core.formats.values import dates, numbers


def as_results(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A short table of results: of variants named in a column, or of one variant a column.

    What is told in another unit than one of time is no result of it.
    """
    held = [
        place for place in places_of(found, OTHER)
        if found[place].unit and found[place].unit not in (*TIME_UNITS, *WRITTEN)
    ]  # fmt: skip
    apart = found  # a meter, as memory is, stands beside results and is none
    for place in held:
        apart = renamed(apart, place, MEMORY, found[place].unit)
    done = _as_results(apart, columns, decimal, doubts)
    for place in held:
        if done[place].role == MEMORY:
            done = renamed(done, place, OTHER, found[place].unit)
    return done


def _as_results(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    rows = len(columns[0]) if columns else 0
    others = places_of(found, FRAME_TIME, RATE)
    if not places_of(found, VARIANT) and not of_command(found):
        others += places_of(found, PROCESSOR)
    if not places_of(found, VARIANT):
        others += [p for p in places_of(found, OTHER) if _are_instants(columns[p], decimal)]
    if not 0 < rows < MOST_ROWS or others or are_numbered_frames(found, columns, decimal):
        return [_undone(column) for column in found]
    found = _days_apart(clocked_results(found, columns), columns)
    times = places_of(found, TIME)
    climbing = [p for p in times if climbs(seconds_of(found[p], columns[p], decimal))]
    if climbing and has_nothing_but_counts(found, columns, decimal, climbing[0]):
        found = renamed(found, climbing[0], DURATION, found[climbing[0]].unit)
        times, climbing = [p for p in times if p != climbing[0]], climbing[1:]
    if climbing or any(found[p].unit == DATE for p in times):
        if not places_of(found, VARIANT) or not places_of(found, DURATION):
            return [_undone(column) for column in found]
        for place in times:  # when it was measured
            found = renamed(found, place, SKIP)
        times = []
    if not places_of(found, VARIANT) and (repeats := repeats_of(found, columns, decimal)):
        place = next(p for p, cells in enumerate(columns) if are_all_told_apart(cells, decimal))
        timed = sum(map(is_action, columns[place])) * 2 > rows
        what = "the timing" if timed else "the variant"
        doubts.append(f"“{found[place].name}” names {what} of each row, each column is a run of it")
        named = [c if c.role != MARKER else Column(c.name) for c in found]
        named = renamed(named, place, MARKER if timed else VARIANT)
        return _results(named, columns, repeats, decimal, doubts)
    named = name_of_rows(found, columns, VARIANT)
    texts = places_of(named, VARIANT)
    if not texts and (done := named_after_actions(found, columns)):
        bare = [Column(c.name) if c.role == MARKER else c for c in found]
        named, texts = renamed(bare, done[0], MARKER), done
    steps = [place for place in places_of(found, MARKER) if names_steps(found[place].name)]
    named, texts = (named, texts) if texts else (found, steps)
    amounts = times + places_of(found, DURATION)
    if texts and not amounts:
        amounts = [
            place for place in places_of(named, OTHER)
            if not counts_on(numbers(columns[place], decimal)) and place not in texts
        ]  # fmt: skip
        told = [place for place in amounts if reported_unit(found[place].name, DURATION)]
        amounts = told or (amounts if len(amounts) <= FEW_RESULTS else [])
    if texts and amounts and (done := timed_actions(found, columns, decimal)):
        amounts = sorted({*amounts, *done} - set(texts))
    if texts and amounts:
        repeated = len({cell.strip() for cell in columns[texts[0]]}) * 2 <= rows
        if not repeated and not places_of(found, VARIANT):
            for understood in (_timings_by_variant, _one_each):
                if table := understood(found, columns, decimal, doubts):
                    return table
            return [_undone(column) for column in found]
        runs = [found[place].name for place in amounts if not sums_up(found[place].name)]
        several = len(set(map(without_number, runs))) > 1
        doubts.append(
            "each row is taken for the result of a run of its own"
            + (", each column for a timing of it" if several else "")
        )
        return _results(named, columns, amounts, decimal, doubts)
    if not texts and (alone := long_durations(found, columns, decimal)):
        doubts.append("each row is taken for the result of a run of its own")
        return _results(found, columns, alone, decimal, doubts)
    if not texts and (actions := actions_of(found, columns, decimal)):
        doubts.append("each row is taken for a run, each column for a timing of it")
        return _results(found, columns, actions, decimal, doubts)
    wide = wide_results(found, columns, decimal)
    if wide and not texts and (first := before_repeats(found, wide)) is not None:
        doubts.append(
            f"“{found[first].name}” is taken for the variant, each column for a run of it"
        )
        wide = [place for place in wide if place != first]
        return _results(renamed(found, first, VARIANT), columns, wide, decimal, doubts)
    if wide and not texts:
        doubts.append("each column is taken for a variant, each row for a run of each")
        return _results(found, columns, wide, decimal, doubts)
    each = None if texts or wide else _one_each(found, columns, decimal, doubts)
    return each or [_undone(column) for column in found]


def _are_instants(cells: list[str], decimal: str) -> bool:
    """Whether numbers are instants since 1970 that go on from row to row."""
    values = numbers(cells, decimal)
    return climbs(values) and bool(values.min() > _SINCE_1970)


#: In seconds, and more in any smaller unit.
_SINCE_1970 = 1e9


def _days_apart(found: list[Column], columns: list[list[str]]) -> list[Column]:
    """A column of days that come again says when results were taken, and not when rows were."""
    for place in places_of(found, TIME):
        days = {cell.strip() for cell in columns[place]}
        if (
            found[place].unit == DATE
            and len(days) * 2 <= len(columns[place])
            and places_of(found, VARIANT)
        ):
            found = renamed(found, place, SKIP)
    return found


def _undone(column: Column) -> Column:
    """What stands in no table of results: a duration is a number like others."""
    if column.role == DURATION:
        return Column(column.name, OTHER, column.unit)
    return Column(column.name) if column.role == VARIANT else column


def _timings_by_variant(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column] | None:
    """A table with a row for each timing and a column for each variant; None for another."""
    bare = [Column(c.name) if c.role == MARKER else c for c in found]
    named = [place for place, cells in enumerate(columns) if are_all_told_apart(cells, decimal)]
    wide = wide_results(bare, columns, decimal)
    if not named or not wide:
        return None
    name = found[named[0]].name
    doubts.append(f"“{name}” says what was timed in each row, each column is a variant")
    return _results(renamed(bare, named[0], MARKER), columns, wide, decimal, doubts)


def _one_each(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column] | None:
    """How long each of several things took that are named beside it, once each: a test report."""
    named = [
        place for place in places_of(found, MARKER, SKIP)
        if are_all_told_apart(columns[place], decimal)
    ]  # fmt: skip
    lengths = places_of(found, TIME, DURATION)
    if not named or len(lengths) != 1 or found[lengths[0]].unit in WRITTEN:
        return None
    name = found[named[0]].name
    doubts.append(f"“{name}” says what was timed in each row")
    bare = [Column(c.name) if c.role == MARKER else c for c in found]
    return _results(renamed(bare, named[0], MARKER), columns, lengths, decimal, doubts)


def are_timings(found: list[Column]) -> bool:
    """Whether several columns of durations are timings of the run that their row is.

    Columns that differ by a number alone are repeats, each a run of its own.
    """
    names = [found[place].name for place in places_of(found, DURATION)]
    if len({without_number(name) for name in names}) < 2 or places_of(found, MARKER):
        return False
    return bool(places_of(found, VARIANT)) or sum(map(is_action, names)) > 1


def _results(
    found: list[Column], columns: list[list[str]], amounts: list[int], decimal: str,
    doubts: list[str],
) -> list[Column]:  # fmt: skip
    for place in places_of(found, MARKER):
        if _are_remarks(found, columns, place):
            found = renamed(found, place, SKIP)
    shares = [place for place in amounts if are_shares(columns[place])]
    if len(shares) < len(amounts):  # a difference, and no duration
        amounts = [place for place in amounts if place not in shares]
    summaries = [place for place in amounts if sums_up(found[place].name)]
    if len(summaries) == len(amounts):
        doubts.append("what is a mean already counts as one run: how its runs differed is unknown")
        summaries = [place for place in amounts if not is_mean(found[place].name)]
    if 0 < len(summaries) < len(amounts):
        names = " and ".join(f"“{found[place].name}”" for place in summaries)
        verb = "sum" if len(summaries) > 1 else "sums"
        doubts.append(f"{names} {verb} up the others: no result of a run, left out")
        amounts = [place for place in amounts if place not in summaries]
    if any("±" in cell for place in amounts for cell in columns[place]):
        doubts.append(
            "what stands before ± is a mean, which counts as one run: how runs differed is unknown"
        )
    if places_of(found, VARIANT) and not places_of(found, MARKER):
        found = _what_was_timed(found, columns, amounts, doubts)
    labels = [cell.strip() for cells in columns for cell in cells if sums_up(cell)]
    if labels:
        doubts.append(f"the row “{labels[0]}” sums up others: it is no run")
    meters = [place for place in places_of(found, MEMORY, PROCESSOR) if place not in amounts]
    if meters:
        names = " and ".join(f"“{found[place].name}”" for place in meters)
        names = names if len(meters) <= _FEW_NAMES else f"{len(meters)} columns"
        doubts.append(f"{names} left out: of results only how long they took is read")
    guessed: dict[str, list[str]] = {}
    for place, column in enumerate(found):
        if place in amounts:
            unit = SPAN if column.unit == CLOCK else column.unit
            unit = unit if unit in UNITS[DURATION] else ""
            if not unit or (column.role == TIME and unit in TIME_UNITS):
                unit = reported_unit(column.name, DURATION)
            if not unit and column.role == TIME:  # it was guessed as if it said when
                doubts[:] = [one for one in doubts if not one.startswith(_bare_of(column.name))]
            if not unit:
                unit = unit_by_size(DURATION, numbers(columns[place], decimal))
                guessed.setdefault(unit, []).append(f"“{column.name}”")
            found = renamed(found, place, DURATION, unit)
        elif column.role not in (VARIANT, MARKER):
            found = renamed(found, place, SKIP)
    for unit, bare in guessed.items():
        few = f"{', '.join(bare)} {'name' if len(bare) > 1 else 'names'}"
        said = few if len(bare) <= _FEW_NAMES else f"{len(bare)} columns name"
        doubts.append(f"{said} no unit: {unit} was guessed from the values")
    return found


def _are_remarks(found: list[Column], columns: list[list[str]], place: int) -> bool:
    """Whether texts are remarks on rows, and name nothing that was timed: some rows have none, or
    nearly each of the runs of a variant has another.
    """
    cells = [cell.strip() for cell in columns[place]]
    if not all(cells):
        return True
    if names_tests(found[place].name) or place in named_after_actions(found, columns):
        return False
    return bool(places_of(found, VARIANT)) and len(set(cells)) * 2 > len(cells)


def _bare_of(name: str) -> str:
    """How the doubt begins that a column names no unit."""
    return f"“{name}” names no unit: "


def _what_was_timed(
    found: list[Column], columns: list[list[str]], amounts: list[int], doubts: list[str]
) -> list[Column]:
    """A column of words that come again with each variant says what was timed; else it is doubted
    that nothing does.
    """
    alone = len({without_number(stem_of_column(found[place])) for place in amounts}) == 1
    apart = [place for place in _telling_apart(found, columns) if place not in amounts]
    named = [
        place
        for place in apart
        if names_tests(found[place].name) or place in named_after_actions(found, columns)
    ]
    timed = (named or apart)[0] if alone and apart else -1
    for place in apart:
        name = found[place].name
        if place in named and place == timed:
            doubts.append(f"“{name}” says what was timed in each row")
        elif place == timed:
            doubts.append(
                f"“{name}” tells rows of one variant apart: what was timed is judged for each of it"
            )
        else:
            doubts.append(f"“{name}” tells rows of one variant apart, and is left out")
    return renamed(found, timed, MARKER) if timed >= 0 else found


def _telling_apart(found: list[Column], columns: list[list[str]]) -> list[int]:
    """Columns of words that come again with each variant."""
    runs = [n for n, row in enumerate(zip(*columns, strict=True)) if not any(map(sums_up, row))]
    variants = [columns[places_of(found, VARIANT)[0]][n].strip() for n in runs]
    apart = []
    for place in places_of(found, SKIP):
        cells = [columns[place][n].strip() for n in runs]
        words = set(cells)
        pairs = set(zip(variants, cells, strict=True))
        crossed = len(pairs) == len(words) * len(set(variants))
        again = len(words) * 2 <= len(cells) and all(cells)  # remarks are not in all rows
        if len(words) == 1 and not names_tests(found[place].name):
            continue
        number = np.isfinite(numbers(cells)).any() or np.isfinite(dates(cells)).any()
        if crossed and again and not number:
            apart.append(place)
    return apart


_FEW_NAMES = 4
