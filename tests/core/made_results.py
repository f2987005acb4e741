"""Results as people keep them, made at random in many layouts, with what they hold known."""

import csv
import io
import json
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import chain

import sheets

VARIANTS = [
    ["4.1", "4.2"], ["4.1", "4.2", "4.3"], ["old", "new"], ["v4.1.0", "v4.2.0-rc1"],
    ["stable", "nightly"], ["Basic", "Pro"], ["Weftwright 4.1", "Weftwright 4.2"],
    ["driver 512", "driver 530"], ["A", "B"], ["cache on", "cache off"], ["2025", "2026"],
]  # fmt: skip
#: What variants, runs, what was timed and how long it took are called, and some things to time.
WORDS = [
    ("Version", "Run", "Test", "Time", ["Launch", "Open draft", "Save"]),
    ("Build", "Trial", "Operation", "Duration", ["Launch", "Export PDF", "Undo"]),
    ("Driver", "#", "Scenario", "Result", ["Scroll", "Open draft", "Save"]),
    ("Variante", "Durchlauf", "Vorgang", "Dauer", ["Starten", "Speichern", "Exportieren"]),
    ("Version", "Essai", "Opération", "Durée", ["Démarrage", "Ouverture", "Enregistrement"]),
    ("Versión", "Intento", "Tarea", "Tiempo", ["Inicio", "Abrir", "Guardar"]),
    ("Wersja", "Próba", "Zadanie", "Czas", ["Uruchomienie", "Otwarcie", "Zapis"]),
    ("Версия", "Прогон", "Операция", "Время", ["Открытие", "Сохранение"]),
    ("バージョン", "回", "操作", "時間", ["起動", "開く", "保存"]),
]

Rows = list[list[str]]


