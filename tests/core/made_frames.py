"""Logs of frames, made at random out of what logs are made of, with what they hold known."""

import json
import random
import re
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import sheets

#: Names of time, frame time, rate, processor, memory, marker and number of the frame.
NAMES = [
    ["Time", "Frame time", "FPS", "CPU", "Memory", "Event", "Frame"],
    ["timestamp", "frame_duration", "frame_rate", "processor load", "working set", "label", "id"],
    ["TimeSinceStart", "MsBetweenFrames", "AvgFPS", "CPU Load", "RAM used", "note", "#"],
    ["ts", "time_per_frame", "framesPerSecond", "cpuPercent", "memUsed", "scene", "frameIndex"],
    ["Zeit", "Bildzeit", "Bildrate", "CPU-Last", "Speicher", "Ereignis", "Bild"],
    ["Temps", "Durée image", "Images/s", "Processeur", "Mémoire", "Étape", "Image"],
    ["Tiempo", "Tiempo de fotograma", "Fotogramas por segundo", "Procesador", "Memoria", "Evento",
     "Fotograma"],
    ["Tempo", "Tempo de quadro", "Quadros por segundo", "Processador", "Memória", "Etapa",
     "Quadro"],
    ["Tijd", "Beeldtijd", "Beelden per seconde", "Processor", "Geheugen", "Stap", "Beeld"],
    ["Czas", "Czas klatki", "Klatki na sekundę", "Procesor", "Pamięć", "Krok", "Klatka"],
    ["Idő", "Képkockaidő", "Képkocka per másodperc", "Processzor", "Memória", "Esemény",
     "Képkocka"],
    ["Zaman", "Kare süresi", "Saniyedeki kare", "İşlemci", "Bellek", "Olay", "Kare"],
    ["Время", "Время кадра", "Кадров в секунду", "Процессор", "Память", "Событие", "Кадр"],
    ["時刻", "フレーム時間", "フレームレート", "プロセッサ", "メモリ", "イベント", "フレーム"],
    ["时间", "帧时间", "帧率", "处理器", "内存", "事件", "帧"],
    ["시간", "프레임 시간", "프레임레이트", "프로세서", "메모리", "이벤트", "프레임"],
]  # fmt: skip
BEGAN = datetime(2026, 5, 3, 14, 3, 7)
STEPS = ["open draft", "pan", "zoom in", "weave", "save"]


@dataclass
class MadeFrames:
    """A log and what it holds: how long frames were, s, or instants of samples, s; memory, B."""

    features: dict[str, object]
    content: bytes = b""
    lengths: list[float] = field(default_factory=list)
    instants: list[float] = field(default_factory=list)
    memory: list[float] = field(default_factory=list)
    processor: bool = False
    marked: bool = False
    broken: int = 0


@dataclass
class Column:
    name: str
    unit: str
    cells: list[str]


def _clock(moment):
    return moment.strftime("%H:%M:%S.%f")[:-3]


#: Ways to write an instant, with the unit that their column names.
INSTANTS = {
    "s": ("s", lambda at: f"{at:.6f}"),
    "ms": ("ms", lambda at: f"{1e3 * at:.3f}"),
    "µs": ("us", lambda at: f"{1e6 * at:.0f}"),
    "ns": ("ns", lambda at: f"{1e9 * at:.0f}"),
    "seconds since 1970": ("", lambda at: f"{1_795_000_000 + at:.6f}"),
    "ms since 1970": ("", lambda at: f"{1_795_000_000_000 + 1e3 * at:.3f}"),
    "ISO": ("", lambda at: (BEGAN + timedelta(seconds=at)).isoformat() + "Z"),
    "time of day": ("", lambda at: _clock(BEGAN + timedelta(seconds=at))),
    "across midnight": ("", lambda at: _clock(datetime(2026, 5, 3, 23, 59, 59)
                                              + timedelta(seconds=at))),
    "day first": ("", lambda at: f"{BEGAN:%d.%m.%Y} {_clock(BEGAN + timedelta(seconds=at))}"),
    "half a day": ("", lambda at: (BEGAN + timedelta(seconds=at)).strftime("05/13/2026 %I:%M:%S.%f")
                   [:-3] + " PM"),
    "month in words": ("", lambda at: f"3 May 2026 {_clock(BEGAN + timedelta(seconds=at))}"),
    "minutes and seconds": ("", lambda at: f"{int(at // 60):02}:{at % 60:06.3f}"),
}  # fmt: skip
LENGTHS = {"ms": (1e3, 3), "s": (1, 6), "us": (1e6, 0)}
MEMORY = {"MB": (1e6, 1), "MiB": (2**20, 2), "B": (1, 0), "KB": (1e3, 0), "GB": (1e9, 4)}
UNITS = {
    "brackets": "{name} ({unit})", "square": "{name} [{unit}]", "slash": "{name} / {unit}",
    "behind a comma": "{name}, {unit}", "in": "{name} in {unit}", "close": "{name}({unit})",
    "underline": "{name}_{unit}",
}  # fmt: skip
BESIDE = {
    "GPU temp": "61.5", "Resolution": "1920x1080", "VSync": "true", "Dropped": "0",
    "Thread": "main", "p99 frame time (ms)": "25.5", "Power (W)": "31.2",
}  # fmt: skip


