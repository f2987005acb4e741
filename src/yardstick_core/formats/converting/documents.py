"""Tables in documents that people and programs write: HTML, XML, YAML and text with ruled tables.

Whoever brings a file chooses the text: nothing outside of it is loaded, no entity and no alias is
unfolded, and what a cell spans is bounded.
"""

from __future__ import annotations

import re
from collections import Counter
from itertools import pairwise
from typing import Any

from yardstick_core.formats.source import NotALog, encoding_of

#: Cells of a table, as text; the first row may name them.
Table = list[list[str]]

MOST_SPANNED = 1000
MOST_NESTED = 20
MOST_YAML_BYTES = 4 << 20
_BARS = re.compile(r"[|│┃]")
#: Signs that a ruled line is made of, and what it has at least one of.
_RULES = frozenset(" \t\r|+=:-─━│┃┼┌┐└┘├┤┬┴╪╫╬═║╞╡┏┓┗┛┣┫┳┻╋")
_DASHES = ("--", "==", "──", "━━", "══", ":-", "-:")
#: A list of named values: `- launch: 3.2`.
_YAML = re.compile(r"(?m)^[ \t]*-[ \t]+[\"']?[\w .%/()-]{1,60}[\"']?:(?:[ \t]|$)")


def html_table(data: bytes) -> Table | None:
    """The largest table of a page; None where it has none.

    A cell that spans several rows or columns stands in each of them. Tables under one head, each
    below a title of its own, are one: the title names the variant.
    """
    import lxml.etree
    import lxml.html

    try:
        told = None if b"charset" in data[:4096].lower() else encoding_of(data[:65_536])
        page = lxml.html.document_fromstring(data, lxml.html.HTMLParser(encoding=told))
    except (lxml.etree.LxmlError, ValueError, LookupError):
        return None
    tables = [
        one for one in page.iter("table") if not any(True for _ in one.iterdescendants("table"))
    ]
    return _largest([(_title_of(one), _cells_of(one)) for one in tables])


def _title_of(table: Any) -> str:
    """The caption of a table, or the last heading before it."""
    caption = next(table.iter("caption"), None)
    if caption is None:
        headings = table.xpath("preceding::*[self::h1 or self::h2 or self::h3 or self::h4][1]")
        caption = headings[0] if headings else None
    return "" if caption is None else " ".join(caption.text_content().split())


def _largest(titled: list[tuple[str, Table]]) -> Table | None:
    """The largest table, or those of one head under different titles as one."""
    largest = max((table for _, table in titled), key=_size, default=None)
    if not largest:
        return largest
    alike = [(title, table) for title, table in titled if table and table[0] == largest[0]]
    titles = {title for title, _ in alike}
    if len(alike) < 2 or len(titles) < len(alike) or "" in titles:
        return largest
    rows = [[title, *row] for title, table in alike for row in table[1:]]
    return [["variant", *largest[0]], *rows]


def _cells_of(table: Any) -> Table:
    rows: Table = []
    spanning: dict[int, tuple[int, str]] = {}  # by column: for how many rows yet, and what
    for line in table.iter("tr"):
        row: list[str] = []
        for cell in line.iter("td", "th"):
            _carry(spanning, row)
            text = " ".join(cell.text_content().split())
            for _ in range(_span(cell, "colspan")):
                if (more := _span(cell, "rowspan") - 1) > 0:
                    spanning[len(row)] = (more, text)
                row.append(text)
        _carry(spanning, row)
        if any(row):
            rows.append(row)
    return rows


def _carry(spanning: dict[int, tuple[int, str]], row: list[str]) -> None:
    """Add to a row what cells above span down to it."""
    while (held := spanning.pop(len(row), None)) is not None:
        left, text = held
        if left > 1:
            spanning[len(row)] = (left - 1, text)
        row.append(text)


def _span(cell: Any, name: str) -> int:
    try:
        return min(MOST_SPANNED, max(1, int(cell.get(name, "1"))))
    except ValueError:
        return 1


def _size(table: Table) -> int:
    return sum(map(len, table))