@dataclass
class Results:
    """Results of a study: of each variant, timing and run how long it took, s."""

    seed: int
    timings: int
    #: `lines` are no table of theirs: a unit stands behind each value.
    layout: str = ""
    variants: list[str] = field(default_factory=list)
    took: dict[tuple[str, str, int], float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        draw = random.Random(self.seed)
        self.variants = list(draw.choice(VARIANTS))
        words = draw.choice(WORDS)
        self.variant, self.run, self.test, self.time = words[:4]
        self.timed = draw.sample(words[4], self.timings) if self.timings > 1 else [""]
        self.runs = range(1, draw.choice([3, 5, 8]) + 1)
        usual = {name: draw.uniform(0.5, 9) for name in self.timed}
        self.took = {
            (variant, name, run): round(usual[name] * draw.uniform(0.9, 1.1) * (1 - 0.2 * n), 2)
            for n, variant in enumerate(self.variants) for name in self.timed for run in self.runs
        }  # fmt: skip
        self.unit = draw.choice(["s", "ms", "behind", "none", "clock"])
        self.comma = draw.random() < 0.3
        self.draw = draw

    def cell(self, seconds: float) -> str:
        """How long something took, as this study writes it in a table."""
        text = {
            "s": f"{seconds:.2f}", "none": f"{seconds:.2f}", "ms": f"{1000 * seconds:.0f}",
            "behind": f"{seconds:.2f} s" if seconds > 1 else f"{1000 * seconds:.0f} ms",
            "clock": f"{int(seconds // 60)}:{seconds % 60:05.2f}",
        }[self.unit]  # fmt: skip
        return text.replace(".", ",") if self.comma and self.unit != "clock" else text

    def named(self, name: str) -> str:
        return f"{name} ({self.unit})" if self.unit in ("s", "ms") else name

    def of(self, variant: str, name: str = "") -> list[float]:
        return [self.took[variant, name, run] for run in self.runs]

    def cells(self, variant: str, name: str = "") -> list[str]:
        return [self.cell(one) for one in self.of(variant, name)]


def long(results: Results) -> Rows:
    order = list(results.took)
    if results.draw.random() < 0.5:
        order.sort(key=lambda one: (one[2], one[0]))
    head = [results.variant, results.run, results.test, results.named(results.time)]
    rows = [[v, str(run), name, results.cell(results.took[v, name, run])] for v, name, run in order]
    return [[cell for n, cell in enumerate(row) if n != 2 or results.timings > 1]
            for row in [head, *rows]]  # fmt: skip


def with_remarks(results: Results) -> Rows:
    remarks = ["Notes", *("fan noisy" if n % 3 else "" for n in range(len(results.took)))]
    days = ["Date", *["2026-05-03"] * len(results.took)]
    return [[d, *row, r] for d, row, r in zip(days, long(results), remarks, strict=True)]


def said_once(results: Results) -> Rows:
    rows = [[results.variant, results.run, results.named(results.time)]]
    for variant in results.variants:
        for run, cell in zip(results.runs, results.cells(variant), strict=True):
            rows.append([variant if run == 1 else "", str(run), cell])
    return rows


def variants_beside(results: Results) -> Rows:
    head = [results.draw.choice([results.run, ""]), *map(results.named, results.variants)]
    rows = [[str(run), *(results.cell(results.took[v, "", run]) for v in results.variants)]
            for run in results.runs]  # fmt: skip
    return [head, *rows]


def variants_beside_summed_up(results: Results) -> Rows:
    sums = [results.cell(sum(results.of(v)) / len(results.runs)) for v in results.variants]
    return [*variants_beside(results), ["Mean", *sums]]


def runs_beside(results: Results) -> Rows:
    results.unit = "none" if results.unit in ("s", "ms") else results.unit
    runs = [f"{results.run} {run}" if results.run != "#" else str(run) for run in results.runs]
    return [[results.variant, *runs], *([v, *results.cells(v)] for v in results.variants)]


def runs_beside_with_statistics(results: Results) -> Rows:
    head, *rows = runs_beside(results)
    summed = [[results.cell(f(results.of(v))) for f in (min, max)] for v in results.variants]
    return [[*head, "Min", "Max"],
            *([*row, *some] for row, some in zip(rows, summed, strict=True))]  # fmt: skip


def timings_beside(results: Results) -> Rows:
    rows = [
        [v, str(run), *(results.cell(results.took[v, name, run]) for name in results.timed)]
        for v in results.variants for run in results.runs
    ]  # fmt: skip
    return [[results.variant, results.run, *map(results.named, results.timed)], *rows]


def repeats_of_variants_beside(results: Results) -> Rows:
    results.unit = "none" if results.unit in ("s", "ms") else results.unit
    head = [f"{v} #{run}" for v in results.variants for run in results.runs]
    return [[results.test, *head], *(
        [name, *chain.from_iterable(results.cells(v, name) for v in results.variants)]
        for name in results.timed)]  # fmt: skip


def groups_of_columns(results: Results) -> Rows:
    results.unit = "none" if results.unit in ("s", "ms") else results.unit
    blanks = [""] * (len(results.runs) - 1)
    head = ["", *chain.from_iterable([v, *blanks] for v in results.variants)]
    below = [results.test, *(str(run) for _ in results.variants for run in results.runs)]
    return [head, below, *repeats_of_variants_beside(results)[1:]]


def below_headings(results: Results) -> Rows:
    rows: Rows = []
    for variant in results.variants:
        rows += [[variant], [results.run, results.named(results.time)]]
        rows += [[str(n), cell] for n, cell in enumerate(results.cells(variant), 1)]
    return rows


def a_table_for_each_timing(results: Results) -> Rows:
    results.unit = "none" if results.unit in ("s", "ms") else results.unit
    rows: Rows = []
    for name in results.timed:
        rows += [[name], [results.run, *results.variants]]
        for run in results.runs:
            cells = [results.cell(results.took[v, name, run]) for v in results.variants]
            rows.append([str(run), *cells])
    return rows


def with_memory(results: Results) -> Rows:
    mark = "," if results.comma else "."
    return [[*row, "Memory (MB)" if not n else f"{250 + n // 10}{mark}{n % 10}"]
            for n, row in enumerate(long(results))]  # fmt: skip


#: Of each layout of a table: how many things it times at most.
TABLES: list[tuple[Callable[[Results], Rows], int]] = [
    (long, 1), (long, 2), (with_remarks, 1), (said_once, 1), (variants_beside, 1),
    (variants_beside_summed_up, 1), (runs_beside, 1), (runs_beside_with_statistics, 1),
    (timings_beside, 2), (repeats_of_variants_beside, 2), (groups_of_columns, 2),
    (below_headings, 1), (a_table_for_each_timing, 2), (with_memory, 1),
]  # fmt: skip
#: Lines of a text: a run each, or a variant each.
RUN_LINES = [
    "{v}: {c} s", "{v} run {n}: {c} s", "{v} - {c} s", "{v} took {c} s", "Run {n} of {v}: {c} s",
    "{c} s {v}", "[{v}] run {n} = {c} s", "{v} ............ {c} s", "{v} -> {c}s",
]  # fmt: skip
VARIANT_LINES = [
    "{v}: {list}", "{v} = {list} s", "{v}\t{list}", "Launching {v} took {list} s.", "{v} - {list}",
]  # fmt: skip


def made_table(seed: int) -> tuple[Results, bytes]:
    """A study, and a table of its results in some container."""
    make, timings = TABLES[seed % len(TABLES)]
    results = Results(seed, timings, make.__name__)
    rows = make(results)
    container = results.draw.choice(["text", "text", "sheet", "page", "ruled"])
    alike = len({len(row) for row in rows}) == 1
    results.layout += f" in {container if alike else 'text'}"
    if container == "sheet":
        width = max(map(len, rows))
        told = [[_number(cell) for cell in row] + [""] * (width - len(row)) for row in rows]
        return results, results.draw.choice([sheets.sheet, sheets.open_sheet])(told)
    if container == "page" and alike:
        body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows)
        return results, f"<table>{body}</table>".encode()
    if container == "ruled" and alike and all(rows[0]):
        lines = [f"| {' | '.join(row)} |\n" for row in rows]
        return results, "".join([lines[0], "|---" * len(rows[0]), "|\n", *lines[1:]]).encode()
    out = io.StringIO()
    signs = ";\t" if results.comma else ",;\t"
    csv.writer(out, delimiter=results.draw.choice(signs), lineterminator="\n").writerows(rows)
    title = "Weftwright, by hand\n\n" if results.draw.random() < 0.2 and alike else ""
    return results, (title + out.getvalue()).encode(results.draw.choice(["utf-8", "utf-8-sig"]))