def made_frames(seed: int) -> MadeFrames:
    """A log of frames, of their instants alone or of samples of a rate."""
    draw = random.Random(seed)
    names = draw.choice(NAMES)
    kind = draw.choice(["frames", "frames", "instants", "samples"])
    made = MadeFrames({"kind": kind, "names": names[1], "unit": draw.choice([*UNITS, "row"])})
    columns = _columns(draw, made, names, kind)
    if draw.random() < 0.25:
        draw.shuffle(columns)
    container = draw.choice(["table"] * 6 + ["json lines", "json", "pairs", "sheet", "page"])
    made.features["container"] = container
    if container == "table":
        made.content = _table(draw, made, columns)
    else:
        made.content = _document(draw, made, columns, container)
    return made


def _columns(draw, made, names, kind):
    count = draw.choice([60, 200, 500])
    usual = draw.choice([1 / 30, 1 / 60, 1 / 144, 0.014])
    lengths = [max(0.002, usual * draw.lognormvariate(0, 0.1)) for _ in range(count)]
    instants = [sum(lengths[: n + 1]) for n in range(count)]
    if kind == "samples":
        instants = [0.5 * (n + 1) + draw.uniform(0, 0.004) for n in range(count)]
    written = draw.choice([*INSTANTS, *([""] * 2 if kind == "frames" else [])])
    made.features["instants"] = written
    columns = []
    if kind == "instants" or (kind == "frames" and draw.random() < 0.3):
        columns.append(Column(names[6], "", [str(n) for n in range(count)]))
    if written:
        unit, write = INSTANTS[written]
        columns.append(Column(names[0], unit, [write(at) for at in instants]))
    made.instants = instants
    if kind == "frames":
        unit = made.features["length"] = draw.choice(list(LENGTHS))
        factor, digits = LENGTHS[unit]
        made.lengths = lengths
        cells = [f"{factor * one:.{digits}f}" for one in lengths]
        columns.append(Column(names[1], unit, cells))
    elif kind == "instants":
        made.lengths = lengths[1:]
    if kind == "samples" or (kind == "frames" and draw.random() < 0.3):
        columns.append(Column(names[2], "", [f"{1 / one:.1f}" for one in lengths]))
    if draw.random() < 0.5:
        made.processor = True
        cells = [f"{draw.uniform(5, 95):.1f}" for _ in lengths]
        columns.append(Column(names[3], "%", cells))
    if draw.random() < 0.5:
        unit = made.features["memory"] = draw.choice(list(MEMORY))
        factor, digits = MEMORY[unit]
        made.memory = [2.5e8 + 1e5 * n * draw.random() for n in range(count)]
        columns.append(
            Column(names[4], unit, [f"{one / factor:.{digits}f}" for one in made.memory])
        )
    if draw.random() < 0.3:
        made.marked = True
        cells = [""] * count
        for place, step in enumerate(STEPS):
            cells[count * (place + 1) // 7] = step
        columns.append(Column(names[5], "", cells))
    if draw.random() < 0.3:
        name = made.features["beside"] = draw.choice(list(BESIDE))
        columns.append(Column(name, "", [BESIDE[name]] * count))
    return columns


def _named(column, unit):
    return UNITS[unit].format(name=column.name, unit=column.unit) if column.unit else column.name


def _table(draw, made, columns):
    unit = made.features["unit"]
    sign = made.features["sign"] = draw.choice([",", ";", "\t", ", ", "|", "aligned"])
    rows = [list(row) for row in zip(*(column.cells for column in columns), strict=True)]
    if sign == "aligned" and any(not cell or " " in cell for row in rows for cell in row):
        sign = made.features["sign"] = ";"
    if draw.random() < 0.2:
        made.broken = 3
        numeric = [n for n, c in enumerate(columns) if c.unit and c.unit not in INSTANTS]
        for row in draw.sample(rows, made.broken):
            for place in numeric:
                row[place] = "N/A"
    comma = made.features["decimal comma"] = sign in (";", "\t") and draw.random() < 0.5
    if comma:
        rows = [[_with_comma(cell) for cell in row] for row in rows]
    heads = [[column.name if unit == "row" else _named(column, unit) for column in columns]]
    if unit == "row":
        heads.append([column.unit or "-" for column in columns])
    if sign == "aligned":
        cells = [[cell.replace(" ", "_") for cell in row] for row in heads + rows]
        widths = [max(map(len, column)) + 2 for column in zip(*cells, strict=True)]
        lines = ["".join(c.rjust(w) for c, w in zip(row, widths, strict=True)) for row in cells]
    else:
        mark = sign.strip() or sign
        lines = [
            sign.join(f'"{cell}"' if mark in cell else cell for cell in row) for row in heads + rows
        ]
    before = made.features["before"] = draw.choice(list(BEFORE))
    behind = made.features["behind"] = draw.choice(["", "", "\n\n", "\n# end of the recording"])
    text = BEFORE[before] + "\n".join(lines) + behind + "\n"
    if draw.random() < 0.3:
        text = text.replace("\n", "\r\n")
    encoding = draw.choice(["utf-8", "utf-8", "utf-8-sig", "utf-16"])
    made.features["encoding"] = encoding
    return text.encode(encoding)


BEFORE = {
    "nothing": "",
    "a title": "Weftwright frame recorder 2.1\n\n",
    "remarks": "# program: Weftwright 4.2\n# host: loom-7\n# started: 2026-05-03 14:03:07\n",
    "what was set": "Program: Weftwright 4.2\nResolution: 1920x1080\n\n",
}


def _with_comma(cell):
    return cell.replace(".", ",") if re.fullmatch(r"-?\d+\.\d+", cell) else cell


def _document(draw, made, columns, container):
    unit = made.features["unit"]
    unit = made.features["unit"] = "brackets" if unit == "row" else unit
    names = [_named(column, unit) for column in columns]
    rows = list(zip(*(column.cells for column in columns), strict=True))
    if container == "pairs":
        keys = [re.sub(r"\W+", "_", name).strip("_") or "n" for name in names]
        return "".join(
            " ".join(
                f'{key}="{cell}"' if not cell or " " in cell else f"{key}={cell}"
                for key, cell in zip(keys, row, strict=True)
            )
            + "\n"
            for row in rows
        ).encode()
    if container == "page":
        line = "<tr>{}</tr>".format
        head = "".join(f"<th>{name}</th>" for name in names)
        body = "".join(line("".join(f"<td>{cell}</td>" for cell in row)) for row in rows)
        return f"<html><body><h1>Run</h1><table>{line(head)}{body}</table></body></html>".encode()
    told = [[_number(cell) for cell in row] for row in rows]
    if container == "sheet":
        return draw.choice([sheets.sheet, sheets.open_sheet])([names, *told])
    objects = [dict(zip(names, row, strict=True)) for row in told]
    if container == "json lines":
        return "".join(json.dumps(one) + "\n" for one in objects).encode()
    return json.dumps({"program": "Weftwright", "run": {"samples": objects}}).encode()


def _number(cell):
    return float(cell) if re.fullmatch(r"-?\d+(?:\.\d+)?", cell) else cell