def xml_rows(data: bytes) -> list[dict[str, Any]] | None:
    """The elements of an XML document that hold the most values, as rows; None where it is no XML.

    An element's values are its attributes, the texts of what is in it, and the attributes of what
    it stands in. Raises NotALog where nothing is repeated.
    """
    import lxml.etree

    parser = lxml.etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False,
        remove_comments=True, remove_pis=True,
    )  # fmt: skip
    try:
        root = lxml.etree.fromstring(data, parser)
    except (lxml.etree.LxmlError, ValueError):
        return None
    held: Counter[str] = Counter()
    kinds: dict[str, list[Any]] = {}
    waiting = [(root, "")]
    while waiting:
        element, around = waiting.pop()
        kind = f"{around}/{_plain(element.tag)}"
        kinds.setdefault(kind, []).append(element)
        held[kind] += len(_values_of(element))
        waiting += [(child, kind) for child in reversed(element) if isinstance(child.tag, str)]
    repeated = {kind: held[kind] for kind, some in kinds.items() if len(some) > 1 and held[kind]}
    if not repeated:
        raise NotALog("it is an XML document, and no element with values comes again in it")
    found = max(repeated, key=lambda kind: (repeated[kind], -kind.count("/")))
    return [_around(element) | _values_of(element) for element in kinds[found]]


def _plain(tag: Any) -> str:
    return str(tag).rsplit("}", 1)[-1]


def _values_of(element: Any) -> dict[str, str]:
    found = {_plain(name): value for name, value in element.attrib.items()}
    for child in element:
        if not isinstance(child.tag, str):
            continue
        text = (child.text or "").strip()
        if text and not len(child):
            found.setdefault(_plain(child.tag), text)
        for name, value in child.attrib.items():
            found.setdefault(f"{_plain(child.tag)}.{_plain(name)}", value)
    text = (element.text or "").strip()
    if text and not len(element):
        found.setdefault(_plain(element.tag), text)
    return found


def _around(element: Any) -> dict[str, str]:
    """Attributes of the elements that one stands in; those of the document are of no row alone."""
    found: dict[str, str] = {}
    for around in element.iterancestors():
        if around.getparent() is not None:
            found |= {
                f"{_plain(around.tag)}.{_plain(name)}": value
                for name, value in around.attrib.items()
            }
    return found


def yaml_document(text: str) -> Any:
    """What a YAML document holds; None where the text is no list of named values."""
    import yaml

    if len(text) > MOST_YAML_BYTES or not _YAML.search(text):
        return None
    try:
        depth = 0
        for event in yaml.parse(text, Loader=yaml.CSafeLoader):
            depth += isinstance(event, yaml.CollectionStartEvent)
            depth -= isinstance(event, yaml.CollectionEndEvent)
            if depth > MOST_NESTED or getattr(event, "anchor", None):
                return None  # an alias may stand for far more than the file holds
        return yaml.load(text, Loader=yaml.CSafeLoader)
    except (yaml.YAMLError, ValueError, RecursionError):
        return None


def ruled_table(lines: list[str]) -> Table | None:
    """The largest table of a text whose columns are parted by bars and whose head is ruled off."""
    tables: list[tuple[str, Table]] = []
    rows: Table = []
    ruled, title = False, ""
    for line in [*lines, ""]:
        if _RULES.issuperset(line) and any(dashes in line for dashes in _DASHES):
            ruled = True
        elif _BARS.search(line):
            rows.append(_between_bars(line))
        else:
            if ruled and len(rows) > 1:
                tables.append((title, rows))
            rows, ruled = [], False
            title = line.strip(" \t#=*:") or title
    return _largest(tables)


#: Dashes below each name of a column, which say how wide it is.
_UNDERLINE = re.compile(r"[ \t]*-{2,}(?:[ \t]+-{2,})+[ \t]*")


def underlined_table(lines: list[str]) -> Table | None:
    """The largest table of a text whose names are underlined each; its cells may be empty."""
    tables: list[tuple[str, Table]] = []
    for place in range(1, len(lines)):
        if not _UNDERLINE.fullmatch(lines[place]):
            continue
        dashes = list(re.finditer(r"-+", lines[place]))
        gaps = [(one.end(), after.start()) for one, after in pairwise(dashes)]
        rows = [lines[place - 1]]
        for line in lines[place + 1 :]:
            if not line.strip() or _UNDERLINE.fullmatch(line):
                break
            rows.append(line)
        if len(rows) > 1 and not any(line[a:b].strip() for line in rows for a, b in gaps):
            edges = [0, *(end for _, end in gaps)]
            cut = [
                [line[a:b].strip() for a, b in zip(edges, [*edges[1:], None], strict=True)]
                for line in rows
            ]
            # what begins with a sign of percent would be taken for a remark
            cut[0] = [re.sub(r"^%\s+(\S.*)", r"\1 %", name) for name in cut[0]]
            tables.append(("", cut))
    return _largest(tables)


def _between_bars(line: str) -> list[str]:
    cells = [cell.strip().strip("*`") for cell in _BARS.split(line.strip())]
    if not cells[0]:
        cells = cells[1:]
    return cells[:-1] if cells and not cells[-1] and line.rstrip()[-1] in "|│┃" else cells
