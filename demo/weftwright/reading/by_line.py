"""The reader since release 4.2: takes whole lines apart at once."""

from weftwright.draft import Draft
from weftwright.reading.statements import DraftBuilder


def read(path: str) -> Draft:
    builder = DraftBuilder()
    with open(path, encoding="utf-8") as file:
        for line in file:
            if '"' in line:
                before, name, _ = line.split('"', 2)
                builder.statement([*before.split(), name])
            elif words := line.split("#", 1)[0].replace(",", " ").split():
                builder.statement(words)
    return builder.draft()