def made_lines(seed: int) -> tuple[Results, bytes]:
    """A study, and its results as lines of a text or as a document."""
    results = Results(seed, 1)
    shape = results.draw.choice(["run", "run", "variant", "variant", "objects", "lists", "yaml"])
    results.layout = shape
    if shape == "run":
        results.layout = line = results.draw.choice(RUN_LINES)
        said = [line.format(v=v, n=n, c=f"{one:.2f}") for (v, _, n), one in results.took.items()]
    elif shape == "variant":
        results.layout = line = results.draw.choice(VARIANT_LINES)
        sign = results.draw.choice([", ", "; ", " "])
        said = [line.format(v=v, list=sign.join(f"{one:.2f}" for one in results.of(v)))
                for v in results.variants]  # fmt: skip
    elif shape == "yaml":
        said = ["results:", *(f'  - version: "{v}"\n    seconds: {one}'
                              for (v, _, _), one in results.took.items())]  # fmt: skip
    elif shape == "lists":
        said = [json.dumps({v: results.of(v) for v in results.variants})]
    else:
        runs = [{"build": v, "run": n, "durationMs": round(1000 * one)}
                for (v, _, n), one in results.took.items()]  # fmt: skip
        said = [json.dumps({"program": "Weftwright", "runs": runs})]
    title = "Stopwatch, by hand\n\n" if shape in ("run", "variant") and seed % 3 == 0 else ""
    return results, (title + "\n".join(said) + "\n").encode()


def _number(cell: str) -> float | str:
    try:
        return float(cell)
    except ValueError:
        return cell
